"""Recorded walks, by what they are walks of: one that is gone can be made again anywhere."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeAlias

from embrix.machine.lane import BadBinding, OnStart
from embrix.machine.limits import Limits
from embrix.machine.outcome import Outcome
from embrix.runs.lanes import NoLane
from embrix.runs.outside_lane import OutsideLane
from embrix.trace.saved import SavedWalk, Unusable
from embrix.trace.walk import Walk

if TYPE_CHECKING:
    from embrix.runs.session import Session

KEPT = 6
"""Walks that are kept; the one that was looked at longest ago goes first."""

AnyWalk: TypeAlias = Walk | SavedWalk


class NoWalk(Exception):
    """There is no run to walk through; the message says why."""


@dataclass(frozen=True, slots=True)
class Recipe:
    """What a walk is a walk of: a program on a lane with names and lines of input, or a file.

    Recipes with different keys are different walks: the key counts what the recipe does not say,
    such as changes of the definitions.
    """

    key: str
    language: str = ""
    lane: str = ""
    text: str = ""
    given: Mapping[str, str] = field(default_factory=dict)
    input: tuple[str, ...] = ()
    file: str = ""

    @classmethod
    def of(cls, data: Mapping[str, Any]) -> Recipe:
        """A recipe from plain data."""
        return cls(
            data["key"], data.get("language", ""), data.get("lane", ""), data.get("text", ""),
            dict(data.get("given") or {}), tuple(data.get("input", ())), data.get("file", ""),
        )  # fmt: skip


class Walks:
    """The walks that a session keeps."""

    def __init__(self) -> None:
        self._known: OrderedDict[str, AnyWalk] = OrderedDict()

    def kept(
        self, session: Session, recipe: Recipe, limits: Limits, on_start: OnStart | None
    ) -> AnyWalk:
        """A walk that is kept, or made again. Raises `NoWalk`."""
        if recipe.key in self._known:
            self._known.move_to_end(recipe.key)
            return self._known[recipe.key]
        return self.made(session, recipe, limits, on_start)

    def made(
        self, session: Session, recipe: Recipe, limits: Limits, on_start: OnStart | None
    ) -> AnyWalk:
        """A walk, carried out anew. Raises `NoWalk`."""
        walk = _carried_out(session, recipe, limits, on_start)
        self._known[recipe.key] = walk
        self._known.move_to_end(recipe.key)
        while len(self._known) > KEPT:
            self._known.popitem(last=False)
        return walk


def _carried_out(
    session: Session, recipe: Recipe, limits: Limits, on_start: OnStart | None
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
            recipe.text, recipe.given, limits=limits, on_start=on_start, given_input=recipe.input
        )
        return Walk(lane, traced)
    except (Unusable, BadBinding, NoLane) as wrong:
        raise NoWalk(str(wrong)) from wrong
