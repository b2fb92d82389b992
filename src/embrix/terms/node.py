"""How terms and values are laid out while programs run.

A node is a plain tuple `(tag, place, field, field, …)`. The tag is an integer that stands for a
constructor; the place is a pair of offsets into the program text, or None. Tuples are the fastest
immutable record that Python has, they are built without entering C code that recurses, and the
compiled interpreters take them apart by position.

Names and texts are `str`, truth values are `bool`, numbers are `int`, `Fraction` or `float`.
Everything else is a node: tuples, lists (linked, so that tails are shared), optional values,
environments. Nothing here may recurse: a term can be 100,000 levels deep.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any, TypeAlias

import immutables
from msgspec import Struct

from embrix.terms.types import Type

Place: TypeAlias = tuple[int, int]
Node: TypeAlias = tuple[Any, ...]
Value: TypeAlias = Any
"""A node, a number, a text, a name or a truth value."""

FIELDS = 2
"""Where the fields of a node begin."""

TUPLE, NIL, CONS, NONE, SOME, EMPTY, FRAME, LOCATION, KNOT, ITSELF, STORE, MAP = range(12)
FIRST_FREE_TAG = 16

NIL_NODE: Node = (NIL, None)
NONE_NODE: Node = (NONE, None)
EMPTY_NODE: Node = (EMPTY, None)
UNIT_NODE: Node = (TUPLE, None)
ITSELF_NODE: Node = (ITSELF, None)
"""Stands inside the value of a knot for the environment that the value is bound in."""
EMPTY_STORE: Node = (STORE, None, immutables.Map(), 0)
"""A store: what is at each location (by its number), and the number of the next one."""
EMPTY_MAP: Node = (MAP, None, immutables.Map())


class Constructor(Struct, frozen=True, eq=False):
    """A form of a sort, or a constructor of a value or data type.

    `owner` is the name of the sort or type. `shown` makes the display of a node; None shows the
    structure.
    """

    name: str
    tag: int
    owner: str
    fields: tuple[str, ...]
    types: tuple[Type, ...]
    is_form: bool = False
    binds: tuple[Binds, ...] = ()
    uses: tuple[int, ...] = ()
    params: tuple[str, ...] = ()
    """The type parameters of a generic type."""
    role: str = ""
    """`suspended` or `settled`: what is counted of it."""
    doc: str = ""


class Spot(Struct, frozen=True):
    """A field of a form by its index; with `inner` that field of each element of a list."""

    field: int
    inner: str = ""


class Binds(Struct, frozen=True):
    """`binds NAME, … in SCOPE, …`; `rest`: also in what follows in the list it stands in."""

    names: tuple[Spot, ...]
    scopes: tuple[Spot, ...]
    rest: bool = False


def make_list(items: Sequence[Value], tail: Node = NIL_NODE) -> Node:
    """A linked list of nodes from a Python sequence."""
    for item in reversed(items):
        tail = (CONS, None, item, tail)
    return tail


def list_items(node: Node) -> Iterator[Value]:
    """The items of a linked list."""
    while node[0] == CONS:
        yield node[FIELDS]
        node = node[FIELDS + 1]


def tuple_of(*items: Value) -> Node:
    return (TUPLE, None, *items)


def bindings(environment: Node) -> Iterator[tuple[str, Value]]:
    """Name and value of each frame of an environment, the innermost first, shadowed ones too.

    The value in a knot is given as it was written, with `ITSELF_NODE` for the environment.
    """
    while environment[0] == FRAME or environment[0] == KNOT:
        yield environment[FIELDS], environment[FIELDS + 1]
        environment = environment[FIELDS + 2]


MOST_UNSHARED = 2_000
"""Nodes that are compared before it is looked whether the same pairs come again."""


def same(left: Value, right: Value, meter: Callable[[int], None] | None = None) -> bool:
    """Structural equality that ignores places. `meter` is told of work every 256 nodes."""
    stack = [(left, right)]
    visited = 0
    compared: set[tuple[int, int]] = set()
    """Pairs of nodes met before, once there have been so many that parts may be shared."""
    while stack:
        a, b = stack.pop()
        visited += 1
        if visited > MOST_UNSHARED and isinstance(a, tuple):
            pair = (id(a), id(b))
            if pair in compared:
                continue
            compared.add(pair)
        if meter is not None and visited % 256 == 0:
            meter(256)
        if a is b and not isinstance(a, float):
            continue
        if isinstance(a, tuple) and isinstance(b, tuple):
            if a[0] != b[0] or len(a) != len(b):
                return False
            if a[0] == KNOT:
                # How a knot fills itself in follows from what it holds.
                a, b = a[: FIELDS + 3], b[: FIELDS + 3]
            elif a[0] in (STORE, MAP):
                held, other = a[FIELDS], b[FIELDS]
                if len(held) != len(other) or any(key not in other for key in held):
                    return False
                stack.extend((value, other[key]) for key, value in held.items())
                continue
            stack.extend(zip(a[FIELDS:], b[FIELDS:], strict=True))
        elif isinstance(a, tuple) or isinstance(b, tuple) or a != b:
            return False
    return True


def nodes_of(term: Value) -> Iterator[Node]:
    """A term and every node inside it, in no particular order."""
    pending: list[Value] = [term]
    while pending:
        node = pending.pop()
        if isinstance(node, tuple):
            yield node
            pending += node[FIELDS:]


def size(term: Value, limit: int = 10**9) -> int:
    """How many nodes and leaves a term has when written out (shared parts count each time)."""
    known: dict[int, int] = {}
    stack: list[tuple[Value, bool]] = [(term, False)]
    while stack:
        node, ready = stack.pop()
        if not isinstance(node, tuple) or id(node) in known:
            continue
        if not ready:
            stack.append((node, True))
            stack.extend((child, False) for child in node[FIELDS:])
            continue
        total = 1
        for child in node[FIELDS:]:
            total += known[id(child)] if isinstance(child, tuple) else 1
        known[id(node)] = min(total, limit)
    return known[id(term)] if isinstance(term, tuple) else 1


def without_places(term: Node) -> Node:
    """The same term with no place in any node (it comes from another text than the program)."""
    built: list[Value] = []
    stack: list[tuple[Value, bool]] = [(term, False)]
    while stack:
        node, ready = stack.pop()
        if not isinstance(node, tuple):
            built.append(node)
        elif not ready:
            stack.append((node, True))
            stack.extend((child, False) for child in reversed(node[FIELDS:]))
        else:
            count = len(node) - FIELDS
            parts = built[len(built) - count :]
            del built[len(built) - count :]
            built.append((node[0], None, *parts))
    result: Node = built[0]
    return result
