"""Values told apart by what they hold, places aside, without holding them against each other.

Values that hold the same have the same number: that of a node is found in a table by its tag and
the numbers of its parts (hash consing: Ershov, 1958). Parts that several values share are gone
through once.
"""

from __future__ import annotations

from collections.abc import Hashable

from embrix.terms.node import FIELDS, KNOT, MAP, STORE, Node, Value

MOST_KEPT = 500_000
"""Nodes whose numbers are remembered by what object they are."""


class Fingerprints:
    """Those of the values that one search comes to."""

    def __init__(self) -> None:
        self._numbers: dict[Hashable, int] = {}
        self._known: dict[int, tuple[Value, int]] = {}
        """By the number of an object the object, which keeps its number as long as it is here."""
        self._functions: dict[int, Value] = {}

    @property
    def functions(self) -> bool:
        """Whether any value held a function."""
        return bool(self._functions)

    def of(self, value: Value) -> int:
        if len(self._known) > MOST_KEPT:
            self._known.clear()
        if not isinstance(value, tuple):
            return self._leaf(value)
        known, numbers, leaf = self._known, self._numbers, self._leaf
        stack = [value]
        while stack:
            node = stack[-1]
            if id(node) in known:
                stack.pop()
                continue
            key: list[Hashable] = [node[0]]
            waiting = len(stack)
            for part in _parts(node):
                if not isinstance(part, tuple):
                    key.append(leaf(part))
                elif (seen := known.get(id(part))) is not None:
                    key.append(seen[1])
                else:
                    stack.append(part)
            if len(stack) > waiting:
                continue  # parts have no numbers yet
            if node[0] in (STORE, MAP):
                # In no order of its own.
                key = [node[0], frozenset(zip(key[1::2], key[2::2], strict=True))]
            known[id(node)] = (node, numbers.setdefault(tuple(key), len(numbers)))
            stack.pop()
        return known[id(value)][1]

    def _leaf(self, leaf: Value) -> int:
        """That of a number, text, truth value, set or function. `true` is no number, and 2 is not
        2.0; a function is itself alone."""
        key: Hashable
        if isinstance(leaf, frozenset):
            key = frozenset(map(self.of, leaf))
        elif callable(leaf):
            self._functions[id(leaf)] = leaf  # so that no other one ever has its place
            key = (type(leaf), id(leaf))
        else:
            key = (type(leaf), repr(leaf) if isinstance(leaf, float) else leaf)
        return self._numbers.setdefault(key, len(self._numbers))


def _parts(node: Node) -> tuple[Value, ...]:
    if node[0] in (STORE, MAP):
        return tuple(part for entry in node[FIELDS].items() for part in entry)
    # How a knot fills itself in follows from what it holds.
    return node[FIELDS : FIELDS + 3] if node[0] == KNOT else node[FIELDS:]
