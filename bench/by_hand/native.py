"""The programs of the benchmarks in Python itself: what is left when nothing is interpreted."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any


def sum_to(n: int) -> int:
    return 0 if n < 1 else n + sum_to(n - 1)


def fib(n: int) -> int:
    return n if n < 2 else fib(n - 1) + fib(n - 2)


def toll(n: int) -> int:
    add = lambda a: lambda b: a + b  # noqa: E731
    twice: Callable[[Any], Any] = lambda f: lambda x: f(f(x))  # noqa: E731

    def loop(n: int) -> int:
        return 0 if n == 0 else add(twice(lambda y: y + n)(1))(loop(n - 1))  # type: ignore[no-any-return]

    return loop(n)


def count(n: int) -> int:
    total = level = 0
    while level < n:
        total = total + level
        level = level + 1
    return total


PROGRAMS: dict[str, Callable[[int], int]] = {
    "sum": sum_to, "fib": fib, "toll": toll, "count": count,
}  # fmt: skip
