"""The numbers of variables: those of a function anew for each clause, or others throughout."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from msgspec.structs import replace

from embrix.brix import core as k


@lru_cache(maxsize=4_000)
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


def bound_slots(node: object) -> list[int]:
    """The variables that something binds, in some fixed order."""
    found: list[int] = []
    for part in k.parts_of(node):
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
    if isinstance(node, tuple):
        return tuple(moved(part, mapping) for part in node)
    match node:
        case k.Local(slot):
            return k.Local(mapping.get(slot, slot))
        case k.Bind(int() as slot):
            return k.Bind(mapping.get(slot, slot))
        case k.Named(inner, slot):
            return k.Named(moved(inner, mapping), mapping.get(slot, slot))
    if not isinstance(node, k.PARTS):
        return node
    made: dict[str, Any] = {}
    for one in node.__struct_fields__:
        value = getattr(node, one)
        if one == "slots" or (one == "slot" and isinstance(node, k.Knot)):
            slots = value if isinstance(value, tuple) else (value,)
            changed = tuple(mapping.get(slot, slot) for slot in slots)
            made[one] = changed if isinstance(value, tuple) else changed[0]
        elif one in k.INSIDE[type(node)]:
            made[one] = moved(value, mapping)
    return replace(node, **made)
