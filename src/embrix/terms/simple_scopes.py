"""Free names and substitution where scopes are simple, as they nearly always are: no form says
anything about the elements of a list that it holds, or of what follows it in a list, and what is
put in has no free names, so that no binder can capture anything. Several times faster than the
general way (`binding.py`), with the same result, the same sharing and the same work told.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeAlias

from embrix.terms.node import CONS, FIELDS, Constructor, Value, list_items

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
    known: dict[int, frozenset[str]] = {}
    stack: list[Any] = [term]
    done = 0
    while stack:
        node = stack[-1]
        if id(node) in known:
            stack.pop()
            continue
        waiting = [
            child for child in node[FIELDS:] if type(child) is tuple and id(child) not in known
        ]
        if waiting:
            stack += waiting
            continue
        stack.pop()
        known[id(node)] = _free_here(scopes, uses, node, known)
        done += 1
        if done % STRIDE == 0:
            meter(STRIDE)
    return known[id(term)]


def _free_here(
    scopes: Scopes, uses: dict[int, tuple[int, ...]], node: Any, known: dict[int, frozenset[str]]
) -> frozenset[str]:
    """The free names of a node of whose children they are known."""
    bound = scopes.get(node[0])
    names = _NO_NAMES
    for index, child in enumerate(node[FIELDS:]):
        if type(child) is tuple and (inner := known[id(child)]):
            if bound is not None and bound[index]:
                inner = inner.difference(*(_names(node[FIELDS + at]) for at in bound[index]))
            names = names | inner if names else inner
    used = uses.get(node[0])
    if used is not None:
        names = names.union(
            node[FIELDS + at] for at in used if type(node[FIELDS + at]) is not tuple
        )
    return names


def _names(held: Value) -> tuple[str, ...]:
    """The names that a binding field holds: one, or a list of them."""
    return (held,) if isinstance(held, str) else tuple(list_items(held))


def put_closed(
    scopes: Scopes, users: dict[int, int], value: Value, name: str, term: Value, meter: Meter
) -> Value:
    """`term` with a closed `value` in place of each free `name`. `users` has the forms that are
    occurrences of a name, with the field that holds it."""
    visited = 0
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
            for new, old in zip(parts, node[FIELDS:], strict=True):
                if new is not old:
                    node = (node[0], node[1], *parts)
                    break
            results.append(node)
            continue
        if kind is not tuple:
            results.append(node.held if kind is _Kept else node)
            continue
        visited += 1
        if visited % STRIDE == 0:
            meter(STRIDE)
        tag = node[0]
        at = users.get(tag)
        if at is not None and node[at] == name:
            results.append(value)
            continue
        children = node[FIELDS:]
        if tuple not in map(type, children):
            results.append(node)
            continue
        work.append([node])
        bound = scopes.get(tag)
        if bound is None or tag == CONS:
            work += reversed(children)
            continue
        for index in range(len(children) - 1, -1, -1):
            child = children[index]
            hidden = any(name in _names(node[FIELDS + held]) for held in bound[index])
            work.append(_Kept(child) if hidden and type(child) is tuple else child)
    meter(visited % STRIDE)
    return results[0]


class _Kept:
    """A part in which nothing is put in."""

    __slots__ = ("held",)

    def __init__(self, held: Value) -> None:
        self.held = held
