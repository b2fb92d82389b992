"""How many calls a case may make on a lane.

Most cases end soon, and one that does not should be stopped soon: at first a lane may make few
calls. Where that is not enough, it is given a generous multiple of what the first lane that passes
has made; where none passes with few, the first ones get as many as a run on the command line.
Nothing of this rests on a clock or on which lanes are asked for, so a verdict is the same
everywhere.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.suite.check import Verdict

FIRST_CALLS = 100_000
"""Calls that any case may make."""
TIMES = 100
"""How often the calls of the lane that has passed another lane may make."""
ALL_CALLS = Limits().calls
TRIED = 2
"""Lanes that are given as many as possible where none passes with few."""

Judge = Callable[[Lane, int], Verdict]
"""The verdict of a case on a lane that may make so many calls."""


def in_good_time(lane: Lane, lanes: Sequence[Lane], judge: Judge) -> Verdict:
    """The verdict on a lane; `lanes` are all of its language, in their order."""
    verdict = judge(lane, FIRST_CALLS)
    if not verdict.cut:
        return verdict
    calls = _calls(lanes, judge)
    return judge(lane, calls) if calls > FIRST_CALLS else verdict


def _calls(lanes: Sequence[Lane], judge: Judge) -> int:
    cut = []
    for lane in lanes:
        verdict = judge(lane, FIRST_CALLS)
        if verdict.state == "passed" and verdict.spent:
            return min(max(FIRST_CALLS, TIMES * verdict.spent), ALL_CALLS)
        if verdict.cut:
            cut.append(lane)
    passed = any(judge(lane, ALL_CALLS).state == "passed" for lane in cut[:TRIED])
    return ALL_CALLS if passed else FIRST_CALLS
