"""Worksheets made in the workbench from the program on the bench."""

from __future__ import annotations

from pathlib import Path

import pytest
from textual.pilot import Pilot
from textual.widgets import Input

from embrix.tui.bars import Masthead
from embrix.tui.dialogs import AskText, Pick
from tests.interfaces.driving import WHOLE, bench, opened, until


async def chosen(pilot: Pilot[None], kind: str) -> None:
    """Ctrl+E, and the exercises of a kind out of the list."""
    await pilot.press("ctrl+e")
    await until(lambda: isinstance(pilot.app.screen, Pick), "the list")
    await pilot.press(*f"worksheet {kind}")
    await pilot.press("enter")


async def test_a_sheet_and_its_key_are_written_beside_the_program(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        await chosen(pilot, "outcomes")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        assert pilot.app.screen.query_one(Input).value == "toll_outcomes.html 4 1"
        await pilot.press("ctrl+u", *"sheet.html 2 7", "enter")
        sheet = course_copy / "drip/programs/sheet.html"
        key = course_copy / "drip/programs/sheet-answers.html"
        await until(key.exists, "the key")
        await until(lambda: sheet.read_text().endswith("</html>\n"), "the sheet")
        assert sheet.read_text().count("______") == 2 + 2  # and two for the name
        assert "31.75" in key.read_text()
        assert "Sheet 7" in sheet.read_text()
        before = sheet.read_bytes()
        # What exists is not written over unseen.
        await chosen(pilot, "outcomes")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        await pilot.press("ctrl+u", *"sheet.html", "enter")
        await until(lambda: not isinstance(pilot.app.screen, AskText), "the warning")
        await pilot.press("escape")
        assert sheet.read_bytes() == before


async def test_what_cannot_be_asked_is_told_and_nothing_is_written(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await chosen(pilot, "store")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        await pilot.press("enter")
        masthead = screen.query_one(Masthead)
        await until(lambda: "not written" in masthead.notice, "the answer")
        assert not list((course_copy / "drip/programs").glob("*.html"))


async def test_two_lanes_are_told_apart_on_a_sheet(course_copy: Path) -> None:
    async with opened(course_copy, "rill/programs/queue.rill", cases=WHOLE) as pilot:
        screen = bench(pilot)
        await chosen(pilot, "apart")
        await until(lambda: isinstance(pilot.app.screen, Pick), "the other lane")
        await pilot.press(*"dynamic", "enter")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        await pilot.press("enter")
        await until(lambda: pilot.app.screen is screen, "the bench")
        # The programs are those of the suite.
        key = course_copy / "rill/programs/queue_apart-answers.html"
        await until(key.exists, "the key")
        sheet = course_copy / "rill/programs/queue_apart.html"
        assert f"Do {screen.lane} and dynamic_scope give the same?" in sheet.read_text()


@pytest.mark.parametrize(
    ("typed", "found"),
    [("a.html", ("a.html", (4, 1))), ("a.html 7", ("a.html", (7, 1))),
     ("a b.html 7 9", ("a b.html", (7, 9))), ("7", ("7", (4, 1))), ("", ("", (4, 1))),
     ("a.pdf 900 2", ("a.pdf", (200, 2))), ("a.pdf 0", ("a.pdf", (1, 1)))],
)  # fmt: skip
def test_numbers_behind_a_name(typed: str, found: tuple[str, tuple[int, int]]) -> None:
    from embrix.tui.drawing import _with_numbers

    assert _with_numbers(typed) == found
