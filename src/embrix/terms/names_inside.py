"""Which names stand in the nodes of terms where scopes are simple, looked at once for each node.

An interpreter that substitutes puts values into the same terms again and again. What is known of a
node says at once in which parts a substitution changes nothing.
"""

from __future__ import annotations

from typing import Any

from msgspec import Struct

from embrix.terms import simple_scopes
from embrix.terms.node import FIELDS, Node, Value
from embrix.terms.signature import Signature
from embrix.terms.simple_scopes import STRIDE, Meter, names_held

_NO_NAMES: frozenset[str] = frozenset()


def unmetered(_nodes: int) -> None:
    """Work that nobody counts."""


def free_where_simple(signature: Signature, term: Node, meter: Meter) -> frozenset[str]:
    """The names that occur free in a term."""
    return NamesInside(signature, meter).of(term).free


class Inside(Struct, frozen=True, gc=False):
    """What is known of a node: the names that occur free in it, those that binders in it bind, all
    of these, and how many nodes a walk over all of it meets."""

    node: Node
    free: frozenset[str]
    bound: frozenset[str]
    names: frozenset[str]
    size: int


AHEAD, WORTH = 100_000, 4
"""Nodes that may be looked at for nothing, and how many more for each that a substitution meets."""
REMEMBERED = 5_000
"""Nodes that are remembered, at least."""


class NamesInside:
    """Which names stand in the nodes of terms, looked at once for each node.

    Kept for a whole run, it says at once in which parts of a term a substitution changes nothing.
    """

    __slots__ = ("done", "known", "met", "meter", "most", "scopes", "signature", "uses")

    def __init__(self, signature: Signature, meter: Meter = unmetered) -> None:
        assert signature.scopes is not None
        self.signature = signature
        self.scopes = signature.scopes
        self.uses = signature.uses
        self.meter = meter
        self.known: dict[int, Inside] = {}
        self.done = 0
        """Nodes that were looked at."""
        self.met = 0
        """Nodes that substitutions have met meanwhile."""
        self.most = REMEMBERED

    def begin(self) -> bool:
        """Make room before a substitution. False where looking costs more than it saves."""
        if len(self.known) > self.most:
            self.known.clear()
        return self.done <= AHEAD + WORTH * self.met

    def free(self, term: Value, meter: Meter) -> frozenset[str]:
        """The names that occur free in a term; the work told is that of looking for them anew."""
        if type(term) is not tuple:
            return _NO_NAMES
        if self.signature.walks.get(term[0]) == () and term[0] not in self.uses:
            return _NO_NAMES
        inside = self.of(term)
        if inside.size < STRIDE:
            return inside.free
        return free_where_simple(self.signature, term, meter)

    def binds(self, term: Value, names: frozenset[str]) -> bool:
        """Whether a binder in a term may bind one of some names, now or when names are renamed."""
        if not self.signature.beside.keys().isdisjoint(self.scopes):
            return True
        return type(term) is tuple and not names.isdisjoint(self.of(term).bound)

    def of(self, node: Node) -> Inside:
        """What stands in a node. More is remembered where one term alone needs so much."""
        found = self.known.get(id(node))
        if found is None:
            before = len(self.known)
            found = self._look(node, 0)
            self.most = max(self.most, 2 * (len(self.known) - before))
        return found

    def _look(self, node: Node, depth: int) -> Inside:
        """What stands in a node, its parts first."""
        if depth == simple_scopes.DEEPEST:
            return self._deep(node)
        known = self.known
        tag = node[0]
        scopes = self.scopes.get(tag)
        free = bound = _NO_NAMES
        size = 1
        for index, child in enumerate(node[FIELDS:]):
            if type(child) is tuple:
                inside = known.get(id(child))
                if inside is None:
                    inside = self._look(child, depth + 1)
                size += inside.size
                if inside.bound:
                    bound = bound | inside.bound if bound else inside.bound
                inner = inside.free
                if inner:
                    if scopes is not None and scopes[index]:
                        held = (names_held(node[FIELDS + at]) for at in scopes[index])
                        inner = inner.difference(*held)
                    free = free | inner if free else inner
        if scopes is not None:
            binders = {at for fields in scopes for at in fields}
            bound = bound.union(*(names_held(node[FIELDS + at]) for at in binders))
        used = self.uses.get(tag)
        if used is not None:
            free = free.union(
                [node[FIELDS + at] for at in used if type(node[FIELDS + at]) is not tuple]
            )
        names = free | bound if bound else free
        known[id(node)] = found = Inside(node, free, bound, names, size)
        self.done += 1
        if self.done % STRIDE == 0:
            self.meter(STRIDE)
        return found

    def _deep(self, term: Node) -> Inside:
        """The same, by a stack of its own: the parts of a node are known when it is looked at."""
        known = self.known
        stack: list[Any] = [term]
        while stack:
            node = stack[-1]
            waiting = [
                child for child in node[FIELDS:] if type(child) is tuple and id(child) not in known
            ]
            if waiting:
                stack += waiting
                continue
            stack.pop()
            if id(node) not in known:
                self._look(node, 0)
        return known[id(term)]
