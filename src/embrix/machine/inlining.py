"""Which calls are written out where they stand, and how: small functions that never come back to
themselves. What they do, and what is counted of them, is the same."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import fields, replace
from functools import lru_cache
from typing import Any

from embrix.brix import core as k

LARGEST = 70
"""Parts of a function that is written out."""
DEEPEST = 4
"""How far functions are written out inside each other."""


class Calls:
    """The calls among the functions of a definition."""

    def __init__(self, functions: Mapping[str, k.Function], main: str) -> None:
        self._edges: dict[str, set[str]] = {}
        self._sizes: dict[str, int] = {}
        self._kept: set[str] = {main}
        for name, function in functions.items():
            parts = list(k.parts_of(function.inside))
            self._sizes[name] = len(parts)
            self._edges[name] = {
                part.function for part in parts
                if isinstance(part, k.Call | k.Repeat | k.StepList)
            }  # fmt: skip
            held = any(isinstance(part, _HELD) for part in parts)
            if held or function.judgement is not None or function.finals:
                self._kept.add(name)
            if any(isinstance(part, k.CallValue | k.Loop) for part in parts):
                self._edges[name].add(name)  # nobody knows what it comes back to
        around = {name for name in self._kept if self._comes_back(name, set())}
        """Functions that stay as they are, and come back to themselves: each call uses fuel."""
        alone = {name for name in self._edges if self._comes_back(name, around - {name})}
        self.recursive = around | alone

    def _comes_back(self, name: str, closed: set[str]) -> bool:
        """Whether a function calls itself, perhaps through others that are not closed."""
        seen: set[str] = set(closed)
        pending = list(self._edges[name])
        while pending:
            other = pending.pop()
            if other == name:
                return True
            if other not in seen:
                seen.add(other)
                pending += self._edges.get(other, ())
        return False

    def written_out(self, name: str) -> bool:
        """Whether calls of a function are written out."""
        return (
            name not in self._kept and name not in self.recursive and self._sizes[name] <= LARGEST
        )


_HELD = (k.Lambda, k.CallValue, k.Knot, k.Attempt, k.Ask, k.Loop, k.Repeat, k.StepList, k.Emit)
"""What keeps a function as it is: it has an inside of its own, or is told of in its order."""


def only_decided(function: k.Function, decided: Callable[[str], str]) -> k.Function:
    """The function without the branches that other decisions of its choices would take."""

    def kept(node: Any) -> Any:
        if isinstance(node, tuple):
            return tuple(kept(part) for part in node)
        if isinstance(node, k.Test) and isinstance(node.test, k.Decided):
            chosen = decided(node.test.choice) == node.test.alternative
            return kept(node.yes if chosen else node.no)
        if not isinstance(node, k.PARTS):
            return node
        parts = {one.name: getattr(node, one.name) for one in fields(node)}
        made = {name: kept(part) for name, part in parts.items() if name not in _PLAIN}
        changed = {name: part for name, part in made.items() if part is not parts[name]}
        return replace(node, **changed) if changed else node

    if not any(isinstance(part, k.Decided) for part in k.parts_of(function.inside)):
        return function
    return replace(function, body=kept(function.body), clauses=kept(function.clauses),
                   finals=kept(function.finals))  # fmt: skip


_PLAIN = ("constructor", "error", "type", "span")


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
    for one in fields(node):
        value = getattr(node, one.name)
        if one.name == "slots" or (one.name == "slot" and isinstance(node, k.Knot)):
            slots = value if isinstance(value, tuple) else (value,)
            changed = tuple(mapping.get(slot, slot) for slot in slots)
            made[one.name] = changed if isinstance(value, tuple) else changed[0]
        elif one.name not in _PLAIN:
            made[one.name] = moved(value, mapping)
    return replace(node, **made)
