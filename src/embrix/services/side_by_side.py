"""One program on several lanes: outcomes, costs, where they part, walks in rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from embrix.compare.alignment import Stop, aligned, first_parting
from embrix.compare.every_part import hold_every_part
from embrix.compare.sides import LIMITS, Side, parted, side
from embrix.lanes.names import NoLane
from embrix.lanes.results import ending
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.messages.replies_on_comparing import (
    AlignedRow,
    AlignedStop,
    AlignedWalks,
    EveryPartHeld,
    LaneComparison,
    LaneResult,
    PartingText,
)
from embrix.trace.walk import Walk

MOST_LANES = 100


def compare_lanes(
    session: Session, language: str, names: Sequence[str], text: str, given: Mapping[str, str],
    lines: Sequence[str],
) -> LaneComparison:  # fmt: skip
    """Every lane's outcome, output, state and costs, and how each parts from the first."""
    lanes: list[LaneResult] = []
    sides: list[Side] = []
    for name in names[:MOST_LANES]:
        try:
            one = side(session.runner(language, name), text, given, lines)
        except (NoLane, BadBinding) as wrong:
            lanes.append(LaneResult(name, "rejected", str(wrong), [], [], {}, "none", 0))
            continue
        sides.append(one)
        result = one.result
        lanes.append(LaneResult(
            name, result.outcome.kind, ending(result), list(result.output),
            [str(x) for x in result.state], result.costs, one.style, one.length,
        ))  # fmt: skip
    partings: dict[str, PartingText] = {}
    for other in sides[1:]:
        found = parted(text, sides[0], other)
        partings[other.lane] = PartingText(found.sentence, list(found.more), list(found.steps))
    first = sides[0].lane if sides else ""
    return LaneComparison(lanes, max(0, len(names) - MOST_LANES), partings, first)


def every_part_held(
    session: Session, language: str, one: str, other: str, text: str,
    given: Mapping[str, str], lines: Sequence[str],
) -> EveryPartHeld:  # fmt: skip
    """Whether two lanes agree on every part of a program."""
    try:
        lanes = [session.runner(language, name) for name in (one, other)]
        found = hold_every_part(lanes[0], lanes[1], text, given, lines)
    except (NoLane, BadBinding) as wrong:
        return EveryPartHeld(str(wrong), -1, {})
    step = found.apart.step if found.apart is not None else -1
    return EveryPartHeld(found.sentence, step, dict(found.left_out))


def align_walks(
    session: Session, language: str, one: str, other: str, text: str,
    given: Mapping[str, str], lines: Sequence[str],
) -> AlignedWalks:  # fmt: skip
    """Two walks in rows, and the row in which they part."""
    walks = []
    for name in (one, other):
        try:
            lane = session.runner(language, name)
        except NoLane as wrong:
            return AlignedWalks(refused=str(wrong))
        if not lane.records:
            return AlignedWalks(refused=f"{name} reports no steps")
        try:
            traced = lane.trace(text, given, limits=LIMITS, given_input=lines)
        except BadBinding as wrong:
            return AlignedWalks(refused=str(wrong))
        walks.append(Walk(lane, traced))
    rows = aligned(walks[0], walks[1])
    return AlignedWalks(
        [AlignedRow(_stop(row.left), _stop(row.right), row.parts) for row in rows],
        first_parting(rows) if walks[0].style == walks[1].style else -1,
    )


def _stop(stop: Stop | None) -> AlignedStop | None:
    if stop is None:
        return None
    return AlignedStop(stop.step, stop.depth, list(stop.row), stop.place)
