"""Sets of characters by their Unicode category, for `\\p{letter}` in token patterns.

Source of the categories: the Unicode character database, as the standard library has it.
"""

from __future__ import annotations

import unicodedata
from functools import cache
from itertools import groupby

CLASSES = {
    "letter": ("Lu", "Ll", "Lt", "Lm", "Lo"),
    "upper": ("Lu", "Lt"),
    "lower": ("Ll",),
    "mark": ("Mn", "Mc", "Me"),
    "digit": ("Nd",),
    "symbol": ("Sm", "Sc", "Sk", "So"),
    "punctuation": ("Pc", "Pd", "Ps", "Pe", "Pi", "Pf", "Po"),
    "space": ("Zs", "Zl", "Zp"),
}
"""The categories of each class."""


def characters_of(name: str) -> tuple[tuple[int, int], ...]:
    """The characters of a class, as inclusive ranges of code points in their order. Raises
    `KeyError` for an unknown class."""
    wanted = CLASSES[name]
    return tuple((low, high) for low, high, category in _stretches() if category in wanted)


@cache
def _stretches() -> tuple[tuple[int, int, str], ...]:
    """Stretches of characters of one category."""
    found = []
    for codes in (range(0x40000), range(0xE0000, 0xE0200)):  # in the others nothing is assigned
        categories = map(unicodedata.category, map(chr, codes))
        start = codes[0]
        for category, run in groupby(categories):
            end = start + sum(1 for _ in run)
            found.append((start, end - 1, category))
            start = end
    return tuple(found)
