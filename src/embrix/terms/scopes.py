"""Which names a node binds, and in which of its parts.

A form binds names that stand in its own fields (`binds x in body`), in a list of names, or in the
elements of a list (`binds defs.f in defs.rhs, body`); or in what follows it in the list that it
stands in (`binds x in rest`). What concerns the elements of a list is handed down along the list.
"""

from __future__ import annotations

from typing import TypeAlias

from msgspec import Struct

from embrix.terms.node import CONS, FIELDS, NIL, Constructor, Node, Spot, Value
from embrix.terms.signature import Signature

Names: TypeAlias = tuple[str, ...]


class Around(Struct, frozen=True, eq=False):
    """What a form says about the elements of a list that it holds: the fields of an element that
    bind, and the names that are bound in a field."""

    binders: frozenset[str]
    bound: dict[str, Names]


class ScopePart(Struct, frozen=True):
    """A child of a node: the names that the node binds in it (the innermost last), what is said
    about its elements, and whether it is itself a place where names are bound."""

    names: Names
    around: Around | None
    binder: bool


_PLAIN = ScopePart((), None, False)
_BINDER = ScopePart((), None, True)


def parts_of_node(
    signature: Signature, node: Node, around: Around | None
) -> tuple[ScopePart, ...] | None:
    """What is bound in each child of a node; None when nothing is bound anywhere."""
    if node[0] == CONS:
        after = following(signature, node[FIELDS])
        if not after and around is None:
            return None
        return (ScopePart((), around, False), ScopePart(after, around, False))
    form = signature.form_of(node)
    if form is None:
        # Lists of names that bind hold plain texts; nothing else passes what is said on.
        return None
    if not form.binds and around is None:
        return None
    return tuple(_part(signature, node, form, index, around) for index in range(len(node) - FIELDS))


def following(signature: Signature, node: Value) -> Names:
    """The names that a node binds in the rest of the list in which it stands."""
    form = signature.form_of(node) if isinstance(node, tuple) else None
    if form is None:
        return ()
    return tuple(
        name
        for bind in form.binds
        if bind.rest
        for spot in bind.names
        for name in names_at(signature, node, spot)
    )


def names_at(signature: Signature, node: Node, spot: Spot) -> Names:
    """The names that stand at a spot of a node."""
    held = node[FIELDS + spot.field]
    if isinstance(held, str):
        return (held,)
    found: list[str] = []
    while held[0] == CONS:
        element = held[FIELDS]
        if isinstance(element, str):
            found.append(element)
        else:
            inner = signature.form_of(element)
            if inner is not None and spot.inner in inner.fields:
                found.append(element[FIELDS + inner.fields.index(spot.inner)])
        held = held[FIELDS + 1]
    assert held[0] == NIL
    return tuple(found)


def _part(
    signature: Signature, node: Node, form: Constructor, index: int, around: Around | None
) -> ScopePart:
    own = form.fields[index]
    names: Names = around.bound.get(own, ()) if around is not None else ()
    binder = around is not None and own in around.binders
    binders: set[str] = set()
    bound: dict[str, Names] = {}
    for bind in form.binds:
        for spot in bind.names:
            if spot.field == index and not spot.inner:
                binder = True
            elif spot.field == index:
                binders.add(spot.inner)
        here = [spot for spot in bind.scopes if spot.field == index]
        if here:
            text = tuple(n for at in bind.names for n in names_at(signature, node, at))
            for spot in here:
                if spot.inner:
                    bound[spot.inner] = (*bound.get(spot.inner, ()), *text)
                else:
                    names = (*names, *text)
    if binder:
        return _BINDER
    if not names and not binders and not bound:
        return _PLAIN
    return ScopePart(names, Around(frozenset(binders), bound) if binders or bound else None, False)
