"""The workbench as it was when it was left: taken every few seconds and at the end, put back when
the course is opened again."""

from __future__ import annotations

import logging
from functools import cached_property
from pathlib import Path

from embrix.course.last_time import (
    LONGEST,
    MOST_MARKED,
    MOST_SUPPLIED,
    LastTime,
    MarkedSteps,
    Supply,
    last_time,
    remember,
)
from embrix.course.records import Damaged
from embrix.tui.arranging_panes import arrangement, put_into_arrangement
from embrix.tui.pane_edges import WHOLE
from embrix.tui.program_pane import ProgramPane
from embrix.tui.step_details import StepDetails
from embrix.tui.theme import DAY, NIGHT

LOG = logging.getLogger(__name__)
OFTEN = 3.0
"""Seconds between two looks at what there is to remember."""


class Remembering:
    """Knows what was kept last, so that a file is only written when something is otherwise."""

    def __init__(self, bench: ProgramPane) -> None:
        self._bench = bench
        self._kept: LastTime | None = None
        self._gone = False
        """Whether it could not be kept: that is reported once."""

    # ---------------------------------------------------------------- putting it back

    def first_program(self) -> Path | None:
        """The program that is opened first, if that can be told before the course has been read."""
        if self._bench.wanted is not None:
            return self._bench.wanted
        kept = self._last_time
        return self._path(kept.program) if kept is not None else None

    @cached_property
    def _last_time(self) -> LastTime | None:
        try:
            return last_time(self._bench.folder)
        except Damaged as bad:
            LOG.warning("%s", bad)
            return None

    def put_back(self) -> Path | None:
        """Put back what was left, all but the program, which is given: None where there was none,
        or another one is asked for."""
        bench, kept = self._bench, self._last_time
        if kept is None:
            return None
        if kept.theme in (DAY, NIGHT):
            bench.app.theme = kept.theme
        put_into_arrangement(bench, kept.arrangement)
        bench.sizes |= {name: share for name, share in kept.sizes.items() if 0 < share < WHOLE}
        bench.place_edges()
        bench.query_one("#step-details", StepDetails).pictured = kept.pictured
        bench.decided |= {language: list(lanes) for language, lanes in kept.lanes.items()}
        for supply in kept.supplies:
            path = self._path(supply.program)
            if path is not None:
                bench.supplied[path] = supply.names, supply.input
        bench.walking.put_marks({(one.text, one.lane): one.steps for one in kept.marks})
        path = self._path(kept.program)
        if path is None or bench.wanted not in (None, path):
            return None
        self._kept = kept
        bench.lane = kept.lane
        bench.walking.begin_at(kept.step)
        return path

    def place_cursor(self) -> None:
        """Where the cursor was, once the program is there."""
        if self._kept is not None:
            self._bench.editor.move_cursor(self._kept.cursor)

    def _path(self, inside: str) -> Path | None:
        """A program of the course that is still there."""
        folder = self._bench.folder
        path = (folder / inside).resolve()
        return path if inside and path.is_relative_to(folder) and path.is_file() else None

    # ---------------------------------------------------------------- taking it

    def take(self) -> None:
        """Keep what the workbench is at, if that is not what was kept last."""
        now = self._now()
        if now is None or now == self._kept or self._gone:
            return
        try:
            remember(self._bench.folder, now)
        except OSError as fault:
            self._gone = True
            LOG.warning("what was open cannot be kept: %s", fault)
        self._kept = now

    def _now(self) -> LastTime | None:
        bench = self._bench
        if bench.document is None or not bench.summary or not bench.query("#program"):
            return None
        return LastTime(
            program=self._inside(bench.document.path), language=bench.language,
            cursor=bench.editor.cursor_location, lane=bench.lane, step=bench.walking.wanted,
            lanes={language: list(lanes) for language, lanes in bench.decided.items() if lanes},
            supplies=[
                Supply(inside, dict(names), list(lines))
                for path, (names, lines) in [*bench.supplied.items()][-MOST_SUPPLIED:]
                if (inside := self._inside(path)) and (names or lines)
            ],
            marks=[
                MarkedSteps(text, lane, list(steps))
                for (text, lane), steps in [*bench.walking.all_marks.items()][-MOST_MARKED:]
                if steps and len(text) <= LONGEST
            ],
            theme=bench.app.theme,
            arrangement=arrangement(bench),
            sizes=dict(bench.sizes),
            pictured=bench.query_one("#step-details", StepDetails).pictured,
        )  # fmt: skip

    def _inside(self, path: Path) -> str:
        """A path inside the course; empty for one outside, or a text without a name."""
        folder = self._bench.folder.resolve()
        document = self._bench.document
        if document is not None and path == document.path and not document.named:
            return ""
        path = path.resolve()
        return path.relative_to(folder).as_posix() if path.is_relative_to(folder) else ""
