"""Numbers of things, in words that agree."""

from __future__ import annotations


def counted(count: int, one: str, many: str = "") -> str:
    """`1 case`, `2 cases`, `1,000 cases`; `many` where the plural is not made by adding an s."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"
