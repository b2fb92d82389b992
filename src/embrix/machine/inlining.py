"""The pass that writes small functions out where they are called. They never come back to
themselves; what they do, and what is counted of them, is the same."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from embrix.brix import core as k
from embrix.machine.numbering import moved, slots_inside
from embrix.machine.planned import Inlined, changed_clause, with_parts

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
            parts = k.parts_inside(function)
            self._sizes[name] = len(parts)
            self._edges[name] = {part.function for part in parts if type(part) in _CALLING}
            kinds = k.kinds_inside(function)
            if not kinds.isdisjoint(_HELD) or function.judgement is not None or function.finals:
                self._kept.add(name)
            if k.CallValue in kinds or k.Loop in kinds:
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


_CALLING = {k.Call, k.Repeat, k.StepList}
"""What names a function that it calls."""
_HELD = {
    k.Lambda, k.CallValue, k.Knot, k.Attempt, k.Ask, k.TakeWay, k.Loop, k.Repeat, k.StepList,
    k.Emit,
}  # fmt: skip
"""What keeps a function as it is: it has an inside of its own, or is told of in its order."""


class Inlining:
    """The pass over the functions of one interpreter."""

    def __init__(
        self, functions: Mapping[str, k.Function], calls: Calls, *, last: bool, deepest: int
    ) -> None:
        """`last` says whether calls in tail position are written out as well; `deepest`, how far
        functions are written out inside each other, 0 for not at all."""
        self._functions = functions
        self._calls = calls
        self._last = last
        self._deepest = deepest
        self._variables: dict[str, tuple[int, ...]] = {}

    def clause(self, clause: k.CoreClause, last: bool, first: int) -> k.CoreClause:
        """A clause with small functions written out; their variables are numbered from `first`."""
        if not self._deepest:
            return clause
        return changed_clause(clause, _Place(self, first, first, 0).change, last)

    def expression(self, node: Any, last: bool, first: int) -> Any:
        if not self._deepest:
            return node
        return _Place(self, first, first, 0).change(node, last)

    def written_out(self, name: str, depth: int, last: bool) -> bool:
        """Whether a call is written out, so deep inside others, and perhaps in tail position."""
        fits = depth < self._deepest and self._calls.written_out(name)
        return fits and (self._last or not last)

    def inside(self, name: str, mapping: Mapping[int, int]) -> Any:
        """The body of a function with other numbers for its variables; clauses as a `match`."""
        callee = self._functions[name]
        if callee.body is not None:
            return moved(callee.body, mapping)
        chosen = tuple(mapping[callee.slots[number]] for number in callee.subjects)
        subjects = tuple(k.Local(slot) for slot in chosen)
        return k.Match(subjects, chosen, moved(callee.clauses, mapping), callee.span)

    def opened(self, node: k.Call, args: tuple[Any, ...], first: int) -> tuple[Inlined, int]:
        """A call with the body of its function, numbered from `first` on; the body is as it stands
        in the definition. Also the first number that is free then."""
        callee = self._functions[node.function]
        mapping = self.room(node.function, first)
        slots = tuple(mapping[slot] for slot in callee.slots)
        here = slots[callee.subject] if callee.subject is not None else None
        body = self.inside(node.function, mapping)
        return Inlined(node.function, slots, args, body, here), first + len(mapping)

    def room(self, name: str, first: int) -> dict[int, int]:
        """Numbers from `first` on for all variables of a function."""
        if name not in self._variables:
            target = self._functions[name]
            self._variables[name] = tuple(dict.fromkeys([*target.slots, *slots_inside(target)]))
        return {slot: first + number for number, slot in enumerate(self._variables[name])}


class _Place:
    """Where the pass is: from which number on variables are free, and how deep inside."""

    def __init__(self, inlining: Inlining, base: int, first: int, depth: int) -> None:
        self._inlining, self._base, self._first, self._depth = inlining, base, first, depth

    def change(self, node: Any, last: bool) -> Any:
        kind = type(node)
        if kind is k.Call and self._inlining.written_out(node.function, self._depth, last):
            args = tuple(self.change(arg, False) for arg in node.args)
            made, free = self._inlining.opened(node, args, self._first)
            inner = _Place(self._inlining, self._base, free, self._depth + 1)
            body = inner.change(made.body, last)
            return Inlined(made.function, made.slots, args, body, made.here)
        if kind is k.Lambda and (self._first != self._base or self._depth):
            return _Place(self._inlining, self._base, self._base, 0).change(node, last)
        return with_parts(node, self.change, last)
