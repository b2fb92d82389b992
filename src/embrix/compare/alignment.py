"""Two walks beside each other: stops for the same part of the program stand in one row."""

from __future__ import annotations

from difflib import SequenceMatcher

from msgspec import Struct

from embrix.compare.direct import handing_on
from embrix.machine.recorder import NOT_LEFT
from embrix.terms.node import Place
from embrix.text.fitting import Piece
from embrix.trace.walk import Walk

MOST_STOPS, LONGEST = 1_500, 400
"""Stops of each walk that are laid beside each other, and characters of a term."""


class Stop(Struct, frozen=True):
    """A step, the part of the program it is about, how deep it lies, what it says in pieces, and
    what it comes to: None where that is not shown (a term, or a result that is handed on)."""

    step: int
    place: Place | None
    depth: int
    row: tuple[Piece, ...]
    result: str | None


class AlignedPair(Struct, frozen=True):
    """Stops that belong together; None where one of the walks has none."""

    left: Stop | None
    right: Stop | None

    @property
    def alone(self) -> bool:
        """Whether one of the walks has no such stop."""
        return self.left is None or self.right is None

    @property
    def parts(self) -> bool:
        """Whether both walks stop here and come to something else."""
        if self.left is None or self.right is None:
            return False
        results = self.left.result, self.right.result
        return None not in results and results[0] != results[1]


def stops_of(walk: Walk) -> list[Stop]:
    """The stops of a walk: judgements about parts of the program in the order in which they begin,
    each with what it comes to, or the terms of a reduction sequence with their redexes."""
    if walk.traced.term is None:
        return []
    if walk.style == "reductions":
        found = []
        for number in range(min(len(walk), MOST_STOPS)):
            redex = walk.redex(number)
            step = walk.step(number)
            text = ("term", step.text[:LONGEST])
            found.append(Stop(number, redex[1] if redex else None, 0, (text,), None))
        return found
    recorder = walk.traced.recorder
    handed_on = handing_on(walk.lane.interpreter)
    stops: list[Stop] = []
    depth = 0
    for number, event in enumerate(recorder.events):
        instance = ~event if event < 0 else event
        depth -= event < 0
        at = depth
        depth += event >= 0
        if event < 0:
            continue
        subject = walk.subject(instance)
        if subject is None or subject[1] is None or walk.function_of(instance).judgement is None:
            continue
        done = recorder.results[instance] is not NOT_LEFT
        own = walk.function_of(instance).name not in handed_on
        result = walk.result_of(instance) if own else None
        stops.append(Stop(number, subject[1], at, walk.row(instance, done), result))
        if len(stops) >= MOST_STOPS:
            break
    return stops


def aligned(one: Walk, other: Walk) -> list[AlignedPair]:
    """The rows of two walks."""
    left, right = stops_of(one), stops_of(other)
    rows: list[AlignedPair] = []
    matcher = SequenceMatcher(None, [s.place for s in left], [s.place for s in right],
                              autojunk=False)  # fmt: skip
    for word, i, i_end, j, j_end in matcher.get_opcodes():
        if word == "equal":
            rows += map(AlignedPair, left[i:i_end], right[j:j_end])
            continue
        rows += [AlignedPair(stop, None) for stop in left[i:i_end]]
        rows += [AlignedPair(None, stop) for stop in right[j:j_end]]
    return rows


def first_parting(rows: list[AlignedPair]) -> int:
    """The number of the first row in which two walks of one style differ: where one has no such
    stop, or where the result is another one and not only because something inside it differs. -1
    when there is none."""
    for number, row in enumerate(rows):
        if row.alone:
            return number
        if row.parts and not any(other.alone or other.parts for other in _inside(rows, number)):
            return number
    return -1


def _inside(rows: list[AlignedPair], number: int) -> list[AlignedPair]:
    """The rows of what the judgement of a row asks for."""
    row = rows[number]
    assert row.left is not None
    assert row.right is not None
    found: list[AlignedPair] = []
    for other in rows[number + 1 :]:
        deeper = (other.left is not None and other.left.depth > row.left.depth) or (
            other.left is None and other.right is not None and other.right.depth > row.right.depth
        )
        if not deeper:
            break
        found.append(other)
    return found
