"""Comments in a program: what its language skips and people read."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise
from typing import TypeAlias

Piece: TypeAlias = tuple[int, int]


def comments_in(text: str, skipped: Iterable[Piece]) -> list[Piece]:
    """Those of the skipped pieces that are more than white space, as offsets from and to."""
    return [(start, end) for start, end in skipped if text[start:end].strip()]


def told_apart(
    begin: int, end: int, marked: Piece, comments: Sequence[Piece]
) -> Iterator[tuple[int, int, bool, bool]]:
    """A text from one offset to another in pieces, each with whether it lies in the marked part and
    whether in a comment."""
    bounds = {begin, end, *marked, *(bound for one in comments for bound in one)}
    for first, last in pairwise(sorted(one for one in bounds if begin <= one <= end)):
        in_comment = any(start <= first < stop for start, stop in comments)
        yield first, last, marked[0] <= first < marked[1], in_comment
