"""A name with the numbers that it goes over, and the axes on which that is shown."""

from __future__ import annotations

import re
from typing import Literal

Scale = Literal["linear", "logarithmic", "both"]
"""Which axes are logarithmic: none, that of the cost, or that of the parameter as well."""
SCALES: tuple[Scale, ...] = ("linear", "logarithmic", "both")
MOST_POINTS = 400


class BadRange(Exception):
    """A range that is none, or too long; the message says why."""


def range_of(text: str) -> tuple[str, range]:
    """A name with its numbers, from `n=1..20` or `n=10..200/10`. Raises `BadRange`."""
    found = re.fullmatch(r"([^=]+)=\s*(-?\d{1,12})\s*\.\.\s*(-?\d{1,12})(?:/(\d{1,12}))?", text)
    if found is None:
        raise BadRange("a name and a range are written n=1..20, or n=10..200/10")
    name, first, last = found.group(1).strip(), int(found.group(2)), int(found.group(3))
    numbers = range(first, last + 1, max(1, int(found.group(4) or 1)))
    if not 1 <= len(numbers) <= MOST_POINTS:
        raise BadRange(f"the range must have from 1 to {MOST_POINTS} numbers")
    return name, numbers
