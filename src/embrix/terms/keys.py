"""Values as keys of maps and members of sets.

A plain value (a number, name, text or truth value) is its own key; any other is wrapped with a flat
row of what it is made of, so that comparing, hashing and ordering never recurse. Places do not
count, and not-a-number equals itself.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import total_ordering
from typing import TypeAlias

from embrix.terms.node import FIELDS, FRAME, KNOT, MAP, STORE, Value

Flat: TypeAlias = tuple[tuple[int, Value], ...]

_NOT_A_NUMBER = float("nan")
_MISSING = object()
_TRUTH, _NUMBER, _NO_NUMBER, _TEXT, _NODE, _SET, _FUNCTION = range(7)

METERED = 256
"""Parts of a key between two calls of a meter."""


@total_ordering
class Key:
    """A value made of parts, as a key."""

    __slots__ = ("_flat", "_hash", "value")

    def __init__(self, value: Value, flat: Flat) -> None:
        self.value = value
        self._flat = flat
        self._hash = hash(flat)

    def __hash__(self) -> int:
        return self._hash

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Key) and self._flat == other._flat

    def __lt__(self, other: Key) -> bool:
        return self._flat < other._flat


def key_of(value: Value, meter: Callable[[int], None] | None = None) -> Value:
    """A value as it is kept in a map or set; `meter` is told of the work on large ones."""
    if isinstance(value, tuple | frozenset) or callable(value):
        return Key(value, _flat(value, meter))
    return _NOT_A_NUMBER if isinstance(value, float) and value != value else value


def kept(key: Value) -> Value:
    """The value that a key stands for."""
    return key.value if isinstance(key, Key) else key


def key_order(key: Value) -> tuple[int, Value]:
    """Keys of one kind in their own order, not-a-number last."""
    if isinstance(key, Key):
        return _NODE, key
    return _leaf(key)


def members(held: frozenset[Value]) -> list[Value]:
    """The values in a set, in order."""
    return [kept(key) for key in sorted(held, key=key_order)]


def entries(container: Value) -> list[tuple[Value, Value]]:
    """Keys and values of a store or map in the order of the keys."""
    pairs = sorted(container[FIELDS].items(), key=lambda pair: key_order(pair[0]))
    return [(kept(key), value) for key, value in pairs]


def locations(store: Value) -> Iterator[tuple[int, Value]]:
    """The locations of a store and what they hold, in their order. They are numbered from 0 on, so
    that only where some are missing anything has to be sorted."""
    held = store[FIELDS]
    for number in range(len(held)):
        value = held.get(number, _MISSING)
        if value is _MISSING:
            yield from sorted((one for one in held.items() if one[0] > number),
                              key=lambda pair: pair[0])  # fmt: skip
            return
        yield number, value


def _leaf(value: Value) -> tuple[int, Value]:
    if isinstance(value, bool):
        return _TRUTH, value
    if isinstance(value, str):
        return _TEXT, value
    if value != value:
        return _NO_NUMBER, 0
    return _NUMBER, value


def _flat(value: Value, meter: Callable[[int], None] | None) -> Flat:
    """All parts of a value from left to right."""
    row: list[tuple[int, Value]] = []
    stack: list[Value] = [value]
    while stack:
        part = stack.pop()
        if isinstance(part, tuple):
            tag = part[0]
            fields = part[FIELDS:]
            if tag == KNOT:
                # How a knot fills itself in follows from what it holds.
                tag, fields = FRAME, fields[:3]
            elif tag in (STORE, MAP):
                fields = tuple(one for pair in entries(part) for one in pair)
            row += ((_NODE, tag), (_NODE, len(fields)))
            stack.extend(reversed(fields))
        elif isinstance(part, frozenset):
            inside = members(part)
            row.append((_SET, len(inside)))
            stack.extend(reversed(inside))
        elif callable(part):
            row.append((_FUNCTION, id(part)))
        else:
            row.append(_leaf(part))
        if meter is not None and len(row) % METERED == 0:
            meter(METERED)
    return tuple(row)
