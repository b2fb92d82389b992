"""The numbers of variables: those of a function anew for each clause, or others throughout."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from msgspec.structs import replace

from embrix.brix import core as k


@k.once_each
def renumbered(function: k.Function) -> k.Function:
    """The function with the variables of each clause numbered from the same number on: no two
    clauses are at work at once, and small frames make deep recursion cheap."""
    first = max(function.slots, default=-1) + 1
    clauses = []
    for clause in function.clauses:
        bound = dict.fromkeys(bound_slots(clause))
        mapping = {slot: first + number for number, slot in enumerate(bound)}
        clauses.append(moved(clause, mapping))
    return replace(function, clauses=tuple(clauses))


@k.once_each
def slots_inside(function: k.Function) -> tuple[int, ...]:
    """The variables that something in a function binds, in some fixed order."""
    return tuple(_bound(k.parts_inside(function)))


def bound_slots(node: object) -> list[int]:
    """The variables that something binds, in some fixed order."""
    return _bound(k.parts_of(node))


def _bound(parts: Iterable[Any]) -> list[int]:
    found: list[int] = []
    for part in parts:
        match part:
            case k.Bind(int() as slot) | k.Named(_, slot):
                found.append(slot)
            case k.Match() | k.Lambda():
                found += part.slots
            case k.Knot():
                found.append(part.slot)
    return found


def moved(node: Any, mapping: Mapping[int, int]) -> Any:
    """An expression, pattern or clause with other numbers for its variables."""
    kind = type(node)
    if kind is tuple:
        return tuple([moved(part, mapping) for part in node])
    if kind is k.Local:
        return k.Local(mapping.get(node.slot, node.slot))
    if kind is k.Bind:
        return node if node.slot is None else k.Bind(mapping.get(node.slot, node.slot))
    fields = _FIELDS.get(kind)
    if fields is None:
        return node
    made: list[Any] = []
    for name, what in fields:
        value = getattr(node, name)
        if what == "inside":
            value = moved(value, mapping)
        elif what == "slots":
            value = tuple([mapping.get(slot, slot) for slot in value])
        elif what == "slot":
            value = mapping.get(value, value)
        made.append(value)
    return kind(*made)


def _what(kind: type, name: str) -> str:
    """What a field of a part holds: other parts, variables, one variable, or anything else."""
    if name in k.INSIDE[kind]:
        return "inside"
    bound = name == "slot" and kind in (k.Knot, k.Named)
    return "slots" if name == "slots" else "slot" if bound else ""


_HELD = {kind: tuple((one, _what(kind, one)) for one in kind.__struct_fields__) for kind in k.PARTS}
_FIELDS: dict[type, tuple[tuple[str, str], ...]] = {
    kind: fields for kind, fields in _HELD.items() if any(what for _, what in fields)
}
"""Of each kind of part that holds parts or variables, what its fields hold."""
