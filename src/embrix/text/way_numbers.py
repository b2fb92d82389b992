"""The ways that a run takes, as people count them."""

from __future__ import annotations

from collections.abc import Iterable


def ways_text(ways: Iterable[int]) -> str:
    """Ways by their numbers, from one."""
    return ",".join(str(way + 1) for way in ways)
