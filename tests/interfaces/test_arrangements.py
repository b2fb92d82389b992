"""How the panes share the screen: three arrangements, and one pane on the whole of it."""

from __future__ import annotations

import sys
from pathlib import Path

import pytest
from textual.geometry import Region
from textual.pilot import Pilot
from textual.widget import Widget

from embrix.tui.arranging_panes import pane_of
from tests.conftest import leave_only
from tests.interfaces.driving import bench, opened, settled, until
from tests.interfaces.test_terminal import Terminal


async def shown(pilot: Pilot[None]) -> dict[str, tuple[int, int]]:
    """The panes that can be seen, with their sizes."""
    await pilot.pause()
    screen = bench(pilot)
    panes = ("program", "text", "lanes", "side", "walk", "step-details")
    sizes = {name: screen.query_one(f"#{name}").region.size for name in panes}
    return {name: (size.width, size.height) for name, size in sizes.items() if size.area}


@pytest.mark.parametrize(
    ("pane", "left"), [("program", {"program"}), ("walk", {"walk", "step-details"}),
                       ("lanes", {"lanes", "side"})],
)  # fmt: skip
async def test_a_pane_fills_the_screen_and_goes_back(
    course_copy: Path, pane: str, left: set[str]
) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.set_focus(screen.query_one(f"#{pane}"))
        before = await shown(pilot)
        assert set(before) == {"program", "lanes", "side", "walk", "step-details"}
        await pilot.press("alt+v")
        filled = await shown(pilot)
        assert set(filled) == left
        assert sum(width for width, _ in filled.values()) > 130
        assert screen.focused is screen.query_one(f"#{pane}")
        await pilot.press("alt+v")
        assert await shown(pilot) == before


