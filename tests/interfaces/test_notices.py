"""What the first line says, and for how long; Esc in a text."""

from __future__ import annotations

from pathlib import Path

import pytest

from embrix.tui import bars
from embrix.tui.bars import Masthead
from embrix.tui.editor import ProgramEditor
from tests.interfaces.driving import bench, opened, settled, until


@pytest.mark.parametrize("pane", ["program", "text"])
async def test_esc_in_a_text_stays_there(course_copy: Path, pane: str) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        if pane == "text":
            screen.open_text(course_copy / "drip" / "drip.brix", 3)
            await until(lambda: screen.writing.is_open, "the definition")
        editor = screen.query_one(f"#{pane}", ProgramEditor)
        editor.focus()
        editor.select_all()
        await pilot.press("escape", "#", "x")
        await until(lambda: "#x" in editor.text, "what is typed")
        assert screen.focused is editor
        assert len(editor.text) > 10  # the selection was dropped, not the text


async def test_a_notice_goes_with_the_text_it_was_about(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bars, "READ", 0.0)
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        head = screen.query_one(Masthead)
        screen.say("nothing is wrong here")
        await pilot.press("1")
        await until(lambda: not head.notice, "the notice to go")
        screen.say("that went wrong", "brick")
        await pilot.press("2")
        await settled(screen)
        assert head.notice == "that went wrong"
        monkeypatch.setattr(bars, "READ", 60.0)
        screen.say("just now")
        await pilot.press("3")
        await settled(screen)
        assert head.notice == "just now"
