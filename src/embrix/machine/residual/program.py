"""A residual program on its way: its functions, the shapes of its values, what is dispatched."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import Any, TypeAlias

from embrix.brix import core as k
from embrix.machine.decided import only_decided
from embrix.machine.residual.knowledge import (
    Abstraction,
    Frame,
    KnotFrame,
    Knowledge,
    KnownNames,
    KnownValue,
    Later,
    LaterParts,
    MadeValue,
    NotResidual,
    RunValue,
)
from embrix.machine.residual.statements import Atom, Dispatch, Origin, Residual, ValueShape
from embrix.machine.residual.value_layout import ValueLayout, of_name
from embrix.machine.unit import Unit
from embrix.terms.node import CONS, NIL, SOME, TUPLE, Node
from embrix.terms.types import Con, Fn, Tup, Type, settle, show_type

Parts: TypeAlias = Iterator[Knowledge]
Build: TypeAlias = Callable[[Parts, Sequence[Knowledge]], Knowledge]
"""Puts what is known together again, of the parts that only the run knows, and of the fields of a
value where something is a part of one."""
Lower: TypeAlias = Callable[[Knowledge], Atom]
Handed: TypeAlias = tuple[Atom, Type | None, str]
"""What only the run knows of a value, its type, and what it is called in the program."""


def function_tag(arity: int) -> int:
    """What stands for the constructor of functions of the notation with so many parameters."""
    return -1 - arity


MOST_FUNCTIONS, MOST_NAMES = 500, 200
"""Functions of a residual program, and names in an environment."""


class _Interpreted:
    """What rests on the interpreter alone."""

    def __init__(self, interpreter: k.Interpreter) -> None:
        unit = Unit(interpreter, "plain")
        self.layout = ValueLayout(interpreter)
        self.recursive = unit.calls.recursive
        self.functions = {
            name: only_decided(one, unit.decided) for name, one in interpreter.functions.items()
        }
        # No way back to the interpreter, which would then never be forgotten.
        self.decided = {name: unit.decided(name) for name in interpreter.choices}

    @staticmethod
    def of(interpreter: k.Interpreter) -> _Interpreted:
        return _interpreted(interpreter)


@k.once_each
def _interpreted(interpreter: k.Interpreter) -> _Interpreted:
    return _Interpreted(interpreter)


class Program:
    """What is found while an interpreter is specialised to a program."""

    def __init__(
        self,
        interpreter: k.Interpreter,
        term: Node,
        write: Callable[[Program, Residual, Sequence[Knowledge]], None],
        most: int,
    ) -> None:
        """`most`: the most statements that it may have."""
        self._write = write
        self.most = most
        self.interpreter = interpreter
        self.term = term
        known = _Interpreted.of(interpreter)
        self.layout = known.layout
        self.recursive = known.recursive
        """The functions whose calls count."""
        self.functions = known.functions
        self.decided = known.decided
        self.later = LaterParts()
        self.residuals: dict[Any, Residual] = {}
        self.shapes: dict[Any, ValueShape] = {}
        self.dispatches: dict[Any, Dispatch] = {}
        self.pending: list[Callable[[], None]] = []
        self.statements = 0
        self.called: dict[int, str] = {}
        """By the identity of a term the name of the function whose body it is."""
        self._terms: dict[Any, KnownValue] = {}
        self._kept: list[Any] = []
        """What is remembered by its identity stays alive."""

    # ---------------------------------------------------------------- taking apart

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
            case KnownValue(tuple() as value) if deep and value[0] == NIL:
                return ("none",), [], lambda parts, fields: one
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
            case KnownNames():
                return self._split_names(one, kind, lower, deep)
        return ("any",), [(lower(one), kind, "")], lambda parts, fields: next(parts)

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

    def term_of(self, tag: int, here: Knowledge | None, fields: Sequence[Knowledge]) -> KnownValue:
        """A term that is made of known pieces: the same one for the same pieces."""
        parts = [*([here] if here is not None else []), *fields]
        if not all(isinstance(one, KnownValue) for one in parts):
            raise NotResidual("terms are made while the program runs")
        known = [one.value for one in fields if isinstance(one, KnownValue)]
        place = here.value[1] if isinstance(here, KnownValue) else None
        key = (tag, place, *(self.identity(one) if isinstance(one, tuple) else (type(one), one)
                             for one in known))  # fmt: skip
        if key not in self._terms:
            self._terms[key] = KnownValue((tag, place, *known), True)
        return self._terms[key]

    # ---------------------------------------------------------------- what there is

    def residual(
        self, name: str, args: Sequence[Knowledge], lower: Lower, origin: Origin
    ) -> tuple[Residual, list[Atom]]:
        """The residual function for a function of the interpreter and what is known of its
        arguments; what it is called with."""
        function = self.functions[name]
        split = [self.split(a, t, lower) for a, t in zip(args, function.types, strict=True)]
        key = (name, *(key for key, _, _ in split))
        atoms = [atom for _, found, _ in split for atom in found]
        known = self.residuals.get(key)
        if known is None:
            params = [RunValue(f"p{number}", kind) for number, (_, kind, _) in enumerate(atoms)]
            parts: Parts = iter(params)
            made = tuple(build(parts, ()) for _, _, build in split)
            known = self.new(key, name, params, [called for _, _, called in atoms], origin)
            self.pending.append(partial(self.written, known, made))
            known.about = made
        return known, [atom for atom, _, _ in atoms]

    def new(
        self,
        key: Any,
        name: str,
        params: Sequence[RunValue],
        called: Sequence[str],
        origin: Origin,
    ) -> Residual:
        """A function that has still to be written. Raises `NotResidual` if there are too many."""
        if len(self.residuals) >= MOST_FUNCTIONS:
            raise NotResidual(f"more than {MOST_FUNCTIONS:,} functions")
        names = tuple(str(one.atom) for one in params)
        made = Residual(len(self.residuals), name, names, origin=origin)
        made.names |= {param: one for param, one in zip(names, called, strict=True) if one}
        made.stores |= {str(one.atom) for one in params if of_name(one.type, "Store")}
        self.residuals[key] = made
        return made

    def written(self, one: Residual, args: Sequence[Knowledge]) -> None:
        """Write the body of a function, if nobody has."""
        if one.state == "new":
            one.state = "open"
            self._write(self, one, args)
            one.state = "written"

    def shape(self, made: MadeValue, lower: Lower) -> tuple[ValueShape, list[Atom]]:
        """The shape of a value that is made, and its parts."""
        layout = self.layout
        types = layout.constructors[made.tag].types
        free = layout.free_fields(made.tag)
        order = [*free, *(n for n in range(len(types)) if n not in free)]
        split: dict[int, Any] = {}
        for number in order:
            field = made.fields[number]
            if number in free:
                split[number] = (("any",), [(lower(field), types[number], "")],
                                 lambda parts, fields: next(parts))  # fmt: skip
                continue
            if self.later.of(field):
                raise NotResidual("a value holds a piece of the program that is not known")
            split[number] = self.split(field, types[number], lower, deep=True)
            if not isinstance(field, KnownNames) and split[number][1]:
                raise NotResidual("a value holds a piece of the program that is not known")
        key = (made.tag, *(split[number][0] for number in order))
        atoms = [atom for number in order for atom in split[number][1]]

        def build(parts: Parts) -> list[Knowledge]:
            found = {number: split[number][2](parts, ()) for number in order}
            return [found[number] for number in range(len(types))]

        kinds = [(kind, called) for _, kind, called in atoms]
        return self._shape(made.tag, key, build, kinds), [atom for atom, _, _ in atoms]

    def function_shape(
        self, one: Abstraction, lower: Lower, type_of: Callable[[Knowledge], Type | None]
    ) -> tuple[ValueShape, list[Atom]]:
        """The shape of a function of the notation that is made, and its parts."""
        slots, node = [*one.captured], one.node
        held = [*one.captured.values(), *([one.here] if one.here is not None else [])]
        if any(map(self.later.of, held)):
            raise NotResidual("a function holds a piece of the program that is not known")
        split = [self.split(part, type_of(part), lower, deep=True) for part in held]
        tag = function_tag(len(node.slots))
        key = (tag, self.identity(node), one.here is None, *(key for key, _, _ in split))
        atoms = [atom for _, found, _ in split for atom in found]

        def build(parts: Parts) -> list[Knowledge]:
            made = [build(parts, ()) for _, _, build in split]
            here = made.pop() if len(made) > len(slots) else None
            return [Abstraction(node, dict(zip(slots, made, strict=True)), here, one.origin)]

        kinds = [(kind, called) for _, kind, called in atoms]
        return self._shape(tag, key, build, kinds), [atom for atom, _, _ in atoms]

    def _shape(
        self, tag: int, key: tuple[Any, ...], build: Callable[[Parts], list[Knowledge]],
        kinds: list[tuple[Type | None, str]],
    ) -> ValueShape:  # fmt: skip
        known = self.shapes.get(key)
        if known is None:
            known = ValueShape(len(self.shapes), tag, key, (build, kinds))
            self.shapes[key] = known
            for dispatch in [*self.dispatches.values()]:
                self._method(dispatch, known)
        return known

    def applying(
        self, kind: Fn, args: Sequence[Knowledge], lower: Lower
    ) -> tuple[Dispatch, list[Atom]]:
        """A function of the notation that only the run knows, called."""
        tag = function_tag(len(args))
        split = [self.split(a, t, lower, deep=True) for a, t in zip(args, kind.params, strict=True)]
        key = ("function", show_type(kind), *(key for key, _, _ in split))
        atoms = [atom for _, found, _ in split for atom in found]
        builds = [build for _, _, build in split]

        def made(parts: Parts, fields: Sequence[Knowledge]) -> list[Knowledge]:
            return [*fields, *(build(parts, ()) for build in builds)]

        kinds = tuple((kind, called) for _, kind, called in atoms)
        found = self._dispatch(key, "fn", tag, made, kinds, kind.result)
        return found, [atom for atom, _, _ in atoms]

    def dispatch(
        self, name: str, args: Sequence[Knowledge], tag: int, lower: Lower
    ) -> tuple[Dispatch, list[Atom]]:
        """A function applied to parts of a value, whatever shape that has."""
        types = self.functions[name].types
        split = [self.split(a, t, lower, deep=True) for a, t in zip(args, types, strict=True)]
        key = (name, tag, *(key for key, _, _ in split))
        atoms = [atom for _, found, _ in split for atom in found]
        builds = [build for _, _, build in split]

        def made(parts: Parts, fields: Sequence[Knowledge]) -> list[Knowledge]:
            return [build(parts, fields) for build in builds]

        kinds = tuple((kind, called) for _, kind, called in atoms)
        found = self._dispatch(key, name, tag, made, kinds, self.functions[name].result)
        return found, [atom for atom, _, _ in atoms]

    def _dispatch(
        self, key: tuple[Any, ...], name: str, tag: int,
        made: Callable[[Parts, Sequence[Knowledge]], list[Knowledge]],
        kinds: tuple[tuple[Type | None, str], ...], result: Type,
    ) -> Dispatch:  # fmt: skip
        known = self.dispatches.get(key)
        if known is None:
            known = Dispatch(len(self.dispatches), name, tag, made, kinds, result=result)
            self.dispatches[key] = known
            for shape in [*self.shapes.values()]:
                self._method(known, shape)
        return known

    def _method(self, dispatch: Dispatch, shape: ValueShape) -> None:
        if dispatch.tag != shape.tag:
            return
        build, kinds = shape.build
        own = [RunValue(f"p{number}", kind) for number, (kind, _) in enumerate(kinds)]
        handed = [
            RunValue(f"p{number}", kind)
            for number, (kind, _) in enumerate(dispatch.args_types, len(own))
        ]
        key = ("method", dispatch.number, shape.number)
        called = [name for _, name in (*kinds, *dispatch.args_types)]
        method = self.new(key, dispatch.function, (*own, *handed), called, Origin())
        method.own, method.method_of, method.result = len(own), dispatch, dispatch.result
        shape.methods[dispatch.number] = method
        dispatch.methods.append(method)
        method.shape = shape.number
        args = dispatch.args(iter(handed), build(iter(own)))
        method.about = args
        method.names |= {name: called for one in args for name, called in _names_in(one)}
        self.pending.append(partial(self.written, method, args))


def _names_in(one: Knowledge) -> Iterator[tuple[str, str]]:
    """The variables in an environment, and what they are called there."""
    if isinstance(one, KnownNames):
        for frame in one.frames:
            if isinstance(frame, Frame) and isinstance(frame.value, RunValue):
                yield str(frame.value.atom), str(frame.name)


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
