"""Everything that a program can come to, as plain data."""

from __future__ import annotations

from collections.abc import Callable

from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.messages.replies_on_comparing import ReachedOutcome, StateRow, StateStep, WaysFound
from embrix.messages.requests import ExploreWays
from embrix.text.visible import cut
from embrix.trace.state_graph import states_of

LONGEST = 400
"""Characters of a term that are shown."""
OFTEN = 20
"""Runs between two reports of how many there were."""


def explore_ways(
    session: Session, request: ExploreWays, progress: Callable[[int], None]
) -> WaysFound:
    """All outcomes and states of a program on a lane. `progress` may raise InterruptedError."""
    lane = session.runner(request.language, request.lane)
    if not lane.records:
        return WaysFound(refused=f"{lane.name} is an outside lane: what it leaves open is not "
                         "known")  # fmt: skip

    def report(runs: int) -> None:
        if runs % OFTEN == 0:
            progress(runs)

    try:
        explored = lane.explore(
            request.text, request.given, given_input=request.input, progress=report
        )
    except BadBinding as bad:
        return WaysFound(refused=str(bad))
    outcomes = [
        ReachedOutcome(
            one.outcome.kind, one.outcome.sentence, "".join(one.output), list(one.left),
            list(one.ways), -1 if one.state is None else one.state,
        )
        for one in explored.outcomes
    ]  # fmt: skip
    states = [
        StateRow(
            cut(one.text, LONGEST), [cut(text, LONGEST) for text in one.beside], one.output,
            [StateStep(step.to, list(step.ways)) for step in one.steps], one.ends,
        )
        for one in states_of(lane, explored)
    ]  # fmt: skip
    return WaysFound(
        outcomes, states, explored.runs, explored.whole, explored.circle(), lane.several
    )
