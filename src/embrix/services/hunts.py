"""Hunts for the workbench."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.messages.replies_on_comparing import HuntState


def hunted(
    session: Session, language: str, lanes: Sequence[str], most: int, seed: int, *, costs: bool,
    endless: bool, progress: Callable[[HuntState], None],
) -> HuntState:  # fmt: skip
    """What came of a hunt between two lanes, or why there was none."""
    from embrix.compare.search import Hunt, NoPrograms, hunt  # it takes a while to begin

    def state_of(done: Hunt) -> HuntState:
        return HuntState(
            lanes=[done.first, done.second], seed=done.seed, tried=done.tried,
            learning=done.learning,
            sentence=done.sentence, distribution=done.distribution, asked=done.asked,
            occurring=done.occurring, program=done.program, nodes=done.nodes,
            ends=list(done.ends),
        )  # fmt: skip

    try:
        one, other = (session.runner(language, name) for name in lanes)
        done = hunt(one, other, most=most, seed=seed, costs=costs, endless=endless,
                    progress=lambda so_far: progress(state_of(so_far)))  # fmt: skip
    except (NoPrograms, NoLane) as wrong:
        return HuntState(str(wrong))
    return state_of(done)
