"""From any view to any other: the same program, lane and step, and the way back."""

from __future__ import annotations

from pathlib import Path

from embrix.tui.commands import OPENING, of_place, opens
from embrix.tui.comparing import Comparing, Together
from embrix.tui.deriving import Deriving, Judgements
from embrix.tui.dialogs import AskText
from embrix.tui.forking import Forking
from embrix.tui.growing import Growing
from embrix.tui.lecturing import Lecturing
from embrix.tui.side_views import CasesView
from embrix.tui.tally import Board, Tally
from embrix.tui.view import View
from tests.interfaces.driving import bench, opened, until, walk_lane

SCOPE = "let rate = 2 in let toll = given tons: tons * rate in let rate = 10 in toll 3"


async def test_views_lie_over_each_other_and_esc_goes_back_one(course_copy: Path) -> None:
    (course_copy / "rill" / "programs" / "scope.rill").write_text(SCOPE)
    async with opened(course_copy, "rill/programs/scope.rill") as pilot:
        screen, app = bench(pilot), pilot.app
        await walk_lane(pilot, "environment")

        def views() -> list[type]:
            return [type(one) for one in app.screen_stack if isinstance(one, View)]

        await pilot.press("ctrl+k")
        compare = app.screen
        together = compare.query_one(Together)
        await until(lambda: together.parting >= 0, "the walks")
        await pilot.press("p")
        row = together.rows[together.cursor].left
        assert row is not None
        assert row.step > 0
        await pilot.press("ctrl+d")
        await until(lambda: views() == [Comparing, Deriving], "the derivation")
        rows = app.screen.query_one(Judgements)
        await until(lambda: rows.count() > 0, "the judgements")
        # It is shown from the step that was chosen among the rows, on the lane of these.
        assert (screen.lane, screen.at) == ("environment", row.step)
        chosen = rows.all[rows.chosen]
        assert chosen.entered <= row.step <= chosen.left
        await pilot.press("ctrl+u")
        await until(lambda: views() == [Comparing, Deriving, Growing], "the growth")
        await until(lambda: isinstance(app.screen, AskText), "the question for a range")
        await pilot.press("escape", "escape")
        await until(lambda: views() == [Comparing, Deriving], "the derivation again")
        await pilot.press("alt+y")
        await until(lambda: views()[-1] is Forking, "the ways")
        await pilot.press("escape", "escape")
        await until(lambda: views() == [Comparing], "the lanes again")
        assert app.screen is compare  # as it was left: the program is still the same
        await pilot.press("escape")
        await until(lambda: views() == [], "the bench")
        assert screen.editor.text == SCOPE


async def test_what_a_case_or_a_stop_is_about_is_taken_along(course_copy: Path) -> None:
    async with opened(course_copy, "drip/programs/chamber.drip") as pilot:
        screen, app = bench(pilot), pilot.app
        await until(lambda: screen.query_one(CasesView).report is not None, "the suite")
        await pilot.press("ctrl+d", "f5")
        await until(lambda: isinstance(app.screen, Tally), "the tally")
        board = app.screen.query_one(Board)
        await pilot.press("down")
        case = board.case
        assert case is not None
        await pilot.press("ctrl+k")
        await until(lambda: isinstance(app.screen, Comparing), "the lanes")
        assert screen.editor.text == case.program
        await pilot.press("escape")
        await until(lambda: isinstance(app.screen, Tally), "the tally again")
        assert board.case is not None
        assert board.case.name == case.name
        await pilot.press("alt+k")
        await until(lambda: isinstance(app.screen, Lecturing), "the lesson")
        lesson = app.screen
        assert isinstance(lesson, Lecturing)
        await until(lambda: lesson.stop is not None, "its first stop")
        await pilot.press("ctrl+d")
        await until(lambda: isinstance(app.screen, Deriving), "the derivation of the stop")
        assert lesson.stop is not None
        assert screen.editor.text == lesson.stop.program
        assert screen.lane == lesson.stop.lane
        await pilot.press("escape")
        await until(lambda: app.screen is lesson, "the lesson again")
        await pilot.press("escape")
        await until(lambda: isinstance(app.screen, Tally), "the tally below it")
        # At the bottom lies the derivation of another program: it begins again.
        below = app.screen_stack[1]
        await pilot.press("escape")
        await until(lambda: isinstance(app.screen, Deriving) and app.screen is not below, "anew")
        rows = app.screen.query_one(Judgements)
        await until(lambda: rows.count() > 0, "the judgements of the stop")
        await pilot.press("escape")
        await until(lambda: app.screen is screen, "the bench")


def test_every_view_has_the_keys_that_open_the_others() -> None:
    """The same keys as on the bench, none of them for anything else."""
    on_bench = {one.action: one.key for one in (*of_place(""), *of_place("text"))}
    for key, action, place, _ in OPENING:
        assert on_bench[action] == key
        assert opens(place) == action
        keys = [one.key for one in of_place(place)]
        assert len(keys) == len(set(keys))
        others = {one for one, _, other, _ in OPENING if other != place}
        assert others <= set(keys)
