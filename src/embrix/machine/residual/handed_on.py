"""Whether a clause only hands on the pieces of the program that a value was made with. Then what
the clause calls is done inside the value, where they are known; else all that is left of the clause
is."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from embrix.brix import core as k
from embrix.machine.residual.value_layout import ValueLayout


def shape_of(pattern: k.CorePattern) -> k.Shape | None:
    """The constructor that a pattern takes apart."""
    while isinstance(pattern, k.Named | k.Among):
        pattern = pattern.inner
    return pattern if isinstance(pattern, k.Shape) else None


def opens_value(pattern: k.CorePattern, layout: ValueLayout) -> k.Shape | None:
    """The first pattern, in another or the whole of it, that takes apart what holds pieces of the
    program."""
    shape = shape_of(pattern)
    if shape is None or shape.tag in layout.shaped:
        return shape
    inside = (opens_value(one, layout) for one in shape.fields)
    return next((one for one in inside if one is not None), None)


def hands_on(
    clause: k.CoreClause, opened: k.Shape, layout: ValueLayout,
    functions: Mapping[str, k.Function],
) -> bool:  # fmt: skip
    """Whether a clause, whose pattern opens a value, hands on its pieces and no more."""
    free = layout.free_fields(opened.tag)
    pieces = [one for number, one in enumerate(opened.fields) if number not in free]
    if not all(isinstance(one, k.Bind) for one in pieces):
        return False
    slots = {one.slot for one in pieces if isinstance(one, k.Bind) and one.slot is not None}
    if not slots:
        return True
    asking = _HandedOn(frozenset(slots), layout, functions)
    return all(map(asking.holds, filter(None, (clause.guard, clause.body))))


class _HandedOn:
    """The question for some variables that hold pieces."""

    def __init__(
        self, slots: frozenset[int], layout: ValueLayout, functions: Mapping[str, k.Function]
    ) -> None:
        self.slots, self.layout, self.functions = slots, layout, functions

    def holds(self, node: Any) -> bool:
        """Whether an expression uses the variables in arguments of calls alone."""
        match node:
            case k.Fail() | k.Todo():
                return True  # for the interpreter, whatever is in it
            case k.Local(slot):
                return slot not in self.slots
            case k.Call(name, args):
                if self.layout.is_piece(self.functions[name].result):
                    return not self._uses(args)
                return all(map(self._argument, args))
            case k.Lambda():
                return not self._uses(node)
            case k.Match(_, _, clauses) if any(map(self._opens_another, clauses)):
                return not self._uses(node)
        return all(map(self.holds, _children(node)))

    def _argument(self, node: Any) -> bool:
        match node:
            case k.Local() | None:
                return True
            case k.BuildList(items, rest):
                return all(map(self._argument, (*items, rest)))
            case k.BuildTuple(items):
                return all(map(self._argument, items))
            case k.Optional(inner):
                return self._argument(inner)
            case k.Extend(environment, key, value):
                return all(map(self._argument, (environment, key))) and self.holds(value)
        return self.holds(node)

    def _opens_another(self, clause: k.CoreClause) -> bool:
        """Whether what follows opens another value, so that there may be pieces of two."""
        return any(opens_value(one, self.layout) for one in clause.patterns)

    def _uses(self, node: Any) -> bool:
        return any(isinstance(one, k.Local) and one.slot in self.slots for one in k.parts_of(node))


def _children(node: Any) -> Iterator[Any]:
    """What stands directly inside a part of an expression."""
    if isinstance(node, tuple):
        yield from node
        return
    for name in k.INSIDE.get(type(node), ()):
        yield getattr(node, name)
