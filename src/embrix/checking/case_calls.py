"""How many calls a case may make on a lane.

Most cases end soon, and one that does not should be stopped soon: at first a lane may make few
calls. Where that is not enough, it may make a generous multiple of what the first lane that passes
has made. A case of which no lane comes to an end with few calls says itself how many it takes.
Nothing of this rests on a clock or on which lanes are asked for, so a verdict is the same
everywhere.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec.structs import replace

from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.suite.cases import FIRST_CALLS
from embrix.suite.check import Verdict

TIMES = 100
"""How often the calls of the lane that has passed another lane may make."""
ALL_CALLS = Limits().calls
"""The most that this comes to."""

Judge = Callable[[Lane, int], Verdict]
"""The verdict of a case on a lane that may make so many calls."""


def in_good_time(lane: Lane, lanes: Sequence[Lane], judge: Judge, calls: int = 0) -> Verdict:
    """The verdict on a lane; `lanes` are all of its language, in their order. A case that says how
    many `calls` it takes may make that many."""
    verdict = judge(lane, calls or FIRST_CALLS)
    if not verdict.cut or calls:
        return verdict
    more = _multiple(lanes, judge)
    if more > FIRST_CALLS:
        return judge(lane, more)
    return replace(verdict, actual=f"{verdict.actual}; `calls = …` in the case allows more")


def _multiple(lanes: Sequence[Lane], judge: Judge) -> int:
    for lane in lanes:
        verdict = judge(lane, FIRST_CALLS)
        if verdict.state == "passed" and verdict.spent:
            return min(TIMES * verdict.spent, ALL_CALLS)
    return 0
