"""Scopes that are simple, as they nearly always are: no form says anything about the elements of a
list that it holds, or of what follows it in a list. Free names and substitution are several times
faster there than in general (`binding.py`), with the same result, the same sharing and the same
work told."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeAlias

from embrix.terms.node import FIELDS, Constructor, Node, Value, list_items
from embrix.terms.types import BOOL, INT, NAME, NUMBER, TEXT

Meter: TypeAlias = Callable[[int], None]
"""Told of work every so many nodes; it may raise to end the walk."""

STRIDE = 256
"""Nodes between two calls of a meter."""
DEEPEST = 150
"""Levels of a term that are walked by calls of Python; what is deeper has a stack of its own."""

Scopes: TypeAlias = dict[int, tuple[tuple[int, ...], ...]]
"""By tag, for forms that bind: for each field those that hold names bound in it."""

Parts: TypeAlias = tuple[tuple[int, tuple[int, ...]], ...]
"""Where the parts of a node stand that may be nodes, each with where the names stand that are bound
in it."""
Walk: TypeAlias = int | Parts
"""How to go through a node: where the name stands, if it is an occurrence of one; else its parts.
"""


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


def names_held(held: Value) -> tuple[str, ...]:
    """The names that a binding field holds: one, or a list of them."""
    return (held,) if isinstance(held, str) else tuple(list_items(held))


_NO_NODES = frozenset({NUMBER, INT, TEXT, BOOL, NAME})


def walks(forms: tuple[Constructor, ...], scopes: Scopes) -> dict[int, Walk]:
    """How to go through nodes, by their tags."""
    found: dict[int, Walk] = {}
    for form in forms:
        if form.uses and len(form.fields) == 1:
            found[form.tag] = FIELDS
            continue
        binders = scopes.get(form.tag, ((),) * len(form.fields))
        found[form.tag] = tuple(
            (FIELDS + at, tuple(FIELDS + name for name in names))
            for at, (kind, names) in enumerate(zip(form.types, binders, strict=True))
            if kind not in _NO_NODES
        )
    return found


def walk_of(known: dict[int, Walk], node: Node) -> Walk:
    """How to go through a node; through one of no form, such as a list, by what it holds."""
    walk = known.get(node[0])
    if walk is None:
        places = range(FIELDS, len(node))
        walk = tuple((at, ()) for at in places if type(node[at]) is tuple)
    return walk
