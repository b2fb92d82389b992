"""Recorded walks, by what they are walks of: one that is gone can be made again anywhere."""

from __future__ import annotations

from collections import OrderedDict
from pathlib import Path
from typing import TypeAlias

from embrix.lanes.names import NoLane
from embrix.lanes.outside_lane import OutsideLane
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding, OnStart
from embrix.machine.limits import Limits
from embrix.machine.outcome import Outcome
from embrix.messages.recipes import WalkRecipe
from embrix.trace.saved import SavedWalk, Unusable
from embrix.trace.walk import Walk

KEPT = 6
"""Walks that are kept; the one that was looked at longest ago goes first."""

AnyWalk: TypeAlias = Walk | SavedWalk


class NoWalk(Exception):
    """There is no run to walk through; the message says why."""


class Walks:
    """The walks that a session keeps."""

    def __init__(self) -> None:
        self._known: OrderedDict[str, AnyWalk] = OrderedDict()

    def kept(
        self, session: Session, recipe: WalkRecipe, limits: Limits, on_start: OnStart | None
    ) -> AnyWalk:
        """A walk that is kept, or made again. Raises `NoWalk`."""
        if recipe.key in self._known:
            self._known.move_to_end(recipe.key)
            return self._known[recipe.key]
        return self.made(session, recipe, limits, on_start)

    def made(
        self, session: Session, recipe: WalkRecipe, limits: Limits, on_start: OnStart | None
    ) -> AnyWalk:
        """A walk, carried out anew. Raises `NoWalk`."""
        walk = _carried_out(session, recipe, limits, on_start)
        self._known[recipe.key] = walk
        self._known.move_to_end(recipe.key)
        while len(self._known) > KEPT:
            self._known.popitem(last=False)
        return walk


def _carried_out(
    session: Session, recipe: WalkRecipe, limits: Limits, on_start: OnStart | None
) -> AnyWalk:
    try:
        if recipe.file:
            return SavedWalk(Path(recipe.file))
        lane = session.runner(recipe.language, recipe.lane)
        if isinstance(lane, OutsideLane):
            found = lane.steps(recipe.text, recipe.given)
            if isinstance(found, Outcome):
                raise NoWalk(found.text)
            return SavedWalk.of_lines(found, lane.name)
        traced = lane.trace(
            recipe.text, recipe.given, limits=limits, on_start=on_start, given_input=recipe.input,
            ways=recipe.ways,
        )  # fmt: skip
        return Walk(lane, traced)
    except (Unusable, BadBinding, NoLane) as wrong:
        raise NoWalk(str(wrong)) from wrong
