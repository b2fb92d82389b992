"""Driving the workbench through Textual's pilot: opening it, waiting for it, reading it."""

from __future__ import annotations

import asyncio
import os
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from pathlib import Path

from rich.style import Style
from rich.text import Text
from textual.pilot import Pilot
from textual.widgets import Static

from embrix.course.drafts import Draft
from embrix.tui.app import WorkbenchApp
from embrix.tui.bench import Bench
from embrix.tui.dialogs import Show
from embrix.tui.rows import Rows
from embrix.tui.side_views import CasesView
from tests.conftest import leave_only, shorten_suites
from tests.waiting import Patience


def bench(pilot: Pilot[None]) -> Bench:
    return next(one for one in pilot.app.screen_stack if isinstance(one, Bench))


def difference_shown(pilot: Pilot[None]) -> str:
    """The lines of the difference that is shown; nothing while none is."""
    screen = pilot.app.screen
    if not isinstance(screen, Show):
        return ""
    return "".join(str(lines.content) for lines in screen.query(Static))


def text_of(draft: Draft | None) -> str | None:
    return draft.text if draft is not None else None


def slanted(text: Text) -> list[str]:
    """The parts of a text that are in italics, as the comments of a program are."""
    found = [span for span in text.spans if isinstance(span.style, Style) and span.style.italic]
    return [text.plain[span.start : span.end] for span in found]


async def until(condition: Callable[[], bool], what: str) -> None:
    """Wait for something the worker processes bring about."""
    patience = Patience(os.getpid())
    while not condition():
        assert not patience.over(), f"waited in vain for {what}"
        await asyncio.sleep(0.02)


WHOLE = 1_000
"""More cases than any suite has."""


@asynccontextmanager
async def opened(
    folder: Path, program: str = "drip/programs/toll.drip", size: tuple[int, int] = (140, 44),
    *others: str, cases: int = 5,
) -> AsyncIterator[Pilot[None]]:  # fmt: skip
    """The workbench on a course that has the language of a program, and others by folder, with the
    first cases of their suites."""
    leave_only(folder, program.partition("/")[0], *others)
    shorten_suites(folder, cases)
    app = WorkbenchApp(folder, folder / program)
    async with app.run_test(size=size) as pilot:
        screen = bench(pilot)
        await settled(screen)
        await until(lambda: screen.query_one(CasesView).report is not None, "the suite")
        yield pilot


async def settled(screen: Bench) -> None:
    """Wait until the whole course is there, every lane has answered, and the walk is there."""
    await until(lambda: screen.summary is not None and screen.summary.whole, "the course")
    lanes = screen.lanes
    await until(lambda: not lanes.lanes or lanes.fresh == set(lanes.lanes), "the lanes")
    await until(lambda: not lanes.lanes or screen.walking.settled, "the walk")


async def walk_lane(pilot: Pilot[None], lane: str) -> None:
    """Walk another lane, and wait for what follows."""
    while bench(pilot).lane != lane:
        await pilot.press("f4")
    await settled(bench(pilot))


async def write(pilot: Pilot[None], text: str) -> None:
    """Replace the program as if it had been typed, and wait for what follows."""
    screen = bench(pilot)
    before = screen.version
    screen.editor.load_text(text)
    await until(lambda: screen.version > before, "the change")
    await settled(screen)


def shown(rows: Rows) -> list[str]:
    return ["".join(text for text, _ in rows.row(n)).rstrip() for n in range(rows.count())]


def outcomes(screen: Bench) -> dict[str, str]:
    return {name: result.sentence for name, result in screen.lanes.results.items()}
