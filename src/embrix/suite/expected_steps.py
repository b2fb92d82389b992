"""Step sequences: what is expected held against what happened, and the first step that differs."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from difflib import SequenceMatcher
from typing import TypeAlias

from msgspec import Struct

ANY = "..."
"""A line that stands for any number of steps."""
OPEN = "…"
"""What stands for any text inside a line."""
COMPARED = 300
"""Words of a difference that are held against each other: what that takes grows with their cube."""
NONE_LEFT = "no further step"

Alike: TypeAlias = Callable[[str, str], bool]


class Parting(Struct, frozen=True):
    """The first step that differs: the number of what came (counted from zero, as many as there
    are when nothing more came), and both lines."""

    number: int
    expected: str
    actual: str


def reads_like(wanted: str, found: str) -> bool:
    """Whether a line is the expected one, parts that are left open aside."""
    if OPEN not in wanted:
        return wanted == found
    first, *inner, last = wanted.split(OPEN)
    end = len(found) - len(last)
    if not found.startswith(first) or not found.endswith(last) or end < len(first):
        return False
    # Each part where it is first: if the parts fit at all, they fit so.
    at = len(first)
    for part in inner:
        place = found.find(part, at, end)
        if place < 0:
            return False
        at = place + len(part)
    return True


def parting(
    wanted: Sequence[str], found: Sequence[str], alike: Alike = reads_like
) -> Parting | None:
    """Where a sequence of steps leaves the expected one, or None. The lines between two `...` are
    looked for at the first place where all of them stand."""
    runs: list[list[str]] = [[]]
    for line in wanted:
        if line.strip() == ANY:
            runs.append([])
        else:
            runs[-1].append(line)
    at = 0
    for number, run in enumerate(runs):
        last = number == len(runs) - 1
        if number == 0:
            wrong = _differs(run, found, 0, alike)
            if wrong is not None:
                return _parting(run, found, 0, wrong)
            at = len(run)
            if last and len(found) > at:
                return Parting(at, NONE_LEFT, found[at])
            continue
        if not run:
            continue
        starts = [len(found) - len(run)] if last else range(at, len(found) - len(run) + 1)
        place = next(
            (s for s in starts if s >= at and _differs(run, found, s, alike) is None), None
        )
        if place is None:
            return _nearest(run, found, at, alike, last=last)
        at = place + len(run)
    return None


def _differs(run: Sequence[str], found: Sequence[str], start: int, alike: Alike) -> int | None:
    """The first of these lines that does not stand where it should."""
    for offset, line in enumerate(run):
        if start + offset >= len(found) or not alike(line, found[start + offset]):
            return offset
    return None


def _parting(run: Sequence[str], found: Sequence[str], start: int, offset: int) -> Parting:
    number = start + offset
    actual = found[number] if number < len(found) else NONE_LEFT
    return Parting(number, run[offset], actual)


def _nearest(
    run: Sequence[str], found: Sequence[str], at: int, alike: Alike, *, last: bool
) -> Parting:
    """What to tell when lines after `...` stand nowhere: the place where most of them do."""
    best, reached = len(found), -1
    for start in range(at, len(found)):
        offset = _differs(run, found, start, alike)
        if offset is None:
            # All of them are there, and more after them, which nothing allows.
            return Parting(start + len(run), NONE_LEFT, found[start + len(run)])
        if offset > reached:
            best, reached = start, offset
    if reached < 1:
        where = max(at, len(found) - len(run)) if last else len(found)
        return _parting(run, found, min(where, len(found)), 0)
    return _parting(run, found, best, reached)


def difference(expected: str, actual: str) -> tuple[list[tuple[int, int]], list[tuple[int, int]]]:
    """The slices of both texts that are not in the other one, word by word; where they differ too
    much for that, everything between what they begin and end with alike."""
    left, right = _words(expected), _words(actual)
    same = 0
    for (_, one), (_, other) in zip(left, right, strict=False):
        if one != other:
            break
        same += 1
    left, right = left[same:], right[same:]
    while left and right and left[-1][1] == right[-1][1]:
        left.pop()
        right.pop()
    if max(len(left), len(right)) > COMPARED:
        return _whole(left), _whole(right)
    matcher = SequenceMatcher(None, [w for _, w in left], [w for _, w in right], autojunk=False)
    wrong: tuple[list[tuple[int, int]], list[tuple[int, int]]] = ([], [])
    for kind, a, b, c, d in matcher.get_opcodes():
        if kind == "equal":
            continue
        for side, words, first, end in ((0, left, a, b), (1, right, c, d)):
            if end > first:
                begin = words[first][0]
                wrong[side].append((begin, words[end - 1][0] + len(words[end - 1][1])))
    return wrong


def _whole(words: list[tuple[int, str]]) -> list[tuple[int, int]]:
    return [(words[0][0], words[-1][0] + len(words[-1][1]))] if words else []


def _words(text: str) -> list[tuple[int, str]]:
    return [(m.start(), m.group()) for m in re.finditer(r"\w+|\s+|[^\w\s]", text)]


def marks(slices: Sequence[tuple[int, int]]) -> str:
    """Signs to stand under the slices of a line."""
    length = max((end for _, end in slices), default=0)
    return "".join(
        "^" if any(a <= at < b for a, b in slices) else " " for at in range(length)
    ).rstrip()
