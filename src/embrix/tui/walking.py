"""The walk through the chosen lane: asking for it, fetching steps, moving to another one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from textual.widget import Widget

from embrix.messages.recipes import WalkRecipe
from embrix.messages.replies import FramesShown, StepData, WalkSummary
from embrix.messages.requests import FetchSteps, OpenWalk, ShowFrames
from embrix.tui.bars import Title
from embrix.tui.desk import PATIENCE, Desk
from embrix.tui.editor import ProgramEditor
from embrix.tui.side_views import TreeView
from embrix.tui.step_details import StepDetails
from embrix.tui.walk_pane import NO_WALK, Gauge, StepRows

WINDOW = 60
"""Steps that are fetched at once."""


class Walking:
    """Keeps gauge, rows, details, editor and tree at the current step of one run."""

    def __init__(self, bench: Widget, desk: Desk) -> None:
        self._bench = bench
        self._desk = desk
        self.key = ""
        self.lane = ""
        self.recipe = WalkRecipe(key="")
        """What the walk is a walk of: whoever is asked about it can make it again."""
        self._text = ""
        self._shown = ""
        self._begins: Callable[..., None] | None = None
        """Shows the run that has been recorded, as soon as its first steps are there."""
        self._put_off: Callable[[], None] | None = None
        """Records the run that waits."""
        self._fetching: set[int] = set()
        self.at = 0
        self._aside = 0
        """The step that was in view before the program was changed into one without steps."""
        self._left: dict[Path, int] = {}
        """By program the step at which it was left."""
        self._seen: tuple[WalkRecipe, int] | None = None
        """The walk that was in view last, and its step."""
        self.to_last = False
        """Whether the last step is wanted, whatever its number."""
        self.given: dict[str, str] = {}
        """Names supplied by hand."""
        self._marks: dict[tuple[str, str], list[int]] = {}
        """Marked steps, by program and lane."""
        self.held: tuple[str, str] | None = None
        """Program and lane of a walk from a file, which is not recorded anew while they stay."""

    @property
    def _step_rows(self) -> StepRows:
        return self._bench.query_one(StepRows)

    @property
    def marks(self) -> list[int]:
        """The steps of the run in view that are marked."""
        return self._marks.setdefault((self._text, self.lane), [])

    @property
    def all_marks(self) -> dict[tuple[str, str], list[int]]:
        """The marked steps of every run, by program and lane."""
        return self._marks

    def put_marks(self, marks: dict[tuple[str, str], list[int]]) -> None:
        """Mark steps of runs that are not in view yet."""
        self._marks |= {run: list(steps) for run, steps in marks.items()}

    @property
    def settled(self) -> bool:
        """Whether the run asked for last is the one on screen, its current step fetched."""
        here = self.at in self._step_rows.known_steps or not self._step_rows.length
        return self._shown == self.key and here

    def ask(
        self, key: str, language: str, lane: str, text: str, at: int, lines: list[str],
        ways: list[int], *, follow: bool = False, wait: bool = False,
    ) -> None:  # fmt: skip
        """Record a run of a text on a lane by some ways; the step will be number `at`, or as far as
        the runs allow the one that corresponds to the step in view (`follow`). It may `wait` until
        somebody says that it is to `begin`."""
        self._put_off = None
        if self.held is not None and self.held == (text, lane):
            return
        self.held = self._begins = None
        self._desk.drop("walk")
        if lane != self.lane:
            self._aside = 0
        self.key, self.lane, self.at = key, lane, at or self._aside
        self.recipe = WalkRecipe(key, language, lane, text, self.given, lines, ways=ways)
        request = OpenWalk(walk=self.recipe)
        if follow and self._seen is not None:
            seen, number = self._seen
            if (seen.language, seen.text, seen.given, seen.input) == (
                language, text, self.given, lines,
            ):  # fmt: skip
                request = OpenWalk(walk=self.recipe, beside=seen, at=number)
        self._put_off = partial(self._desk.ask, "walk", request, partial(self._walked, key, text))
        if not wait:
            self.begin()
        self._bench.set_timer(PATIENCE, self.show_title)

    def begin(self) -> None:
        """Record the run that waits, if one does."""
        if self._put_off is not None:
            put_off, self._put_off = self._put_off, None
            put_off()

    def open_saved(self, path: Path, take: Callable[[WalkSummary], None]) -> None:
        """Open a walk that is kept in a file; `take` gets what is known of it."""
        self._desk.drop("walk")
        recipe = WalkRecipe(f"saved:{path}", file=str(path))
        self._desk.ask("walk", OpenWalk(walk=recipe), take)

    def hold(self, path: Path, walk: WalkSummary) -> None:
        """Show a walk from a file in place of a recorded one."""
        self.held = (walk.program, walk.lane)
        self.key, self.lane, self.at = f"saved:{path}", walk.lane, 0
        self.recipe = WalkRecipe(self.key, file=str(path))
        self._walked(self.key, walk.program, walk)

    @property
    def wanted(self) -> int:
        """The step in view, or the one to which a program goes back that can be read again."""
        return self._aside or self.at

    def begin_at(self, step: int) -> None:
        """The run that is asked for next begins at a step; at the last one below zero."""
        self.at, self.to_last, self._aside = max(0, step), step < 0, 0

    def to_program(self, before: Path, now: Path) -> None:
        """Another program is opened: at its first step, or where it was left."""
        self._left[before] = self.wanted
        self.begin_at(self._left.get(now, 0))

    def forget(self) -> None:
        """There is no run to walk through."""
        self._desk.drop("walk")
        self._put_off = None
        self.key = self._shown = ""
        self._begins = None
        self._step_rows.begin(0, "judgements", 0)
        self.show()

    def _walked(self, key: str, text: str, walk: WalkSummary) -> None:
        """A run is recorded. The one before stays in view until the steps of this one are
        there."""
        if key != self.key:
            return
        self._fetching.clear()
        last = walk.length - 1
        if walk.at is not None and not self.at:  # else somebody has moved on meanwhile
            self.at = walk.at
        if self.at == self._aside > last > 0:
            self.at = 0  # it has become another program
        self._aside = 0 if last > 0 else self.at
        self.at = last if self.to_last else max(0, min(self.at, last))
        self.to_last = False
        self._begins = partial(self._begin, key, text, walk)
        if walk.length:
            self.fetch(self.at)
        else:
            self._begins()
            self.show()

    def _begin(
        self, key: str, text: str, walk: WalkSummary, known: Sequence[StepData] = ()
    ) -> None:
        self._begins = None
        self._text, self._shown = text, key
        self.at = walk.length - 1 if self.to_last else self.at
        self.at, self.to_last = max(0, min(self.at, walk.length - 1)), False
        self._step_rows.begin(walk.length, walk.style, self.at, known, set(self.marks))
        self._step_rows.empty_text = walk.refused or NO_WALK
        self._bench.query_one(Gauge).show(walk.levels, walk.length, self.at)

    def fetch(self, number: int) -> None:
        """Ask for the steps around a number, once."""
        block = number // WINDOW
        neighbour = block + 1 if number % WINDOW > WINDOW // 2 else block - 1
        for wanted in (block, neighbour):
            if wanted < 0 or wanted in self._fetching:
                continue
            self._fetching.add(wanted)
            first = wanted * WINDOW
            request = FetchSteps(walk=self.recipe, first=first, last=first + WINDOW)
            self._desk.ask(
                "walk", request, partial(self._fetched, self.key),
                failed=partial(self._not_fetched, self.key, wanted),
            )  # fmt: skip

    def _not_fetched(self, key: str, block: int, _why: str) -> None:
        """Steps that did not come are asked for again when they are looked at."""
        if key == self.key:
            self._fetching.discard(block)
            if self._begins is not None:
                self._begins()
                self.show()

    def _fetched(self, key: str, found: list[StepData]) -> None:
        if key != self.key:
            return
        if self._begins is not None:
            self._begins(found)
        else:
            self._step_rows.add(found)
        self.show()

    def go(self, number: int) -> None:
        """Make another step the current one; of a run that is not there yet, when it is."""
        rows = self._step_rows
        if rows.length == 0:
            self.at = max(0, number) if self.key else 0
            return
        self.at = max(0, min(number, rows.length - 1))
        rows.cursor = self.at
        rows.show_cursor()
        rows.refresh()
        self.show()

    def to_ends(self) -> None:
        """To the last step, or when it is the current one to the first; of a run that is not there
        yet to the last, when it is."""
        last = self._step_rows.length - 1
        if self._shown != self.key:
            self.to_last = True
        else:
            self.go(0 if self.at == last else last)

    def show(self) -> None:
        """Bring every view to the current step."""
        rows, gauge = self._step_rows, self._bench.query_one(Gauge)
        gauge.show(gauge.levels if rows.length else [], rows.length, self.at)
        step = rows.known_steps.get(self.at)
        if step is None and rows.length:
            self.fetch(self.at)
        if self._shown == self.key and rows.length and not self.held:
            self._seen = self.recipe, self.at
        self.show_details()
        place = step.place if step else None
        tree = self._bench.query_one(TreeView)
        tree.highlight(place)
        # The program as a whole needs no mark; it would only drown the text in colour.
        whole = tree.nodes[0].place if tree.nodes else None
        editor = self._bench.query_one("#program", ProgramEditor)
        put = step.put if step else ()
        editor.mark(self._text, None if place == whole else place, put)
        self.show_title()

    def show_details(self) -> None:
        """The step in full; where it is drawn, when its frames are there."""
        rows = self._step_rows
        step, style = rows.known_steps.get(self.at), rows.style_of_walk
        details = self._bench.query_one(StepDetails)
        self._desk.drop("frames")
        if step is None or not details.pictured:
            details.show(step, style)
            return

        def take(shown: FramesShown) -> None:
            details.show(step, style, shown.frames)

        request = ShowFrames(walk=self.recipe, number=step.number)
        self._desk.ask("frames", request, take, failed=lambda _: details.show(step, style))

    def show_title(self) -> None:
        """Which run is shown: while another is recorded, that it is the one before."""
        rows = self._step_rows
        title = self._bench.query_one("#walk-title", Title)
        if self._shown != self.key and rows.length:
            title.show(f"{self.lane} ⋯ running; below is the run before", "", "ink")
            return
        position = f"step {self.at:,} of {max(0, rows.length - 1):,}"
        subject = f"{self.lane}, from a file" if self.held else self.lane
        title.show(subject, position if rows.length else "", "ink")
