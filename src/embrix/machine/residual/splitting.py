"""What is known of values where one residual function hands them to another, taken apart and put
together again."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import Any, TypeAlias

from embrix.machine.residual.knowledge import (
    Frame,
    KnotFrame,
    Knowledge,
    KnownNames,
    KnownValue,
    Later,
    MadeValue,
    NotResidual,
    RunValue,
)
from embrix.machine.residual.statements import Atom
from embrix.machine.residual.value_layout import ValueLayout, of_name
from embrix.terms.node import CONS, NIL, NONE, SOME, TUPLE
from embrix.terms.types import Con, Tup, Type, settle

Parts: TypeAlias = Iterator[Knowledge]
Build: TypeAlias = Callable[[Parts, Sequence[Knowledge]], Knowledge]
"""Puts what is known together again, of the parts that only the run knows, and of the fields of a
value where something is a part of one."""
Lower: TypeAlias = Callable[[Knowledge], Atom]
Handed: TypeAlias = tuple[Atom, Type | None, str]
"""What only the run knows of a value, its type, and what it is called in the program."""

MOST_NAMES = 200
"""Names in an environment."""


class Splitting:
    """What is known, and what only the run knows."""

    layout: ValueLayout

    def __init__(self) -> None:
        self._kept: list[Any] = []
        """What is remembered by its identity stays alive."""

    def identity(self, value: Any) -> int:
        self._kept.append(value)
        return id(value)

    def split(
        self, one: Knowledge, kind: Type | None, lower: Lower, deep: bool = False
    ) -> tuple[Any, list[Handed], Build]:
        """What is known of a value where one function hands it to another: a key, what only the run
        knows with its types, and how the two are put together again. Where it is `deep`, lists of a
        known length stay so."""
        match one:
            case KnownValue(tuple() as value, True):
                return ("known", self.identity(value)), [], lambda parts, fields: one
            case KnownValue(tuple() as value) if deep and value[0] in (NIL, NONE):
                return ("none", value[0]), [], lambda parts, fields: one
            case KnownValue(str() as value, True) if kind is None or of_name(kind, "Name"):
                return ("name", value), [], lambda parts, fields: one
            case Later(_, _, number):
                return ("later", number), [], lambda parts, fields: fields[number]
            case MadeValue(tag, fields) if tag in (TUPLE, SOME) or (deep and tag == CONS):
                types = _inner_types(tag, kind, len(fields))
                inner = [self.split(f, t, lower, deep) for f, t in zip(fields, types, strict=True)]
                atoms = [atom for _, found, _ in inner for atom in found]
                builds = [build for _, _, build in inner]
                key = ("made", tag, *(key for key, _, _ in inner))

                def made(parts: Parts, of: Sequence[Knowledge]) -> Knowledge:
                    return MadeValue(tag, tuple(build(parts, of) for build in builds))

                return key, atoms, made
            case MadeValue(tag) if deep and tag in self.layout.shaped:
                return self._split_shaped(one, lower)
            case KnownNames():
                return self._split_names(one, kind, lower, deep)
        return ("any",), [(lower(one), kind, "")], lambda parts, fields: next(parts)

    def is_known(self, one: Knowledge) -> bool:
        """Whether pieces of the program are known; beside them a value may hold what is not."""
        match one:
            case KnownNames():
                return True
            case KnownValue(value, given):
                return given or (isinstance(value, tuple) and value[0] in (NIL, NONE))
            case MadeValue(tag, fields) if tag in self.layout.shaped:
                free = self.layout.free_fields(tag)
                return all(self.is_known(field) for number, field in enumerate(fields)
                           if number not in free)  # fmt: skip
            case MadeValue(tag, fields) if tag in (TUPLE, SOME, CONS):
                return all(map(self.is_known, fields))
        return False

    def _split_shaped(self, one: MadeValue, lower: Lower) -> tuple[Any, list[Handed], Build]:
        """A value that holds pieces of the program: these are known, what else it holds is not."""
        types = self.layout.constructors[one.tag].types
        free = self.layout.free_fields(one.tag)
        keys: list[Any] = []
        atoms: list[Handed] = []
        builds: list[Build] = []
        for number, (field, kind) in enumerate(zip(one.fields, types, strict=True)):
            if number in free and not isinstance(field, Later):
                field = RunValue(lower(field), kind)
            key, found, build = self.split(field, kind, lower, deep=True)
            keys.append(key)
            atoms += found
            builds.append(build)

        def made(parts: Parts, fields: Sequence[Knowledge]) -> Knowledge:
            return MadeValue(one.tag, tuple(build(parts, fields) for build in builds))

        return ("made", one.tag, *keys), atoms, made

    def _split_names(
        self, names: KnownNames, kind: Type | None, lower: Lower, deep: bool
    ) -> tuple[Any, list[Handed], Build]:
        if len(names.frames) > MOST_NAMES:
            raise NotResidual(f"more than {MOST_NAMES} names in scope")
        held = settle(kind) if kind is not None else None
        item = held.args[0] if isinstance(held, Con) and held.args else None
        atoms: list[Handed] = []
        keys: list[Any] = []
        builds: list[Callable[[Parts, Sequence[Knowledge]], Frame | KnotFrame]] = []
        for frame in names.frames:
            if isinstance(frame, Frame):
                # What a name stands for is general: that it is known would make endless versions.
                atom = None if isinstance(frame.value, Later) else lower(frame.value)
                if atom is None:
                    key, _, build = self.split(frame.value, item, lower, deep)
                else:
                    called = frame.name if isinstance(frame.name, str) else ""
                    atoms.append((atom, item, called))
                    key, build = "any", lambda parts, fields: next(parts)
                keys.append((frame.name if isinstance(frame.name, str)
                             else ("later", frame.name.field), key))  # fmt: skip
                builds.append(partial(_frame, frame.name, build))
                continue
            captured = [(slot, self.split(value, None, lower, deep))
                        for slot, value in frame.captured]  # fmt: skip
            atoms += [atom for _, (_, found, _) in captured for atom in found]
            keys.append(("knot", frame.name, self.identity(frame.knot), frame.number, frame.above,
                         *(key for _, (key, _, _) in captured)))  # fmt: skip
            inner = [(slot, build) for slot, (_, _, build) in captured]
            builds.append(partial(_knot_frame, frame, inner))
        base = names.base
        keys.append(("later", base.field) if base is not None else None)

        def made(parts: Parts, fields: Sequence[Knowledge]) -> Knowledge:
            frames = tuple(build(parts, fields) for build in builds)
            if base is None:
                return KnownNames(frames)
            below = fields[base.field]
            assert isinstance(below, KnownNames)
            return KnownNames((*frames, *below.frames), below.base)

        return ("names", *keys), atoms, made


def _frame(name: str | Later, build: Build, parts: Parts, fields: Sequence[Knowledge]) -> Frame:
    if isinstance(name, Later):
        known = fields[name.field]
        assert isinstance(known, KnownValue)
        name = str(known.value)
    return Frame(name, build(parts, fields))


def _knot_frame(
    frame: KnotFrame, inner: list[tuple[int, Build]], parts: Parts, fields: Sequence[Knowledge]
) -> KnotFrame:
    captured = tuple((slot, build(parts, fields)) for slot, build in inner)
    return KnotFrame(frame.name, frame.knot, frame.number, captured, frame.above)


def _inner_types(tag: int, kind: Type | None, count: int) -> list[Type | None]:
    kind = settle(kind) if kind is not None else None
    if isinstance(kind, Tup) and tag == TUPLE and len(kind.items) == count:
        return [*kind.items]
    if isinstance(kind, Con) and kind.args:
        known: list[Type | None] = [kind.args[0], kind]
        return known[:count] if tag == CONS else known[:1] * count
    return [None] * count
