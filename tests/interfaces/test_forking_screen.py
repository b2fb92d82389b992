"""Everything that a program can come to, on screen: outcomes, states, ways taken by hand."""

from __future__ import annotations

import sys
from pathlib import Path

from textual.pilot import Pilot
from textual.widgets import Static

from embrix.tui.bars import Title
from embrix.tui.dialogs import AskText
from embrix.tui.forking import Forking, OnwardRows, ReachedRows, StateCard
from tests.conftest import leave_only
from tests.interfaces.driving import bench, opened, settled, shown, until, write
from tests.interfaces.test_terminal import Terminal


async def forking(pilot: Pilot[None]) -> Forking:
    await pilot.press("alt+y")
    view = pilot.app.screen
    assert isinstance(view, Forking)
    await until(lambda: bool(view.query_one(ReachedRows).outcomes), "the outcomes")
    return view


async def test_outcomes_lead_to_states_and_states_to_a_walk(course_copy: Path) -> None:
    async with opened(course_copy, "race/programs/level.race") as pilot:
        screen = bench(pilot)
        assert screen.lanes.ending(screen.lanes.results["interleaving"]) == (
            "6, by one of several ways"
        )
        view = await forking(pilot)
        rows, onward, card = (view.query_one(kind) for kind in (ReachedRows, OnwardRows, StateCard))
        assert [row.split()[1] for row in shown(rows)] == ["6", "4", "5", "3"]
        assert shown(rows)[3].endswith("by the ways 2,2,1,2")
        # From the beginning on by hand: the second may look first.
        await pilot.press("f6", "enter", "enter")
        assert card.state is not None
        assert card.state.text == "level := level + 1 beside level := level * 2"
        assert [row.split(" → ")[0].strip() for row in shown(onward)] == ["way 1", "way 2"]
        await pilot.press("down", "enter")
        assert card.state.text == "level := level + 1 beside level := 2 * 2"
        assert card.state.beside == ["level ↦ 2"]
        await pilot.press("backspace")
        assert card.state.text == "level := level + 1 beside level := level * 2"
        # An outcome shows the state that its last step begins from; the end has no way on.
        await pilot.press("f6", "end")
        await until(lambda: "level ↦ 3" in card.state.beside, "the state")  # type: ignore[union-attr]
        assert shown(onward) == [" ◆ 3"]
        assert "way 2" in str(card.render())
        await pilot.press("w")
        assert pilot.app.screen is screen
        await settled(screen)
        await until(lambda: screen.lanes.results["interleaving"].sentence == "3", "the outcome")
        assert screen.walking.recipe.ways == [1, 1, 0, 1]
        title = str(screen.query_one("#program-title", Title).render())
        assert "by the ways 2,2,1,2" in title
        # Another program has ways of its own.
        await write(pilot, "{ a := 1 beside a := 2 } give a")
        assert screen.walking.recipe.ways == []
        assert "by the ways" not in str(screen.query_one("#program-title", Title).render())


async def test_a_state_in_the_middle_is_walked_to(course_copy: Path) -> None:
    async with opened(course_copy, "race/programs/level.race") as pilot:
        screen = bench(pilot)
        await forking(pilot)
        await pilot.press("f6", "enter", "enter", "down", "enter", "w")
        await settled(screen)
        assert screen.walking.recipe.ways == [1]
        assert screen.at == 3
        text = screen.step_rows.known_steps[3].text
        assert text == "level := level + 1 beside level := 2 * 2"


async def test_a_lane_that_leaves_nothing_open_says_so(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        view = await forking(pilot)
        assert shown(view.query_one(ReachedRows)) == [" ◆ 31.75"]
        shown_state = str(view.query_one(StateCard).render())
        assert shown_state == "no clause leaves several ways open: this is the only outcome"
        await pilot.press("f6", "enter", "backspace", "home", "d")
        assert isinstance(pilot.app.screen, AskText)
        await pilot.press("escape", "escape")
        assert pilot.app.screen is bench(pilot)


async def test_what_never_ends_and_what_is_refused_is_told(course_copy: Path) -> None:
    async with opened(course_copy, "race/programs/level.race") as pilot:
        await write(pilot, "open := 0; { while open = 0 do rest beside open := 1 } give open")
        view = await forking(pilot)
        title = str(view.query_one("#reached-title", Title).render())
        assert "1 outcome, some run never ends" in title
        await pilot.press("escape")
        await write(pilot, "open := give")
        view = await forking(pilot)
        assert "rejected" in shown(view.query_one(ReachedRows))[0]
        assert not view.query_one(OnwardRows).entries
        assert view.query(Static)


def test_all_ways_in_a_real_terminal(course_copy: Path) -> None:
    leave_only(course_copy, "race")
    home = course_copy.parent / "home"
    home.mkdir()
    command = (
        f"env HOME={home} XDG_STATE_HOME={home} {sys.executable} -m embrix open "
        f"--course {course_copy} {course_copy}/race/programs/gates.race"
    )
    terminal = Terminal(command, course_copy)
    try:
        terminal.until(lambda screen: "stuck: no way is open" in screen, "the outcome")
        terminal.keys("M-y")
        terminal.until(lambda screen: "by the first way each time" in screen, "the outcomes")
        terminal.keys("F6", "Enter")
        terminal.until(lambda screen: "2 of 5" in screen, "the second state")
        terminal.keys("d")
        terminal.until(lambda screen: "Name of the file" in screen, "the question")
        terminal.keys("Enter")
        drawn = course_copy / "race" / "programs" / "states.svg"
        terminal.until(lambda _: drawn.is_file(), "the picture")
    finally:
        terminal.close()
