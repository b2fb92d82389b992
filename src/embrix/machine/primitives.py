"""What the built-in functions do. Sizes are checked before anything is built."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Any

from embrix.machine.faults import OutOfFuel
from embrix.machine.limits import Limits
from embrix.terms.node import CONS, NIL_NODE, NONE_NODE, SOME, Node, list_items, make_list
from embrix.terms.numbers import read_number

Spend = Callable[[int], None]


def primitives(limits: Limits, spend: Spend, numbers: str) -> dict[str, Callable[..., Any]]:
    """The built-in functions for a run: `spend` takes fuel for what is walked over."""

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
        spend(len(texts))
        return between.join(texts)

    def part(t: str, first: int, count: int) -> str:
        begin = max(0, first)
        return t[begin : max(begin, first + count)]

    def replaced(t: str, old: str, new: str) -> str:
        if not old:
            return t
        spend(len(t))
        room(len(t) + t.count(old) * (len(new) - len(old)))
        return t.replace(old, new)

    def parse_number(t: str) -> Node:
        number = read_number(t, numbers)
        return NONE_NODE if number is None else (SOME, None, number)

    def whole(n: int | Fraction | float) -> Node:
        if isinstance(n, float) and not n.is_integer():
            return NONE_NODE
        exact = Fraction(n)
        return (SOME, None, exact.numerator) if exact.denominator == 1 else NONE_NODE

    def size(items: Node) -> int:
        count = sum(1 for _ in list_items(items))
        spend(count)
        return count

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

    return {
        "length": len, "characters": characters, "joined": joined, "part": part,
        "replaced": replaced, "begins": str.startswith, "parse_number": parse_number,
        "whole": whole, "size": size, "reversed": turned, "appended": appended,
    }  # fmt: skip
