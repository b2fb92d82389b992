"""Lanes beside each other, the derivation and pictures in the workbench."""

from __future__ import annotations

from pathlib import Path

from embrix.tui.bars import Masthead
from embrix.tui.comparing import Comparing, Costs, Together
from embrix.tui.deriving import Deriving, Judgements
from embrix.tui.dialogs import Ask, Pick
from tests.faces.test_workbench import bench, opened, settled, until

SCOPE = "let rate = 2 in let toll = given tons: tons * rate in let rate = 10 in toll 3"


async def test_two_walks_go_together_from_where_they_part(course_copy: Path) -> None:
    (course_copy / "rill" / "programs" / "scope.rill").write_text(SCOPE)
    async with opened(course_copy, "rill/programs/scope.rill") as pilot:
        screen = bench(pilot)
        while screen.lane != "environment":
            await pilot.press("f4")
        await settled(screen)
        await pilot.press("ctrl+k")
        compare = screen.app.screen
        assert isinstance(compare, Comparing)
        together, costs = compare.query_one(Together), compare.query_one(Costs)
        await until(lambda: together.parting >= 0, "the walks")
        # The lane that ends otherwise is looked at first.
        assert costs.lanes[costs.cursor]["lane"] == "dynamic_scope"
        assert costs.lanes[0]["lane"] == "environment"
        left, right, _ = together.rows[together.cursor]
        assert left[2].endswith("⊢ rate ⇓ 2")
        assert right[2].endswith("⊢ rate ⇓ 10")
        shown = str(compare.query_one("#why").render())  # type: ignore[attr-defined]
        assert "gives 2 in environment, 10 in dynamic_scope" in shown
        kind = costs.kind
        await pilot.press("right")
        assert costs.kind != kind
        await pilot.press("r")
        await until(lambda: screen.lane == "dynamic_scope", "the other lane")
        await settled(screen)
        assert screen.at == right[0]
        assert screen.stations.stations[screen.at]["text"].endswith("⊢ rate ⇓ …")


async def test_the_derivation_is_folded_and_leads_to_the_walk(course_copy: Path) -> None:
    (course_copy / "rill" / "programs" / "scope.rill").write_text(SCOPE)
    async with opened(course_copy, "rill/programs/scope.rill") as pilot:
        screen = bench(pilot)
        while screen.lane != "environment":
            await pilot.press("f4")
        await settled(screen)
        await pilot.press("ctrl+d")
        assert isinstance(screen.app.screen, Deriving)
        rows = screen.app.screen.query_one(Judgements)
        await until(lambda: rows.count() > 0, "the judgements")
        few = rows.count()
        await pilot.press("f")
        assert rows.count() == len(rows.all) == 12 > few
        # Premises come before what is concluded from them: the whole program is last.
        assert rows.shown[-1] == 0
        assert rows.all[rows.shown[0]][1].endswith("⊢ 2 ⇓ 2")
        await pilot.press("v")  # conclusions in order
        texts = [rows.all[number][1] for number in rows.shown]
        assert texts[-1].endswith("toll 3 ⇓ 6")
        await pilot.press("v")  # what is so far: at the first moment only the beginning
        assert rows.count() == 1
        await pilot.press("v", "up", "up")
        station = rows.all[rows.chosen][3]
        await pilot.press("enter")
        await until(lambda: screen.at == station, "the moment")


async def test_a_picture_is_drawn_beside_the_program(course_copy: Path) -> None:
    async with opened(course_copy, "drip/programs/toll.drip") as pilot:
        screen = bench(pilot)
        await pilot.press("ctrl+e")
        assert isinstance(screen.app.screen, Pick)
        await pilot.press(*"derivation", "enter")
        await until(lambda: isinstance(screen.app.screen, Ask), "the name")
        await pilot.press("enter")
        path = course_copy / "drip" / "programs" / "toll_derivation.svg"
        await until(path.exists, "the picture")
        assert "<svg" in path.read_text()
        await until(lambda: "drawn" in screen.query_one(Masthead).notice, "a word")
