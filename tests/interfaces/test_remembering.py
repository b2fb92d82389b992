"""The workbench is as it was left, course by course."""

from __future__ import annotations

from pathlib import Path

import pytest
from textual.color import Color

from embrix.course.last_time import LastTime, Supply, last_time, remember
from embrix.course.records import Damaged
from embrix.tui.app import WorkbenchApp
from embrix.tui.step_details import StepDetails
from embrix.tui.theme import DAY, NIGHT
from tests.conftest import leave_only, shorten_suites
from tests.interfaces.driving import bench, settled, until


@pytest.fixture
def rill(course_copy: Path) -> Path:
    leave_only(course_copy, "rill")
    shorten_suites(course_copy, 3)
    return course_copy


async def left(folder: Path) -> LastTime:
    """Open the workbench, change everything that is remembered, and leave it."""
    app = WorkbenchApp(folder)
    async with app.run_test(size=(140, 44)) as pilot:
        screen = bench(pilot)
        await settled(screen)
        screen.open_program(folder / "rill" / "programs" / "ways.rill")
        screen.decided["Rill"] = ["environment[first=right]"]
        screen.supply({"n": "3"}, ["12"])
        await settled(screen)
        screen.choose_lane("environment")
        await settled(screen)
        screen.walking.go(2)
        await pilot.press("f6", "f6", "f6")  # to the walk
        await until(lambda: screen.pane == "walk", "the walk")
        await pilot.press("b")
        screen.editor.move_cursor((0, 3))
        await pilot.press("f12", "alt+2", "alt+h", "ctrl+q")
    found = last_time(folder)
    assert found is not None
    return found


async def test_what_was_left_is_there_again(rill: Path) -> None:
    found = await left(rill)
    assert (found.program, found.lane, found.step) == ("rill/programs/ways.rill", "environment", 2)
    assert found.supplies == [Supply("rill/programs/ways.rill", {"n": "3"}, ["12"])]
    app = WorkbenchApp(rill)
    async with app.run_test(size=(140, 44)) as pilot:
        screen = bench(pilot)
        await settled(screen)
        assert screen.document is not None
        assert screen.document.path.name == "ways.rill"
        assert (screen.lane, screen.walking.at) == ("environment", 2)
        assert screen.walking.marks == [2]
        assert screen.editor.cursor_location == (0, 3)
        assert (screen.walking.given, screen.input) == ({"n": "3"}, ["12"])
        details = screen.query_one(StepDetails)
        assert details.pictured
        await until(lambda: "names here" not in details.described().plain, "the frames")
        assert screen.decided == {"Rill": ["environment[first=right]"]}
        assert app.theme == DAY
        assert screen.has_class("for-writing")


async def test_another_program_that_is_asked_for_comes_first(rill: Path) -> None:
    await left(rill)
    app = WorkbenchApp(rill, rill / "rill" / "programs" / "spare.rill")
    async with app.run_test(size=(140, 44)) as pilot:
        screen = bench(pilot)
        await settled(screen)
        assert screen.document is not None
        assert screen.document.path.name == "spare.rill"
        assert (screen.walking.at, screen.walking.given) == (0, {})
        assert app.theme == DAY
        # Everything is painted by it, and by the other one when that is chosen.
        for theme in (DAY, NIGHT, DAY):
            ground = Color.parse(app.available_themes[theme].variables["lock-ground"])
            bank = Color.parse(app.available_themes[theme].variables["lock-bank"])
            assert screen.styles.background == ground
            assert screen.query_one(StepDetails).styles.background == bank
            app.action_switch_theme()
            await pilot.pause()


@pytest.mark.parametrize("gone", ["program", "choice", "lane", "record"])
async def test_what_is_no_longer_there_does_no_harm(rill: Path, gone: str, tmp_path: Path) -> None:
    found = await left(rill)
    if gone == "program":
        (rill / found.program).unlink()
    elif gone == "choice":
        found.lanes = {"Rill": ["environment[first=nobody]", "environment[nobody=right]", "x[a=b]"]}
        remember(rill, found)
    elif gone == "lane":
        (rill / "rill" / "dynamic_scope.brix").unlink()
    else:
        found.program = "../../outside.rill"
        found.step = 10**9
        remember(rill, found)
    app = WorkbenchApp(rill)
    async with app.run_test(size=(140, 44)) as pilot:
        screen = bench(pilot)
        await settled(screen)
        assert screen.document is not None
        assert screen.document.path.is_file()
        assert screen.lane in screen.lanes.lanes


async def test_a_damaged_record_is_left_and_the_workbench_opens(
    rill: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def damaged(_folder: Path) -> LastTime | None:
        raise Damaged("no record")

    monkeypatch.setattr("embrix.tui.remembering.last_time", damaged)
    app = WorkbenchApp(rill)
    async with app.run_test(size=(140, 44)) as pilot:
        await settled(bench(pilot))
        assert app.theme == NIGHT
