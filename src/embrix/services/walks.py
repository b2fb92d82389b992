"""Walks through recorded runs: opening, fetching steps, seeking, keeping in a file."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import cast

from embrix.compare.same_step import same_step
from embrix.lanes.session import Session
from embrix.machine.lane import OnStart
from embrix.machine.limits import LIVE, Limits
from embrix.messages.recipes import WalkRecipe
from embrix.messages.replies import FramesShown, StepData, WalkSummary
from embrix.services.kept_walks import NoWalk, Walks
from embrix.text.refusal import refusal
from embrix.trace.data import step_data
from embrix.trace.frame_graph import frame_graph
from embrix.trace.saved import SavedWalk, save_walk
from embrix.trace.seeking import Kind, seek
from embrix.trace.walk import Walk


class WalkService:
    """The walks of a session. One that is no longer kept is made again."""

    def __init__(self, session: Session, limits: Limits = LIVE) -> None:
        self._session = session
        self._limits = limits
        self._walks = Walks()

    def open(
        self, recipe: WalkRecipe, on_start: OnStart | None = None,
        beside: WalkRecipe | None = None, at: int = 0,
    ) -> WalkSummary:  # fmt: skip
        """Record a run, or open one that was saved; with the step that corresponds to one of the
        walk beside it."""
        try:
            walk = self._walks.made(self._session, recipe, self._limits, on_start)
        except NoWalk as wrong:
            return WalkSummary(refused=str(wrong))
        if isinstance(walk, SavedWalk):
            head = walk.head
            return WalkSummary(
                len(walk), head["style"], head["levels"], program=head["program"],
                lane=head["lane"], language=head["language"],
            )  # fmt: skip
        same: int | None = None
        if beside is not None:
            try:
                other = self._walks.kept(self._session, beside, self._limits, on_start)
            except NoWalk:
                other = None
            if isinstance(other, Walk):
                same = same_step(other, at, walk)
        return WalkSummary(len(walk), walk.style, walk.levels(), cut=walk.cut, at=same)

    def steps(
        self, recipe: WalkRecipe, first: int, last: int, on_start: OnStart | None = None
    ) -> list[StepData]:
        """Steps of a walk, from number `first` to before `last`."""
        try:
            walk = self._walks.kept(self._session, recipe, self._limits, on_start)
        except NoWalk:
            return []
        numbers = range(max(0, first), min(last, len(walk)))
        if isinstance(walk, SavedWalk):
            return [walk.step(number) for number in numbers]
        return [step_data(walk, walk.step(number)) for number in numbers]

    def frames(
        self, recipe: WalkRecipe, number: int, on_start: OnStart | None = None
    ) -> FramesShown:
        """The frames at a step of a walk."""
        try:
            walk = self._walks.kept(self._session, recipe, self._limits, on_start)
        except NoWalk as wrong:
            return FramesShown([], str(wrong))
        if isinstance(walk, SavedWalk):
            return FramesShown([], "a walk that was saved has no frames, only names")
        return FramesShown(frame_graph(walk, number) if 0 <= number < len(walk) else [])

    def seek(
        self, recipe: WalkRecipe, kind: str, what: str, start: int, forward: bool,
        on_start: OnStart | None = None, progress: Callable[[int, int], None] | None = None,
    ) -> int | None:  # fmt: skip
        """Where something happens next in a walk."""
        try:
            walk = self._walks.kept(self._session, recipe, self._limits, on_start)
        except NoWalk:
            return None

        def looked(count: int) -> None:
            if progress is not None:
                progress(count, len(walk))

        if isinstance(walk, SavedWalk):
            if kind == "end":
                return len(walk) - 1
            return walk.find(what, start, forward) if kind == "text" else None
        return seek(walk, cast(Kind, kind), what, start, forward, looked)

    def save(self, recipe: WalkRecipe, path: Path) -> str:
        """Keep a walk in a file; what went wrong, or nothing."""
        try:
            walk = self._walks.kept(self._session, recipe, self._limits, None)
        except NoWalk as wrong:
            return str(wrong)
        if isinstance(walk, SavedWalk):
            return "this walk comes from a file already"
        try:
            language = walk.lane.interpreter.language.name
            save_walk(walk, recipe.text, language, path)
        except OSError as fault:
            return f"{path.name} cannot be written: {refusal(fault)}"
        return ""
