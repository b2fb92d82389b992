"""Evenly picked items."""

from __future__ import annotations

from typing import TypeVar

T = TypeVar("T")


def spread(items: list[T], most: int) -> list[T]:
    """At most `most` items, evenly picked, the first and the last among them."""
    if len(items) <= most:
        return items
    return [items[number * (len(items) - 1) // (most - 1)] for number in range(most)]
