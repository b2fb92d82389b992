"""What a substitution does, told for people: the places that are replaced, the binders of the same
name that stop it, the binders that get another name."""

from __future__ import annotations

from msgspec import Struct

from embrix.terms.node import CONS, FIELDS, Place, Value, nodes_of
from embrix.terms.scopes import Around, parts_of_node
from embrix.terms.signature import Signature

MOST_VISITED = 20_000
"""Nodes that are looked at."""


class SubstitutionDetails(Struct, frozen=True):
    """`places` are those of the occurrences that are replaced (None for one without a place),
    `stopped` form and place of each binder that stops the substitution where there is something to
    stop, `renamed` the old and the new name of each binder that was renamed."""

    name: str
    places: tuple[Place | None, ...]
    stopped: tuple[tuple[str, Place | None], ...]
    renamed: tuple[tuple[str, str], ...]


def substitution_details(
    signature: Signature, name: str, term: Value, result: Value
) -> SubstitutionDetails:
    """What became of `term` when something was put in place of the free `name`."""
    places: list[Place | None] = []
    stopped: list[tuple[str, Place | None]] = []
    pending: list[tuple[Value, Around | None]] = [(term, None)]
    visited = 0
    while pending and visited < MOST_VISITED:
        node, around = pending.pop()
        if not isinstance(node, tuple):
            continue
        visited += 1
        form = signature.form_of(node)
        if form is not None and form.uses and node[FIELDS + form.uses[0]] == name:
            places.append(node[1])
            continue
        found = parts_of_node(signature, node, around)
        inner: list[tuple[Value, Around | None]] = []
        hidden = False
        for index, child in enumerate(node[FIELDS:]):
            part = found[index] if found is not None else None
            if part is not None and name in part.names:
                hidden = hidden or occurs(signature, name, child)
            else:
                inner.append((child, part.around if part is not None else None))
        if hidden:
            kind = form.name if form is not None else "a list"
            stopped.append((kind, node[1]))
        pending += reversed(inner)
    return SubstitutionDetails(name, tuple(places), tuple(stopped), tuple(_renamed(term, result)))


def occurs(signature: Signature, name: str, term: Value) -> bool:
    """Whether a name is used anywhere in a term, bound or free."""
    for node in nodes_of(term):
        form = signature.form_of(node)
        if form is not None and form.uses and node[FIELDS + form.uses[0]] == name:
            return True
    return False


def _renamed(term: Value, result: Value) -> list[tuple[str, str]]:
    """The names that differ between two terms of the same shape, uses aside."""
    found: dict[tuple[str, str], None] = {}
    pending: list[tuple[Value, Value]] = [(term, result)]
    visited = 0
    while pending and visited < MOST_VISITED:
        left, right = pending.pop()
        visited += 1
        if left is right or not isinstance(left, tuple) or not isinstance(right, tuple):
            continue
        if left[0] != right[0] or len(left) != len(right):
            continue
        pairs = list(zip(left[FIELDS:], right[FIELDS:], strict=True))
        alone = len(pairs) == 1 and left[0] != CONS
        for one, other in pairs:
            if isinstance(one, str) and isinstance(other, str):
                if one != other and not alone:
                    found[one, other] = None
            else:
                pending.append((one, other))
    return list(found)
