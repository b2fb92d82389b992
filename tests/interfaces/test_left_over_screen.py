"""The view of what is left of an interpreter."""

from __future__ import annotations

import sys
from pathlib import Path

from rich.text import Text
from textual.pilot import Pilot
from textual.widgets import Static

from embrix.tui.bars import Masthead, Title
from embrix.tui.left_over import Leftover, ResidualRows
from tests.conftest import leave_only
from tests.interfaces.driving import bench, opened, slanted, until, walk_lane
from tests.interfaces.test_terminal import Terminal


async def leftover(pilot: Pilot[None]) -> tuple[Leftover, ResidualRows]:
    await pilot.press("alt+a")
    view = pilot.app.screen
    assert isinstance(view, Leftover)
    rows = view.rows
    await until(lambda: bool(rows.all), "the residual program")
    return view, rows


def texts(rows: ResidualRows) -> list[str]:
    return [row.text for row in rows.shown]


async def test_what_is_decided_can_be_hidden_and_lines_lead_to_clauses(course_copy: Path) -> None:
    async with opened(course_copy, "rill/programs/costly.rill", (140, 44), "drip") as pilot:
        screen = bench(pilot)
        await walk_lane(pilot, "environment")
        view, rows = await leftover(pilot)
        assert "3 calls left" in str(view.query_one("#residual-title", Title).render())
        assert texts(rows)[1].startswith("eval of let sum of n")
        assert rows.shown[1].decided
        # The line under the cursor stays when notes go, and its clause is shown.
        at = texts(rows).index("if n < 1 then")
        await pilot.press(*["down"] * at)
        program = view.query_one("#residual-text", Static).content
        assert isinstance(program, Text)
        assert "n < 1" in program.plain
        assert slanted(program) == [line for line in program.plain.split("\n") if line[:1] == "#"]
        await pilot.press("u")
        assert rows.chosen is not None
        assert rows.chosen.text == "if n < 1 then"
        assert not any(row.decided for row in rows.shown)
        card = str(view.query_one("#residual-card", Static).content)
        assert card.startswith("rill/environment.brix:82\nIf(test, yes, no)")
        await pilot.press("r")
        masthead = view.query_one(Masthead)
        await until(lambda: "where the interpreter makes" in masthead.notice, "the run")
        assert masthead.notice.startswith("234: ")
        await pilot.press("u")
        assert rows.chosen is not None
        assert rows.chosen.text == "if n < 1 then"
        await pilot.press("enter")
        await until(lambda: pilot.app.screen is screen, "the bench")
        assert screen.writing.name == "rill/environment.brix"
        assert screen.writing.editor.cursor_location[0] == 81


async def test_other_lanes_and_those_that_are_not_specialised(course_copy: Path) -> None:
    async with opened(course_copy, "rill/programs/costly.rill", (140, 44), "drip") as pilot:
        await walk_lane(pilot, "by_need")
        view, rows = await leftover(pilot)
        assert any("Waiting" in text for text in texts(rows))
        seen = set()
        for _ in range(9):
            await pilot.press("f4")
            await until(lambda: bool(rows.all) or "specialised" in rows.empty_text, "the next lane")
            seen.add(rows.empty_text if not rows.all else "")
        assert "rewriting is not specialised: it repeats small steps" in seen
        # Nothing to open there.
        while rows.all:
            await pilot.press("f4")
            await until(lambda: bool(rows.all) or "not specialised" in rows.empty_text, "a lane")
        await pilot.press("enter", "u")
        assert pilot.app.screen is view


def test_in_a_real_terminal(course_copy: Path) -> None:
    leave_only(course_copy, "rill", "drip")
    command = f"{sys.executable} -m embrix open {course_copy}/rill/programs/costly.rill"
    terminal = Terminal(command, course_copy)
    try:
        terminal.until(lambda screen: "234" in screen, "the outcomes")
        terminal.keys("M-a")
        terminal.until(lambda screen: "decided beforehand" in screen, "the residual program")
        terminal.keys("u")
        screen = terminal.until(lambda one: "· eval" not in one, "the notes to go")
        assert "let v1 = " in screen
        terminal.keys("Escape")
        terminal.until(lambda one: " walk " in one, "the bench")
    finally:
        terminal.close()
