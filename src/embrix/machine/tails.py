"""Which calls in tail position are carried out by bouncing: the function returns, and whoever
called it first makes the next call. So loops of several functions run in constant memory.

A call of a function to itself becomes a jump. A call to another function bounces when that one can
come back by tail calls alone. Functions that are values stand together as one node: nobody knows
which of them is called.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from embrix.brix import core as k

VALUES = " values"
"""The node of all functions that are values."""


class Tails:
    """The tail calls of all functions of a definition."""

    def __init__(self, functions: Mapping[str, k.Function]) -> None:
        self.edges: dict[str, set[str]] = {VALUES: set()}
        for name, function in functions.items():
            own = self.edges.setdefault(name, set())
            bodies = [clause.body for clause in function.clauses]
            if function.body is not None:
                bodies.append(function.body)
            for body in bodies:
                own |= set(called_last(body))
            for part in k.parts_inside(function):
                if isinstance(part, k.Lambda):
                    self.edges[VALUES] |= set(called_last(part.body))
        self._reach = {name: self._reached(name) for name in self.edges}
        self.bouncing = self._bouncing()

    def bounces(self, caller: str, callee: str) -> bool:
        """Whether a tail call from one node to another is a bounce."""
        return caller in self._reach.get(callee, ())

    def comes_to(self, name: str, others: set[str]) -> bool:
        """Whether tail calls alone lead from one node to one of the others."""
        return bool(self._reach.get(name, set()) & others)

    def _reached(self, name: str) -> set[str]:
        seen: set[str] = set()
        pending = list(self.edges[name])
        while pending:
            other = pending.pop()
            if other not in seen:
                seen.add(other)
                pending += self.edges.get(other, ())
        return seen

    def _bouncing(self) -> set[str]:
        """The nodes whose calls may come back with a bounce instead of a result."""
        found = {
            name
            for name, called in self.edges.items()
            if any(self.bounces(name, c) and (c != name or name == VALUES) for c in called)
        }
        changed = True
        while changed:
            more = {n for n, called in self.edges.items() if n not in found and called & found}
            found |= more
            changed = bool(more)
        return found


def called_last(body: k.Core) -> Iterator[str]:
    """The functions called in tail position."""
    pending: list[k.Core] = [body]
    while pending:
        node = pending.pop()
        match node:
            case k.Call(name, _):
                yield name
            case k.CallValue():
                yield VALUES
            case k.Test(_, yes, no):
                pending += [yes, no]
            case k.Match():
                pending += [clause.body for clause in node.clauses]
            case k.Emit(_, then) | k.Knot(_, _, _, then):
                pending.append(then)
