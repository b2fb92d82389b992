"""A choice between clauses that is made inside a value: there the pieces of the program that it was
made with are known, whatever is done with them."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterator, Sequence
from typing import TypeAlias

from embrix.brix import core as k
from embrix.machine.constructs import free_slots
from embrix.machine.residual.handed_on import hands_on, opens_value, shape_of
from embrix.machine.residual.joining import Joining
from embrix.machine.residual.knowledge import (
    Knowledge,
    KnownValue,
    Later,
    MadeValue,
    NotResidual,
    OneOfTwo,
    RunValue,
)
from embrix.machine.residual.known_patterns import types_inside
from embrix.machine.residual.statements import LeftOfChoice, Origin, ResidualTest
from embrix.machine.residual.value_layout import ValueLayout
from embrix.machine.residual.writer import Slots
from embrix.terms.types import Type

Path: TypeAlias = tuple[int, ...]
"""The number of a subject, and of fields inside it."""
Opened: TypeAlias = tuple[Path, RunValue, k.Shape, k.Shape]
"""Where a value is, what takes it, and the pattern of pieces, which may be further in."""


class Opening(Joining):
    """Values that are opened."""

    @abstractmethod
    def choose(
        self, subjects: Sequence[Knowledge], clauses: Sequence[k.CoreClause], slots: Slots,
        here: Knowledge | None, last: bool, *, kind: Type, own: bool = False, end: str = "",
    ) -> Knowledge | None: ...  # fmt: skip

    def opened(self, clause: k.CoreClause, subjects: Sequence[Knowledge]) -> Opened | None:
        """A value that only the run knows, and that a clause opens to do more with its pieces than
        hand them on: where it is among the subjects, and the pattern that takes it."""
        layout = self.program.layout
        opens = layout.opening.get(id(clause))
        if opens is None:
            opens = layout.opening[id(clause)] = any(
                opens_value(one, layout) is not None for one in clause.patterns
            )
        if not opens:
            return None
        found = [
            one for number, pattern in enumerate(clause.patterns)
            for one in _opened(pattern, subjects[number], (number,), layout)
        ]  # fmt: skip
        if not found:
            return None
        if len(found) == 1:
            path, _, _, shape = found[0]
            key = id(clause), path
            if key not in layout.handing_on:
                layout.handing_on[key] = hands_on(clause, shape, layout, self.program.functions)
            if layout.handing_on[key]:
                return None
        return found[0]

    def tests_to_open(self, opened: Opened) -> list[ResidualTest] | None:
        """What has to hold before a value is opened; None where that never holds."""
        _, of, shape, _ = opened
        known = self.facts.get(of.atom) if isinstance(of.atom, str) else None
        if known is not None:
            return [] if known == shape.tag else None
        return [ResidualTest("tag", of.atom, shape.tag)] if shape.wide else []

    def inside(
        self, choice: LeftOfChoice, opened: Opened, subjects: Sequence[Knowledge], slots: Slots,
        here: Knowledge | None, last: bool,
    ) -> Knowledge | None:  # fmt: skip
        """Make the rest of a choice inside a value, which has the constructor that the first clause
        takes."""
        path, of, shape, opens = opened
        inside = self._fields(of, shape, apart=shape is not opens)
        handed = put_at(subjects, path, inside)
        if shape is not opens:
            return self.choose(handed, choice.clauses, slots, here, last,
                               kind=choice.kind, own=choice.own, end=choice.end)  # fmt: skip
        handed += [slots[slot] for slot in choice.slots]
        if here is not None:
            handed.append(here)
        parts = frozenset().union(*map(self.program.later.of, handed))
        if len(parts) > 1:
            raise NotResidual("parts of two unknown values come together")
        kinds = [self.type_of(one) for one in handed]
        function = self.open[-1][0] if self.open else self.residual.function
        dispatch, atoms = self.program.inside(
            shape.tag, function, choice, handed, kinds, self.lower
        )
        found = self._called("dispatch", (of.atom, *atoms), dispatch, choice.kind, None)
        return self._last(found, last)

    def _fields(self, of: RunValue, shape: k.Shape, *, apart: bool) -> MadeValue:
        """A value with what is known of its fields: parts that are known inside it, or, where it is
        taken apart, what only the run knows."""
        count = len(shape.fields)
        if not apart:
            parts = (Later(of.atom, shape.tag, number) for number in range(count))
            return MadeValue(shape.tag, tuple(parts))
        types = types_inside(self.program, shape.tag, of.type, count)
        fields = (RunValue(self.let("field", (of.atom,), number)[0], kind)
                  for number, kind in enumerate(types))  # fmt: skip
        made = MadeValue(shape.tag, tuple(fields))
        self.lowered[id(made)] = made, of.atom
        return made

    def go_on(self, choice: LeftOfChoice, args: Sequence[Knowledge]) -> None:
        """The choice itself, of its subjects and what it needs."""
        count = len(choice.clauses[0].patterns)
        subjects, rest = args[:count], args[count:]
        slots = dict(zip(choice.slots, rest, strict=False))
        here = rest[-1] if len(rest) > len(slots) else None
        if isinstance(here, KnownValue) and isinstance(here.value, tuple):
            self.origin = Origin(here.value[1])
        self.choose(subjects, choice.clauses, slots, here, last=True,
                    kind=choice.kind, own=choice.own, end=choice.end)  # fmt: skip


def undecided(
    patterns: Sequence[k.CorePattern], subjects: Sequence[Knowledge]
) -> tuple[Path, OneOfTwo] | None:
    """Where patterns ask which of two values something is."""
    found = (one for number, (pattern, subject) in enumerate(zip(patterns, subjects, strict=True))
             for one in _undecided(pattern, subject, (number,)))  # fmt: skip
    return next(found, None)


def _undecided(
    pattern: k.CorePattern, one: Knowledge, path: Path
) -> Iterator[tuple[Path, OneOfTwo]]:
    while isinstance(pattern, k.Named):
        pattern = pattern.inner
    if isinstance(pattern, k.Bind):
        return
    match one:
        case OneOfTwo():
            yield path, one
        case MadeValue(tag, fields) if isinstance(pattern, k.Shape) and pattern.tag == tag:
            for number, (within, field) in enumerate(zip(pattern.fields, fields, strict=True)):
                yield from _undecided(within, field, (*path, number))


def put_at(subjects: Sequence[Knowledge], path: Path, new: Knowledge) -> list[Knowledge]:
    """Subjects with another value in some place of one of them."""
    return [_put(one, path[1:], new) if number == path[0] else one
            for number, one in enumerate(subjects)]  # fmt: skip


def _opened(
    pattern: k.CorePattern, one: Knowledge, path: Path, layout: ValueLayout
) -> Iterator[Opened]:
    """The values that a pattern opens and that only the run knows."""
    shape = shape_of(pattern)
    match one:
        case RunValue():
            inner = opens_value(pattern, layout)
            if shape is not None and inner is not None:
                yield path, one, shape, inner
        case MadeValue(tag, fields) if shape is not None and shape.tag == tag:
            for number, (within, field) in enumerate(zip(shape.fields, fields, strict=True)):
                yield from _opened(within, field, (*path, number), layout)


def _put(one: Knowledge, path: Path, new: Knowledge) -> Knowledge:
    """A value with another one in some place of it."""
    if not path:
        return new
    assert isinstance(one, MadeValue)
    fields = [*one.fields]
    fields[path[0]] = _put(fields[path[0]], path[1:], new)
    return MadeValue(one.tag, tuple(fields))


def left_of_choice(
    clauses: Sequence[k.CoreClause], slots: Slots, kind: Type, *, own: bool, end: str
) -> LeftOfChoice:
    """What is left of a choice from its first clause on."""
    used = tuple(slot for slot in free_slots(tuple(clauses)) if slot in slots)
    return LeftOfChoice(tuple(clauses), own, kind, used, end)
