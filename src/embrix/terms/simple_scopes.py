"""Free names and substitution where scopes are simple, as they nearly always are: no form says
anything about the elements of a list that it holds, or of what follows it in a list, and what is
put in has no free names, so that no binder can capture anything. Several times faster than the
general way (`binding.py`), with the same result, the same sharing and the same work told.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeAlias

from embrix.terms.node import FIELDS, Constructor, Value, list_items

Meter: TypeAlias = Callable[[int], None]
"""Told of work every so many nodes; it may raise to end the walk."""

STRIDE = 256
"""Nodes between two calls of a meter."""

Scopes: TypeAlias = dict[int, tuple[tuple[int, ...], ...]]
"""By tag, for forms that bind: for each field those that hold names bound in it."""

_NO_NAMES: frozenset[str] = frozenset()


def simple_scopes(forms: tuple[Constructor, ...]) -> Scopes | None:
    """The scopes of forms, if all are simple."""
    found: Scopes = {}
    for form in forms:
        bound: list[list[int]] = [[] for _ in form.fields]
        for bind in form.binds:
            if bind.rest or any(spot.inner for spot in (*bind.names, *bind.scopes)):
                return None
            for spot in bind.scopes:
                bound[spot.field] += [name.field for name in bind.names]
        if any(bound):
            found[form.tag] = tuple(map(tuple, bound))
    return found


def free_where_simple(
    scopes: Scopes, uses: dict[int, tuple[int, ...]], term: Value, meter: Meter
) -> frozenset[str]:
    """The names that occur free in a term; `uses` has the fields of forms that name something."""
    return _FreeNames(scopes, uses, meter).of(term, 0)


DEEPEST = 150
"""Levels of a term that are walked by calls of Python; what is deeper has a stack of its own."""


class _FreeNames:
    """The free names of the nodes of a term, each worked out once."""

    __slots__ = ("done", "known", "meter", "scopes", "uses")

    def __init__(self, scopes: Scopes, uses: dict[int, tuple[int, ...]], meter: Meter) -> None:
        self.scopes = scopes
        self.uses = uses
        self.meter = meter
        self.known: dict[int, frozenset[str]] = {}
        self.done = 0

    def of(self, node: Any, depth: int) -> frozenset[str]:
        """The free names of a node, its parts first."""
        if depth == DEEPEST:
            return self._deep(node)
        known = self.known
        tag = node[0]
        bound = self.scopes.get(tag)
        names = _NO_NAMES
        for index, child in enumerate(node[FIELDS:]):
            if type(child) is tuple:
                inner = known.get(id(child))
                if inner is None:
                    inner = self.of(child, depth + 1)
                if inner:
                    if bound is not None and bound[index]:
                        held = (_names(node[FIELDS + at]) for at in bound[index])
                        inner = inner.difference(*held)
                    names = names | inner if names else inner
        used = self.uses.get(tag)
        if used is not None:
            names = names.union(
                [node[FIELDS + at] for at in used if type(node[FIELDS + at]) is not tuple]
            )
        known[id(node)] = names
        self.done += 1
        if self.done % STRIDE == 0:
            self.meter(STRIDE)
        return names

    def _deep(self, term: Any) -> frozenset[str]:
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
                self.of(node, 0)
        return known[id(term)]


def _names(held: Value) -> tuple[str, ...]:
    """The names that a binding field holds: one, or a list of them."""
    return (held,) if isinstance(held, str) else tuple(list_items(held))


def put_closed(
    scopes: Scopes, users: dict[int, int], value: Value, name: str, term: Value, meter: Meter
) -> Value:
    """`term` with a closed `value` in place of each free `name`. `users` has the forms that are
    occurrences of a name, with the field that holds it."""
    if type(term) is not tuple:
        meter(0)
        return term
    putting = _Putting(scopes, users, value, name, meter)
    result = putting.into(term, 0)
    meter(putting.visited % STRIDE)
    return result


class _Putting:
    """A substitution on its way through a term."""

    __slots__ = ("meter", "name", "scopes", "users", "value", "visited")

    def __init__(
        self, scopes: Scopes, users: dict[int, int], value: Value, name: str, meter: Meter
    ) -> None:
        self.scopes = scopes
        self.users = users
        self.value = value
        self.name = name
        self.meter = meter
        self.visited = 0

    def into(self, node: Any, depth: int) -> Value:
        """A node with everything put in; the node itself where nothing changes."""
        if depth == DEEPEST:
            return self._deep(node)
        self._visit()
        tag = node[0]
        at = self.users.get(tag)
        if at is not None and node[at] == self.name:
            return self.value
        bound = self.scopes.get(tag)
        parts: list[Any] | None = None
        for index in range(FIELDS, len(node)):
            child = node[index]
            if type(child) is not tuple:
                continue
            if bound is not None and any(
                self.name in _names(node[FIELDS + held]) for held in bound[index - FIELDS]
            ):
                continue
            new = self.into(child, depth + 1)
            if new is not child:
                if parts is None:
                    parts = [*node]
                parts[index] = new
        return node if parts is None else tuple(parts)

    def _visit(self) -> None:
        self.visited += 1
        if self.visited % STRIDE == 0:
            self.meter(STRIDE)

    def _deep(self, term: Any) -> Value:
        """The same, by a stack of its own."""
        results: list[Value] = []
        work: list[Any] = [term]
        while work:
            node = work.pop()
            kind = type(node)
            if kind is list:
                (node,) = node
                count = len(node) - FIELDS
                parts = results[-count:]
                del results[-count:]
                same = all(new is old for new, old in zip(parts, node[FIELDS:], strict=True))
                results.append(node if same else (node[0], node[1], *parts))
                continue
            if kind is not tuple:
                results.append(node.held if kind is _Kept else node)
                continue
            self._visit()
            at = self.users.get(node[0])
            if at is not None and node[at] == self.name:
                results.append(self.value)
                continue
            if len(node) == FIELDS:
                results.append(node)
                continue
            work.append([node])
            bound = self.scopes.get(node[0])
            for index in range(len(node) - 1, FIELDS - 1, -1):
                child = node[index]
                hidden = bound is not None and any(
                    self.name in _names(node[FIELDS + held]) for held in bound[index - FIELDS]
                )
                work.append(_Kept(child) if hidden and type(child) is tuple else child)
        return results[0]


class _Kept:
    """A part in which nothing is put in."""

    __slots__ = ("held",)

    def __init__(self, held: Value) -> None:
        self.held = held
