"""Edges between panes: moved by key and with the mouse, and where they stand the next time."""

from __future__ import annotations

import importlib
import pkgutil
import sys
from pathlib import Path

import pytest
from textual.pilot import Pilot
from textual.widget import Widget

from embrix import tui
from embrix.tui.app import WorkbenchApp
from embrix.tui.commands import OF_SEVERAL_PANES, of_place
from embrix.tui.comparing import Comparing
from embrix.tui.drafting import Drafting
from embrix.tui.pane_edges import LEAST, EdgedScreen
from embrix.tui.tally import Tally
from embrix.tui.view import View
from tests.conftest import leave_only
from tests.interfaces.driving import bench, opened, settled, until
from tests.interfaces.test_arrangements import shown
from tests.interfaces.test_terminal import Terminal

WIDER, NARROWER, TALLER, LOWER = (f"alt+shift+{key}" for key in ("right", "left", "up", "down"))


async def pressed(pilot: Pilot[None], *keys: str) -> dict[str, tuple[int, int]]:
    await pilot.press(*keys)
    return await shown(pilot)


def notice(pilot: Pilot[None]) -> str:
    return str(bench(pilot).query_one("#masthead").notice)  # type: ignore[attr-defined]


async def test_keys_make_the_pane_with_the_focus_larger_and_smaller(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        before = await shown(pilot)
        # The program: wider by three columns, which its neighbours give.
        wider = await pressed(pilot, WIDER)
        assert wider["program"] == (before["program"][0] + 3, before["program"][1])
        assert wider["side"][0] == before["side"][0] - 3
        assert {pane: wider[pane] for pane in ("walk", "step-details")} == {
            pane: before[pane] for pane in ("walk", "step-details")
        }
        assert await pressed(pilot, NARROWER) == before
        # What lies to the right becomes wider at the cost of the left.
        screen.set_focus(screen.query_one("#lanes"))
        right = await pressed(pilot, WIDER, WIDER)
        assert right["lanes"][0] == before["lanes"][0] + 6
        assert right["program"][0] == before["program"][0] - 6
        # The walk becomes taller at the cost of what is above it.
        screen.set_focus(screen.step_rows)
        taller = await pressed(pilot, TALLER, TALLER, TALLER)
        assert taller["walk"][1] == before["walk"][1] + 3
        assert taller["step-details"][1] == before["step-details"][1] + 3
        assert taller["program"][1] == before["program"][1] - 3
        walk = await pressed(pilot, NARROWER)
        assert walk["walk"][0] == before["walk"][0] - 3
        assert walk["step-details"][0] == before["step-details"][0] + 3
        assert walk["program"] == taller["program"]
        screen.set_focus(screen.editor)
        low = await pressed(pilot, TALLER)
        assert low["walk"][1] == taller["walk"][1] - 1
        # And all of them have their own sizes back.
        assert await pressed(pilot, "alt+0") == before
        assert screen.sizes == {}


async def test_a_pane_keeps_a_least_size(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        for smaller, larger, along, name in (
            (NARROWER, WIDER, 0, "width"), (LOWER, TALLER, 1, "height"),
        ):  # fmt: skip
            for _ in range(60):
                screen.action_resize(name, -1)
            small = await pressed(pilot, smaller)
            assert small["program"][along] >= (LEAST["width"], 3)[along]
            assert "no more room" in notice(pilot)
            for _ in range(90):
                screen.action_resize(name, 1)
            large = await pressed(pilot, larger)
            assert large["program"][along] > small["program"][along]
            rest = large["side"][0] if along == 0 else large["walk"][1]
            assert rest >= 1
            assert set(large) == set(small)


async def test_of_several_edges_the_nearest_moves(course_copy: Path) -> None:
    """With a file over the program, the edge between the two, not the one above the walk."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.open_text(course_copy / "drip" / "environment.brix")
        before = await shown(pilot)
        after = await pressed(pilot, LOWER, LOWER)
        assert after["text"][1] == before["text"][1] - 2
        assert after["program"][1] == before["program"][1] + 2
        assert after["walk"] == before["walk"]
        # Another layout has sizes of its own.
        assert "text" not in await pressed(pilot, "alt+3")
        lecturing = await shown(pilot)
        assert await pressed(pilot, "alt+0") == lecturing
        screen.open_text(course_copy / "drip" / "environment.brix")
        assert await shown(pilot) == after


async def test_a_pane_that_was_made_larger_fills_the_screen_and_goes_back(
    course_copy: Path,
) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        for pane in ("program", "lanes", "walk", "step-details"):
            screen.set_focus(screen.query_one(f"#{pane}"))
            before = await pressed(pilot, WIDER, TALLER)
            filled = await pressed(pilot, "alt+v")
            room = {"program": 140, "lanes": 140, "walk": 139, "step-details": 140}
            beside = filled.get("step-details", (0, 0))[0] if pane == "walk" else 0
            assert filled[pane][0] + beside == room[pane], pane
            assert await pressed(pilot, "alt+v") == before


@pytest.mark.parametrize("size", [(80, 24), (100, 30)])
async def test_with_little_room_the_step_under_the_walk(
    course_copy: Path, size: tuple[int, int]
) -> None:
    async with opened(course_copy, size=size) as pilot:
        screen = bench(pilot)
        screen.set_focus(screen.step_rows)
        before = await shown(pilot)
        after = await pressed(pilot, TALLER)
        assert after["walk"][1] == before["walk"][1] + 1
        assert after["step-details"][1] == before["step-details"][1] - 1
        # Another pane is shown alone, whatever has been moved.
        screen.set_focus(screen.editor)
        assert set(await pressed(pilot, WIDER)) == {"program", "lanes"}
        assert "no pane beside this one" in notice(pilot)
        screen.set_focus(screen.step_rows)
        assert await shown(pilot) == after


async def drag(pilot: Pilot[None], widget: Widget, to: tuple[int, int]) -> None:
    """Press the button on a widget, move the mouse by columns and lines, and let go."""
    x, y = widget.region.width // 2, widget.region.height // 2
    left, top = widget.region.offset
    await pilot.hover(widget, offset=(x, y))
    await pilot.mouse_down(widget, offset=(x, y))
    for part in (0.5, 1):
        moved = (left + x + round(to[0] * part), top + y + round(to[1] * part))
        await pilot.hover(None, offset=moved)
    await pilot.mouse_up(None, offset=(left + x + to[0], top + y + to[1]))


async def test_the_mouse_drags_grips_and_titles(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        before = await shown(pilot)
        await drag(pilot, screen.query_one(".left-grip"), (-20, 3))
        dragged = await shown(pilot)
        assert dragged["program"] == (before["program"][0] - 20, before["program"][1])
        assert dragged["side"][0] == before["side"][0] + 20
        await drag(pilot, screen.query_one("#walk-title"), (5, -6))
        dragged = await shown(pilot)
        assert dragged["walk"][1] == before["walk"][1] + 6
        await drag(pilot, screen.query_one(".walk-grip"), (11, 0))
        assert (await shown(pilot))["walk"][0] == before["walk"][0] + 11
        # A title without a pane above it is no handle, and what was let go stays.
        still = await shown(pilot)
        await drag(pilot, screen.query_one("#program-title"), (0, 8))
        await pilot.hover(None, offset=(70, 10))
        assert await shown(pilot) == still
        assert not screen.query(".handle, .dragged")


async def test_sizes_are_there_the_next_time(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        moved = await pressed(pilot, WIDER, WIDER, TALLER)
        await until(lambda: bench(pilot).walking.settled, "the walk")
        bench(pilot).remembering.take()
    app = WorkbenchApp(course_copy, None)
    async with app.run_test(size=(140, 44)) as pilot:
        await settled(bench(pilot))
        assert await shown(pilot) == moved
        # In a terminal of another size the same share.
        await pilot.resize_terminal(210, 66)
        wide = await shown(pilot)
        assert abs(wide["program"][0] - moved["program"][0] * 1.5) <= 2
        assert abs(wide["program"][1] - moved["program"][1] * 1.5) <= 3


def sides(view: EdgedScreen) -> list[tuple[int, int]]:
    """Of every edge that can be seen the sizes before and after it along what it divides."""
    found = []
    for edge in view.EDGES:
        panes, along = edge.panes(view), edge.along(view)
        if panes and along:
            before, after = (int(getattr(one.outer_size, along)) for one in panes)
            found.append((before, after))
    return found


@pytest.mark.parametrize("size", [(140, 44), (90, 34)])
@pytest.mark.parametrize(
    ("key", "edges"),
    [("f5", 1), ("ctrl+k", 3), ("ctrl+y", 2), ("alt+y", 2), ("ctrl+g", 4)],
)
async def test_edges_of_the_views(
    course_copy: Path, key: str, edges: int, size: tuple[int, int]
) -> None:
    """Every edge of a view gives one pane what it takes from the other, the others stay, and the
    size is there when the view is opened again."""
    async with opened(course_copy, size=size) as pilot:
        screen = bench(pilot)

        async def open_view() -> EdgedScreen:
            if key == "f5":
                screen.show_side_view("cases")
            await pilot.press(key)
            await until(lambda: isinstance(pilot.app.screen, View | Drafting), "the view")
            await pilot.pause()
            assert isinstance(pilot.app.screen, EdgedScreen)
            return pilot.app.screen

        view = await open_view()
        await pilot.pause()
        first = sides(view)
        steps_hidden = view.has_class("narrow") and isinstance(view, Comparing)
        assert len(first) == edges - steps_hidden
        for number, edge in enumerate(one for one in view.EDGES if one.along(view)):
            before = sides(view)
            one, other = before[number]
            by = 2 if other >= LEAST[edge.along(view)] + 2 else -1
            assert view.move_edge(edge, one + by), edge
            await pilot.pause()
            assert sides(view)[number] == (one + by, other - by), edge
        moved = sides(view)
        await pilot.press("escape")
        await until(lambda: pilot.app.screen is screen, "the bench")
        view = await open_view()
        await pilot.pause()
        assert sides(view) == moved
        await pilot.press("alt+0")
        await pilot.pause()
        assert sides(view) == first


def test_every_view_with_edges_has_the_keys() -> None:
    for module in pkgutil.iter_modules(tui.__path__, "embrix.tui."):
        importlib.import_module(module.name)
    views = [one for one in _below(View) if one.__module__.startswith("embrix.")]
    assert {Tally, Comparing} < set(views)
    places = {one.PLACE for one in views if one.EDGES} | {"drafting"}
    assert places == set(OF_SEVERAL_PANES)
    for place in (*places, ""):
        keys = {command.key for command in of_place(place)}
        assert {WIDER, NARROWER, TALLER, LOWER, "alt+0"} <= keys


def _below(kind: type[View]) -> list[type[View]]:
    return [one for sub in kind.__subclasses__() for one in (sub, *_below(sub))]


def test_edges_in_a_real_terminal(course_copy: Path) -> None:
    """Keys as a terminal sends them, and a mouse."""
    leave_only(course_copy, "drip")
    command = f"{sys.executable} -m embrix open {course_copy}/drip/programs/toll.drip"
    terminal = Terminal(command, course_copy)

    def at(sign: str) -> tuple[int, int]:
        """Line and column, from zero, of a title."""
        for number, line in enumerate(terminal.screen().split("\n")):
            if sign in line:
                return number, line.index(sign)
        return -1, -1

    def mouse(code: int, line: int, column: int, end: str = "M") -> None:
        terminal.type(f"\x1b[<{code};{column + 1};{line + 1}{end}")

    try:
        terminal.until(lambda screen: "◆ 31.75" in screen, "the outcomes")
        line, column = at("▖ lanes")
        terminal.keys("M-S-Right", "M-S-Right")
        terminal.until(lambda _: at("▖ lanes") == (line, column + 6), "a wider program")
        walk, _ = at("▖ walk")
        terminal.keys("M-S-Down")
        terminal.until(lambda _: at("▖ walk") == (walk - 1, 0), "a lower program")
        mouse(0, walk - 1, 30)
        terminal.until(lambda screen: "━ walk" in screen, "a title that is held")
        mouse(32, walk - 4, 31)
        mouse(0, walk - 4, 31, "m")
        terminal.until(lambda _: at("walk ")[0] == walk - 4, "a walk dragged upwards")
        mouse(0, 6, column + 5)
        terminal.until(lambda screen: screen.count("┃") > 9, "a grip that is held")
        mouse(32, 6, column - 15)
        mouse(0, 6, column - 15, "m")
        terminal.until(lambda _: at("▖ lanes") == (line, column - 14), "lanes dragged to the left")
        terminal.keys("M-0")
        terminal.until(lambda _: at("▖ lanes") == (line, column), "their own sizes")
        assert "not saved" not in terminal.screen()
    finally:
        terminal.close()