async def test_another_pane_fills_the_screen_when_it_is_gone_to(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await pilot.press("alt+v")
        assert set(await shown(pilot)) == {"program"}
        seen = []
        for _ in range(4):
            await pilot.press("f6")
            seen.append(frozenset(await shown(pilot)))
            assert screen.focused is not None
        assert frozenset({"walk", "step-details"}) in seen
        assert frozenset({"lanes", "side"}) in seen
        await pilot.press("alt+v")
        assert len(await shown(pilot)) == 5


async def test_three_arrangements(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        running = await shown(pilot)
        await pilot.press("alt+3")
        lecturing = await shown(pilot)
        assert set(lecturing) == {"program", "walk", "step-details"}
        assert lecturing["walk"][1] > running["walk"][1]
        assert lecturing["program"][0] > running["program"][0]
        # The walk goes on, and the focus stays where something can be seen.
        await pilot.press("f6", "f8")
        assert screen.focused is screen.step_rows
        await pilot.press("f6", "f6")  # by way of the step beside the walk
        assert screen.focused is screen.editor
        await pilot.press("alt+1")
        assert await shown(pilot) == running
        screen.open_text(course_copy / "drip" / "environment.brix")
        beside = await shown(pilot)
        await pilot.press("alt+2")
        writing = await shown(pilot)
        assert writing["text"][1] > beside["text"][1]
        assert writing["walk"][1] < beside["walk"][1]
        await pilot.press("alt+3")
        assert "text" not in await shown(pilot)
        # A file that is opened is to be seen.
        screen.open_text(course_copy / "drip" / "drip.brix")
        assert "text" in await shown(pilot)
        await settled(screen)


def test_arrangements_in_a_real_terminal(course_copy: Path) -> None:
    """Alt and a digit is a key there, and no sign that is typed."""
    leave_only(course_copy, "drip")
    command = f"{sys.executable} -m embrix open {course_copy}/drip/programs/toll.drip"
    terminal = Terminal(command, course_copy)
    try:
        terminal.until(lambda screen: "◆ 31.75" in screen, "the outcomes")
        terminal.keys("M-3")
        screen = terminal.until(lambda one: "◆ 31.75" not in one, "the arrangement")
        assert "£" not in screen
        assert "not saved" not in screen
        terminal.keys("M-v")
        terminal.until(lambda screen: " walk " not in screen, "the program alone")
        terminal.keys("M-v", "M-1")
        terminal.until(lambda screen: "◆ 31.75" in screen and " walk " in screen, "all panes")
    finally:
        terminal.close()


async def test_a_lecture_where_there_is_little_room(course_copy: Path) -> None:
    """Program over walk, whichever has the focus and wherever it was before; the details of the
    step where they have it."""
    async with opened(course_copy, size=(80, 24)) as pilot:
        screen = bench(pilot)
        screen.set_focus(screen.query_one("#side"))
        await pilot.press("alt+3")
        assert screen.focused is screen.editor
        for name in ("program", "walk", "step-details"):
            screen.set_focus(screen.query_one(f"#{name}"))
            found = await shown(pilot)
            assert set(found) == {"program", "walk", *({name} & {"step-details"})}
            assert found["program"][1] >= 6
            assert found["walk"][1] + found.get("step-details", (0, 0))[1] >= 9
        await pilot.press("alt+1")
        assert set(await shown(pilot)) == {"walk", "step-details", "lanes"} - {"walk"}


async def test_a_lecture_in_large_letters_shows_the_step_as_well(course_copy: Path) -> None:
    """100 by 30, as on a wall: program, walk and step are all there, whichever has the focus."""
    async with opened(course_copy, size=(100, 30)) as pilot:
        screen = bench(pilot)
        await pilot.press("alt+3")
        for name in ("program", "walk", "step-details"):
            screen.set_focus(screen.query_one(f"#{name}"))
            found = await shown(pilot)
            assert set(found) == {"program", "walk", "step-details"}
            assert min(high for _, high in found.values()) >= 5


async def test_the_present_row_stays_in_sight_when_its_pane_gets_smaller(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        rows = bench(pilot).step_rows

        def seen() -> bool:
            top = round(rows.scroll_offset.y)
            return top <= rows.cursor < top + rows.scrollable_content_region.height

        await pilot.press("f9")
        await until(lambda: rows.cursor == rows.count() - 1 > 12, "the last step")
        await until(seen, "its row")
        high = rows.size.height
        await pilot.press("alt+2")
        await until(lambda: rows.size.height < high, "a small walk")
        await until(seen, "its row in the small walk")


PANES = {"program": "program", "side": "right", "walk": "low", "step-details": "step-details"}
"""What fills the screen with a pane, by its id."""


async def at_rest(pilot: Pilot[None], widget: Widget) -> Region:
    """Where something stands when what was pressed before has been drawn."""
    while True:
        before = widget.region
        await pilot.pause(0.15)
        if widget.region == before:
            return before


@pytest.mark.parametrize(
    ("arrangement", "size"),
    [("alt+1", (140, 42)), ("alt+1", (80, 24)), ("alt+2", (90, 30)), ("alt+2", (80, 24)),
     ("alt+3", (140, 42)), ("alt+3", (80, 24))],
)  # fmt: skip
async def test_a_pane_that_fills_the_screen_has_all_of_it(
    course_copy: Path, arrangement: str, size: tuple[int, int]
) -> None:
    """But for the first line, the titles and the last line, in every arrangement and size; and it
    goes back to where it was."""
    async with opened(course_copy, size=size) as pilot:
        screen = bench(pilot)
        await pilot.press(arrangement)
        filled = set()
        for _ in range(7):
            pane = pane_of(screen.focused)
            if pane in PANES and pane not in filled:
                filled.add(pane)
                widget = screen.query_one(f"#{PANES[pane]}")
                before = await at_rest(pilot, widget)
                await pilot.press("alt+v")
                await pilot.pause()
                assert widget.region.width >= size[0] - 1, pane
                assert widget.region.height >= size[1] - 6, (pane, widget.region)
                assert isinstance(screen.focused, Widget)
                assert screen.focused.region.height > 1
                await pilot.press("alt+v")
                await pilot.pause()
                assert widget.region == before
            await pilot.press("f6")
        assert {"program", "walk"} <= filled
