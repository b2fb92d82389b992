"""What the built-in functions do. Sizes are checked before anything is built."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Any

from embrix.machine.faults import OutOfFuel, absent_key
from embrix.machine.limits import Limits
from embrix.terms.keys import entries, key_of, members
from embrix.terms.node import (
    CONS,
    FIELDS,
    FRAME,
    LOCATION,
    MAP,
    NIL_NODE,
    NONE_NODE,
    SOME,
    STORE,
    TUPLE,
    Node,
    Value,
    bindings,
    list_items,
    make_list,
    tuple_of,
)
from embrix.terms.numbers import read_number, write_number

Spend = Callable[[int], None]

CHARACTERS = 256
"""Characters of a text that are copied for the fuel of one call."""


def primitives(
    limits: Limits, spend: Spend, numbers: str, nothing: object
) -> dict[str, Callable[..., Any]]:
    """The built-in functions for a run: `spend` takes fuel for what is walked over, `nothing` is
    what the `_find` operations give for a key that is not there."""

    def room(characters: int) -> None:
        if characters > limits.text:
            raise OutOfFuel("text")

    def characters(t: str) -> Node:
        spend(len(t))
        return make_list(list(t))

    def joined(ts: Node, between: str) -> str:
        texts: list[str] = []
        total = 0
        for one in list_items(ts):
            total += len(one) + len(between)
            room(total)
            texts.append(one)
        spend(len(texts) + total // CHARACTERS)
        return between.join(texts)

    def part(t: str, first: int, count: int) -> str:
        begin = max(0, first)
        spend(max(0, min(count, len(t) - begin)) // CHARACTERS)
        return t[begin : max(begin, first + count)]

    def replaced(t: str, old: str, new: str) -> str:
        if not old:
            return t
        spend(len(t) + t.count(old) * len(new) // CHARACTERS)
        room(len(t) + t.count(old) * (len(new) - len(old)))
        return t.replace(old, new)

    def parse_number(t: str) -> Node:
        spend(len(t) // CHARACTERS)
        number = read_number(t, numbers)
        return NONE_NODE if number is None else (SOME, None, number)

    def whole(n: int | Fraction | float) -> Node:
        if isinstance(n, float) and not n.is_integer():
            return NONE_NODE
        exact = Fraction(n)
        return (SOME, None, exact.numerator) if exact.denominator == 1 else NONE_NODE

    def size(items: Any) -> int:
        if isinstance(items, str | frozenset):
            return len(items)
        if items[0] == MAP:
            return len(items[FIELDS])
        count = sum(1 for _ in list_items(items))
        spend(count)
        return count

    def codes(t: str) -> Node:
        spend(len(t))
        return make_list([ord(one) for one in t])

    def text_of(numbers_of: Node) -> str:
        found = list(list_items(numbers_of))
        spend(len(found))
        return "".join(chr(one) if _is_code(one) else "\ufffd" for one in found)

    def removed(container: Any, key: Value) -> Any:
        known = key_of(key, spend)
        if isinstance(container, frozenset):
            return container - {known}
        held = container[FIELDS]
        return (MAP, None, held.delete(known)) if known in held else container

    def turned(items: Node) -> Node:
        result: Node = NIL_NODE
        count = 0
        for one in list_items(items):
            result = (CONS, None, one, result)
            count += 1
        spend(count)
        return result

    def appended(first: Node, second: Node) -> Node:
        result = second
        for one in list_items(turned(first)):
            result = (CONS, None, one, result)
        return result

    def alloc(store: Node, v: Value) -> Node:
        number = store[3]
        after = (STORE, None, store[FIELDS].set(number, v), number + 1)
        return (TUPLE, None, (LOCATION, None, number), after)

    def reserve(store: Node) -> Node:
        number = store[3]
        return tuple_of((LOCATION, None, number), (STORE, None, store[FIELDS], number + 1))

    def store_find(store: Node, loc: Node) -> Value:
        return store[FIELDS].get(loc[FIELDS], nothing)

    def store_at(store: Node, loc: Node, here: Node) -> Value:
        found = store[FIELDS].get(loc[FIELDS], nothing)
        if found is nothing:
            absent_key("store", f"location @{loc[FIELDS]}", here)
        return found

    def store_with(store: Node, loc: Node, v: Value) -> Node:
        return (STORE, None, store[FIELDS].set(loc[FIELDS], v), store[3])

    def map_find(container: Node, key: Value) -> Value:
        return container[FIELDS].get(key_of(key, spend), nothing)

    def map_at(container: Node, key: Value, here: Node) -> Value:
        found = map_find(container, key)
        if found is nothing:
            absent_key("map", shown_key(key), here)
        return found

    def map_with(container: Node, key: Value, v: Value) -> Node:
        return (MAP, None, container[FIELDS].set(key_of(key, spend), v))

    def list_find(items: Node, index: int) -> Value:
        number = 0
        for number, one in enumerate(list_items(items)):
            if number == index:
                spend(number)
                return one
        spend(number)
        return nothing

    def extend_all(environment: Node, pairs: Node) -> Node:
        found = list(list_items(pairs))
        for pair in found:
            environment = (FRAME, None, pair[FIELDS], pair[FIELDS + 1], environment)
        spend(len(found))
        return environment

    def list_at(items: Node, index: int, here: Node) -> Value:
        found = list_find(items, index)
        if found is nothing:
            absent_key("list", str(index), here)
        return found

    def keys(container: Node) -> Node:
        if container[0] != MAP:
            names = [name for name, _ in bindings(container)]
            spend(len(names))
            return make_list(list(dict.fromkeys(names)))
        spend(len(container[FIELDS]))
        return make_list([key for key, _ in entries(container)])

    def items_of(s: frozenset[Any]) -> Node:
        spend(len(s))
        return make_list(members(s))

    def added(s: frozenset[Any], x: Value) -> frozenset[Any]:
        spend(len(s) + 1)
        return s | {key_of(x, spend)}

    def union(s: frozenset[Any], t: frozenset[Any]) -> frozenset[Any]:
        spend(len(s) + len(t))
        return s | t

    def zipped(first: Node, second: Node) -> Node:
        pairs = [
            tuple_of(a, b) for a, b in zip(list_items(first), list_items(second), strict=False)
        ]
        spend(len(pairs))
        return make_list(pairs)

    def rejoined(backwards: Node, tail: Node) -> Node:
        count = 0
        for one in list_items(backwards):
            tail = (CONS, None, one, tail)
            count += 1
        spend(count)
        return tail

    def number(n: int) -> int | float:
        return float(n) if numbers == "float" else n

    return {
        "alloc": alloc, "reserve": reserve, "store_find": store_find, "store_at": store_at,
        "store_with": store_with, "map_find": map_find, "map_at": map_at, "map_with": map_with,
        "list_find": list_find, "list_at": list_at, "keys": keys, "items": items_of,
        "has": lambda s, x: key_of(x, spend) in s, "added": added, "union": union, "zip": zipped,
        "rejoined": rejoined, "number": number,
        "length": len, "characters": characters, "joined": joined, "part": part,
        "replaced": replaced, "begins": str.startswith, "parse_number": parse_number,
        "whole": whole, "extend_all": extend_all, "size": size, "reversed": turned,
        "appended": appended, "name_of": str, "codes": codes, "text_of": text_of,
        "removed": removed,
    }  # fmt: skip


def _is_code(number: int) -> bool:
    """Whether a character has this code; halves of a pair are none."""
    return 0 <= number <= 0x10FFFF and not 0xD800 <= number <= 0xDFFF


def shown_key(key: Value) -> str:
    if isinstance(key, str):
        return key
    if isinstance(key, bool):
        return "true" if key else "false"
    if not isinstance(key, int | float | Fraction):
        return f"location @{key[FIELDS]}" if key[0] == LOCATION else "that key"
    return write_number(key)
