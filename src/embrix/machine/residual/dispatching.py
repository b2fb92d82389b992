"""The shapes of values in residual programs, and what is done with a value whatever shape it has: a
method for each shape (defunctionalisation, Reynolds 1972)."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import Any

from embrix.brix import core as k
from embrix.machine.residual.knowledge import (
    Abstraction,
    Frame,
    Knowledge,
    KnownNames,
    LaterParts,
    MadeValue,
    NotResidual,
    RunValue,
    list_parts,
)
from embrix.machine.residual.splitting import Lower, Parts, Splitting
from embrix.machine.residual.statements import (
    Atom,
    Dispatch,
    LeftOfChoice,
    Origin,
    Residual,
    ValueShape,
)
from embrix.terms.node import CONS
from embrix.terms.types import Fn, Type, show_type


def function_tag(arity: int) -> int:
    """What stands for the constructor of functions of the notation with so many parameters."""
    return -1 - arity


class Dispatching(Splitting):
    """The shapes of values and their methods."""

    functions: dict[str, k.Function]

    def __init__(self) -> None:
        super().__init__()
        self.later = LaterParts()
        self.shapes: dict[Any, ValueShape] = {}
        self.dispatches: dict[Any, Dispatch] = {}
        self.pending: list[Callable[[], None]] = []

    longest: int
    """The most items of a list whose items hold pieces of the program."""

    def limit(self, one: Knowledge) -> None:
        """Raises `NotResidual` for a list that may grow without end."""
        items = list_parts(one) if isinstance(one, MadeValue) and one.tag == CONS else None
        if items is not None and len(items) > self.longest and any(
            isinstance(item, MadeValue) and item.tag in self.layout.shaped for item in items
        ):  # fmt: skip
            raise NotResidual("a list of values with pieces of the program grows")

    @abstractmethod
    def new(
        self, key: Any, name: str, params: Sequence[RunValue], called: Sequence[str],
        origin: Origin,
    ) -> Residual: ...  # fmt: skip

    @abstractmethod
    def written(self, one: Residual, args: Sequence[Knowledge]) -> None: ...

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
            if self.later.of(field) or not self.is_known(field):
                raise NotResidual("a value holds a piece of the program that is not known")
            self.limit(field)
            split[number] = self.split(field, types[number], lower, deep=True)
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

    def inside(
        self, tag: int, function: str, left: LeftOfChoice, args: Sequence[Knowledge],
        kinds: Sequence[Type | None], lower: Lower,
    ) -> tuple[Dispatch, list[Atom]]:  # fmt: skip
        """A choice that is made inside a value: of its subjects, which are followed by what else
        it needs."""
        split = [self.split(a, t, lower, deep=True) for a, t in zip(args, kinds, strict=True)]
        key = ("inside", self.identity(left.clauses[0]), left.end, tag,
               *(key for key, _, _ in split))  # fmt: skip
        atoms = [atom for _, found, _ in split for atom in found]
        builds = [build for _, _, build in split]

        def made(parts: Parts, fields: Sequence[Knowledge]) -> list[Knowledge]:
            return [build(parts, fields) for build in builds]

        handed = tuple((kind, called) for _, kind, called in atoms)
        found = self._dispatch(key, function, tag, made, handed, left.kind)
        found.left = left
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
