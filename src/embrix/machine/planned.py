"""The core with what the passes of the compiler add to it, and how a pass goes over it.

A pass takes a function of the core and gives the same function in which some parts are done in
another way: a call is written out (`inlining.py`), a call in tail position is carried out by
whoever called first (`tail_calls.py`), what a known term decides is decided (`specialising.py`).
"""

from __future__ import annotations

from collections.abc import Callable
from operator import is_
from typing import Any, Literal, TypeAlias

from msgspec import Struct

from embrix.brix import core as k


class Inlined(Struct, frozen=True, eq=False):
    """The body of a function in place of its call, with variables of its own for its parameters.

    `here` is what places are taken from inside: the variable of the subject or a known term; None
    where they are those of the caller. It counts as a call, and as one that is open inside its
    caller unless it takes the place of that one (`instead`). What a known term has decided is a
    frame of its own: calls in tail position are those of this function (`framed`).
    """

    function: str
    slots: tuple[int, ...]
    args: tuple[Planned, ...]
    body: Planned
    here: int | Known | None
    instead: bool = False
    framed: bool = False


class Known(Struct, frozen=True, eq=False):
    """A value that is known before the program runs."""

    value: Any


class NoClause(Struct, frozen=True, eq=False):
    """No clause takes these values; `inner` where they are those of a `match` or a `let`."""

    subjects: tuple[Planned, ...]
    inner: bool


class TailCall(Struct, frozen=True, eq=False):
    """A call whose result is that of the function: a jump to its beginning, a call that is left to
    whoever called first (`bounce`), or a call like any other."""

    call: k.Call | k.CallValue
    how: Literal["jump", "bounce", "call"]
    enters: bool = False
    """Whether it is told to the run like `Entering`."""


class InPlace(Struct, frozen=True, eq=False):
    """A call that takes the place of the call that is written out around it."""

    call: k.Call | k.CallValue
    enters: bool = False


class Entering(Struct, frozen=True, eq=False):
    """A call that may enter a part of the program again and again: it is told to the run, and goes
    to what has been made of that part."""

    call: k.Call


Planned: TypeAlias = "k.Core | Inlined | Known | NoClause | TailCall | InPlace | Entering"

_OWN = (Inlined, Known, NoClause, TailCall, InPlace, Entering)
INSIDE: dict[type, tuple[str, ...]] = {
    **k.INSIDE,
    Inlined: ("args", "body"), Known: (), NoClause: ("subjects",), TailCall: ("call",),
    InPlace: ("call",), Entering: ("call",),
}  # fmt: skip
"""Where each kind of part may have others inside."""
_LAST: dict[type, tuple[str, ...]] = {
    k.Match: ("clauses",), k.Test: ("yes", "no"), k.Emit: ("then",), k.Knot: ("then",),
    Inlined: ("body",),
}  # fmt: skip
"""The parts of each kind whose value is that of the whole."""

_FIELDS: dict[type, tuple[tuple[str, bool, bool], ...]] = {
    kind: tuple(
        (name, name in INSIDE[kind], name in _LAST.get(kind, ())) for name in kind.__struct_fields__
    )
    for kind in (*k.PARTS, *_OWN) if INSIDE[kind]
}  # fmt: skip
"""Of the kinds that have parts: each field, whether parts are in it, and whether their value is
that of the whole."""

Change: TypeAlias = Callable[[Any, bool], Any]
"""A part and whether it stands in tail position, to what takes its place."""


def with_parts(node: Any, change: Change, last: bool) -> Any:
    """A node with its parts changed; the same node where none is. `last` is whether the node stands
    in tail position. The body of a function value counts as in tail position."""
    kind = type(node)
    fields = _FIELDS.get(kind)
    if fields is None:
        return node
    changed, made = False, []
    for name, inside, in_last in fields:
        value = getattr(node, name)
        if inside and value is not None:
            tail = (last and in_last) or (kind is k.Lambda and name == "body")
            new = _changed(value, change, tail)
            changed = changed or new is not value
            value = new
        made.append(value)
    return kind(*made) if changed else node


def _changed(value: Any, change: Change, last: bool) -> Any:
    kind = type(value)
    if kind is tuple:
        items = tuple([_changed(one, change, last) for one in value])
        same = all(map(is_, items, value))
        return value if same else items
    if kind is k.CoreClause:
        return changed_clause(value, change, last)
    if kind is k.Handler:
        guard = change(value.guard, False) if value.guard is not None else None
        body = change(value.body, False)
        if guard is value.guard and body is value.body:
            return value
        return k.Handler(value.error, value.patterns, guard, body)
    if kind in INSIDE and kind not in k.PATTERNS:
        return change(value, last)
    return value


def changed_clause(clause: k.CoreClause, change: Change, last: bool) -> k.CoreClause:
    """A clause with its guard and its body changed."""
    guard = change(clause.guard, False) if clause.guard is not None else None
    body = change(clause.body, last)
    if guard is clause.guard and body is clause.body:
        return clause
    return k.CoreClause(clause.patterns, guard, body, clause.span, clause.steps)
