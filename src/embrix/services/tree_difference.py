"""Where two trees part. Trees are given as rows from the top."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeAlias

from embrix.messages.replies import TreeRow

Rows: TypeAlias = Sequence[TreeRow]


def parting(first: Rows, second: Rows) -> tuple[list[int], list[int]]:
    """The numbers of the rows on each side that belong to parts which differ.

    Going down as long as both sides agree on what a node is and on how many parts it has; what
    hangs below a difference belongs to it. Places do not count.
    """
    marks: tuple[list[int], list[int]] = ([], [])
    if not first or not second:
        return list(range(len(first))), list(range(len(second)))
    children = (_children(first), _children(second))
    pending = [(0, 0)]
    while pending:
        a, b = pending.pop()
        below = (children[0].get(a, []), children[1].get(b, []))
        if _node(first[a]) == _node(second[b]) and len(below[0]) == len(below[1]):
            pending += zip(*below, strict=True)
            continue
        for side, rows, top in ((0, first, a), (1, second, b)):
            end = top + 1
            while end < len(rows) and rows[end].depth > rows[top].depth:
                end += 1
            marks[side].extend(range(top, end))
    return sorted(marks[0]), sorted(marks[1])


def _node(row: TreeRow) -> tuple[str, str, str]:
    return row.field, row.form, row.leaves


def _children(rows: Rows) -> dict[int, list[int]]:
    """The numbers of the rows directly below each row."""
    found: dict[int, list[int]] = {}
    above: list[int] = []
    for number, row in enumerate(rows):
        del above[row.depth :]
        if above:
            found.setdefault(above[-1], []).append(number)
        above.append(number)
    return found
