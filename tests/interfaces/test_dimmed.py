"""What lies below a dialog looks as the library draws it, and is drawn anew when it changes."""

from __future__ import annotations

from itertools import chain
from pathlib import Path

import pytest
from rich.style import Style
from textual.renderables.background_screen import BackgroundScreen
from textual.screen import ModalScreen
from textual.visual import RichVisual, Visual

from embrix.tui.bars import Masthead, Title
from embrix.tui.dialogs import Dialog
from embrix.tui.dimmed import Dimmed
from tests.interfaces.driving import bench, opened, until


def cells(dialog: Dialog[object], shown: Visual) -> list[list[tuple[str, Style | None]]]:
    """What is drawn below a dialog, as signs with their styles, line by line."""
    width, height = dialog.size
    lines = Visual.to_strips(dialog, shown, width, height, dialog.visual_style)
    return [
        list(chain.from_iterable([(sign, style) for sign in text] for text, style, _ in line))
        for line in lines
    ]


@pytest.mark.parametrize("theme", ["night", "day"])
async def test_below_a_dialog_the_bench_is_dimmed(course_copy: Path, theme: str) -> None:
    async with opened(course_copy) as pilot:
        if theme == "day":
            pilot.app.action_switch_theme()  # type: ignore[attr-defined]
            await pilot.pause()
        await pilot.press("f2")
        dialog = pilot.app.screen
        assert isinstance(dialog, Dialog)
        pilot.app.export_screenshot()  # it is drawn, if it was not yet
        own = dialog._render()
        assert isinstance(own, Dimmed)

        def by_library() -> list[list[tuple[str, Style | None]]]:
            return cells(dialog, RichVisual(dialog, BackgroundScreen(own._below, own._through)))

        await until(lambda: cells(dialog, own) == by_library(), "the bench as it is now, dimmed")
        below = {sign for line in cells(dialog, RichVisual(dialog, own._below._compositor))
                 for sign in line}  # fmt: skip
        assert {sign for line in by_library() for sign in line}.isdisjoint(below - {("", None)})


async def test_what_happens_on_the_bench_shows_through(course_copy: Path) -> None:
    """One change after the other, each as it was drawn last."""
    async with opened(course_copy) as pilot:
        await pilot.press("f2")
        dialog = pilot.app.screen
        assert isinstance(dialog, ModalScreen)

        def drawn() -> str:
            return "".join(line.text for line in dialog._styles_cache._cache.values())

        await until(lambda: "Embrix" in drawn(), "the bench below")
        masthead, title = bench(pilot).query_one(Masthead), bench(pilot).query_one(Title)
        masthead.show(notice="one boat")
        await until(lambda: "one boat" in drawn(), "what the first line says")
        for number in range(3):
            await pilot.pause(0.3)
            title.show("", f"{number} gates", "faint")
            await until(lambda n=number: f"{n} gates" in drawn(), "a title")  # type: ignore[misc]
            await pilot.pause(0.3)
            masthead.show(notice=f"{number} boats")
            await until(lambda n=number: f"{n} boats" in drawn(), "the first line")  # type: ignore[misc]
