"""Counted costs over a range, lane by lane."""

from __future__ import annotations

from collections.abc import Callable

from embrix.compare.growth import described, measured
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.machine.limits import LIVE
from embrix.messages.replies_on_comparing import GrowthTable
from embrix.messages.requests_on_comparing import MeasureGrowth


def growth_table(
    session: Session, request: MeasureGrowth, progress: Callable[[int, int], None]
) -> GrowthTable:
    """The costs, with the growth that fits each."""
    numbers = range(request.first, request.last + 1, request.step)
    table = GrowthTable()
    for number, name in enumerate(request.lanes):
        progress(number, len(request.lanes))
        try:
            lane = session.runner(request.language, name)
            found, ends = measured([lane], request.text, request.name, numbers, request.costs,
                                   request.given, request.input, LIVE)  # fmt: skip
        except BadBinding as wrong:
            return GrowthTable(str(wrong))
        except NoLane as wrong:
            table.ended.append((name, numbers[0], str(wrong)))
            continue
        for cost, of_lane in found.items():
            table.points.setdefault(cost, {}).update(of_lane)
        table.ended += [(own, n, result.outcome.sentence) for own, n, result in ends]
    table.growths = {
        cost: {lane: described(points) for lane, points in of_cost.items()}
        for cost, of_cost in table.points.items()
    }
    return table
