"""Lanes beside each other, the derivation and pictures in the workbench."""

from __future__ import annotations

from pathlib import Path

import pytest

from embrix.text.fitting import joined_within
from embrix.tui import hunting as hunting_view
from embrix.tui.bars import Masthead
from embrix.tui.comparing import Comparing, Costs, Together
from embrix.tui.deciding import Changes, Deciding, Table
from embrix.tui.deriving import Deriving, Judgements
from embrix.tui.dialogs import Agree, AskText, Pick, Show, ShowLines
from embrix.tui.growing import Chart, Growing, Growths
from embrix.tui.hunting import Hunting, Quarry
from embrix.tui.row_steps import RowSteps
from embrix.tui.rules_pane import RulesPane
from tests.interfaces.driving import (
    WHOLE,
    bench,
    opened,
    outcomes,
    settled,
    shown,
    slanted,
    until,
    walk_lane,
)

SCOPE = "let rate = 2 in let toll = given tons: tons * rate in let rate = 10 in toll 3"


async def test_two_walks_go_together_from_where_they_part(course_copy: Path) -> None:
    (course_copy / "rill" / "programs" / "scope.rill").write_text(SCOPE)
    async with opened(course_copy, "rill/programs/scope.rill") as pilot:
        screen = bench(pilot)
        await walk_lane(pilot, "environment")
        await pilot.press("ctrl+k")
        compare = screen.app.screen
        assert isinstance(compare, Comparing)
        together, costs = compare.query_one(Together), compare.query_one(Costs)
        await until(lambda: together.parting >= 0, "the walks")
        # The lane that ends otherwise is looked at first.
        assert costs.lanes[costs.cursor].lane == "dynamic_scope"
        assert costs.lanes[0].lane == "environment"
        row = together.rows[together.cursor]
        left, right = row.left, row.right
        assert "".join(text for _, text in left.row).endswith("⊢ rate ⇓ 2")
        assert "".join(text for _, text in right.row).endswith("⊢ rate ⇓ 10")
        shown = str(compare.query_one("#why").render())  # type: ignore[attr-defined]
        assert "gives 2 in environment, 10 in dynamic_scope" in shown
        kind = costs.kind
        await pilot.press("right")
        assert costs.kind != kind
        await pilot.press("r")
        await until(lambda: screen.lane == "dynamic_scope", "the other lane")
        await settled(screen)
        assert screen.at == right.step
        assert screen.step_rows.known_steps[screen.at].text.endswith("⊢ rate ⇓ …")


async def test_the_derivation_is_folded_and_leads_to_the_walk(course_copy: Path) -> None:
    (course_copy / "rill" / "programs" / "scope.rill").write_text(SCOPE)
    async with opened(course_copy, "rill/programs/scope.rill") as pilot:
        screen = bench(pilot)
        await walk_lane(pilot, "environment")
        await pilot.press("ctrl+d")
        assert isinstance(screen.app.screen, Deriving)
        rows = screen.app.screen.query_one(Judgements)
        rules = screen.app.screen.query_one(RulesPane)
        await until(lambda: rows.count() > 0, "the judgements")
        # Rules over lines: up goes to a premise, down to the conclusion, across to a neighbour.
        assert (rules.display, rules.chosen) == (True, 0)
        await pilot.press("up")
        assert joined_within(rows.all[rules.chosen].row, 200).endswith("⊢ 2 ⇓ 2")
        await pilot.press("right")
        assert rows.all[rules.chosen].depth == 1
        await pilot.press("down", "f")  # everything unfolded
        assert len(rules.sheet.placed) == 12
        await pilot.press("f")
        assert len(rules.sheet.placed) == 1
        await pilot.press("f", "v")  # everything unfolded, premises over conclusions
        assert not rules.display
        assert rows.count() == len(rows.all) == 12
        # Premises come before what is concluded from them: the whole program is last.
        assert rows.shown[-1] == 0
        assert joined_within(rows.all[rows.shown[0]].row, 200).endswith("⊢ 2 ⇓ 2")
        await pilot.press("v")  # conclusions in order
        texts = [joined_within(rows.all[number].row, 200) for number in rows.shown]
        assert texts[-1].endswith("toll 3 ⇓ 6")
        await pilot.press("v")  # the derivation so far: at the first step only the beginning
        assert rows.count() == 1
        await pilot.press("v", "v", "up", "up")
        step = rows.all[rows.chosen].entered
        await pilot.press("enter")
        await until(lambda: screen.at == step, "the step")


async def test_a_picture_is_drawn_beside_the_program(course_copy: Path) -> None:
    async with opened(course_copy, "drip/programs/toll.drip") as pilot:
        screen = bench(pilot)
        await pilot.press("ctrl+e")
        assert isinstance(screen.app.screen, Pick)
        await pilot.press(*"derivation", "enter")
        await until(lambda: isinstance(screen.app.screen, AskText), "the name")
        await pilot.press("enter")
        path = course_copy / "drip" / "programs" / "toll_derivation.svg"
        await until(path.exists, "the picture")
        assert "<svg" in path.read_text()
        plain = path.read_text()
        await pilot.press("ctrl+e", *"derivation", "enter")
        await until(lambda: isinstance(screen.app.screen, AskText), "the name again")
        await pilot.press("end", "space", *"dark", "enter")
        await until(lambda: isinstance(screen.app.screen, Agree), "the question")
        await pilot.press("enter")
        await until(lambda: path.read_text() != plain, "the colours of the dark theme")
        await until(lambda: "written" in screen.query_one(Masthead).notice, "a word")


async def test_meaning_growth_and_a_hunt_are_reached_from_the_comparison(
    course_copy: Path,
) -> None:
    path = course_copy / "rill" / "programs" / "ways.rill"
    path.write_text("let ways of k = when k < 2 then 1 else ways (k - 1) + ways (k - 2) in ways n")
    async with opened(course_copy, "rill/programs/ways.rill") as pilot:
        screen = bench(pilot)
        app = screen.app
        await walk_lane(pilot, "environment")
        await pilot.press("ctrl+k")
        costs = app.screen.query_one(Costs)
        await until(lambda: bool(costs.lanes), "the lanes")
        names = [one.lane for one in costs.lanes]
        costs.move_to(names.index("dynamic_scope"))
        await pilot.press("m")
        await until(lambda: isinstance(app.screen, ShowLines), "the differences")
        assert app.screen._lines[0] == "changed: clause eval Call"  # type: ignore[attr-defined]
        await pilot.press("escape", "M")
        await until(lambda: isinstance(app.screen, ShowLines), "what is extended")
        told = app.screen._lines  # type: ignore[attr-defined]
        assert told[0] == "Rill extends Drip:"
        assert "added: form Call" in told
        assert "dynamic_scope extends Rill.environment:" in told
        await pilot.press("escape", "g")
        await until(lambda: isinstance(app.screen, AskText), "the range")
        await pilot.press("enter")
        growing = next(one for one in app.screen_stack if isinstance(one, Growing))
        growths, chart = growing.query_one(Growths), growing.query_one(Chart)
        await until(lambda: bool(growths.growths), "the growth")
        told = shown(growths)[names.index("environment")]
        assert "exponential" in "".join(shown(growths))
        assert "1.62ⁿ" in next(line for line in shown(growths) if " environment " in line), told
        assert any("⠀" < sign <= "⣿" for sign in str(chart.render()))
        await pilot.press("s")
        assert chart.scale == "logarithmic"
        await pilot.press("escape", "h")
        assert isinstance(app.screen, Hunting)
        assert app.screen.query_one(Quarry).lanes == ("environment", "dynamic_scope")


async def test_a_hunt_finds_a_program_that_becomes_a_case(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(hunting_view, "MOST_PROGRAMS", 2_000)  # enough here, and soon over
    async with opened(course_copy, "rill/programs/rates.rill") as pilot:
        screen = bench(pilot)
        app = screen.app
        await walk_lane(pilot, "environment")
        await pilot.press("ctrl+f")
        hunting = app.screen
        assert isinstance(hunting, Hunting)
        quarry = hunting.query_one(Quarry)
        await pilot.press("x")  # stopped before anything was found
        assert "stopped" in str(quarry.render())
        await pilot.press("s")
        await until(
            lambda: bool(quarry.found and quarry.found.program) and not quarry.running, "the quarry"
        )
        program = quarry.found.program
        await until(lambda: hunting.query_one(Together).count() > 0, "the walks")
        suite = course_copy / "rill" / "rill.suite.toml"
        before = suite.read_text()
        await pilot.press("w")
        await until(lambda: isinstance(app.screen, Show), "the difference")
        await pilot.press("enter")
        await until(lambda: suite.read_text() != before, "the case")
        assert program in suite.read_text()
        await pilot.press("z")
        await until(lambda: suite.read_text() == before, "the suite as it was")
        await pilot.press("enter")
        await until(lambda: app.screen is screen, "the bench")
        assert screen.editor.text.strip() == program


async def test_decisions_tell_which_cases_change(course_copy: Path) -> None:
    async with opened(course_copy, "rill/programs/rates.rill", cases=WHOLE) as pilot:
        app = bench(pilot).app
        await pilot.press("ctrl+y")
        assert isinstance(app.screen, Deciding)
        table, changes = app.screen.query_one(Table), app.screen.query_one(Changes)
        await until(lambda: table.count() > 0, "the table")
        rows = shown(table)
        assert any("which scope has a fr" in row and "dynamic" in row for row in rows)
        table.move_to(next(n for n, row in enumerate(rows) if "truth: " in row))
        await pilot.press("enter")
        await until(lambda: isinstance(app.screen, Pick), "the ways")
        await pilot.press(*"zero", "enter")
        await until(lambda: changes.count() > 0, "the changes")
        assert "a condition is a truth value" in shown(changes)[0]
        assert "becomes 1" in shown(changes)[0]
        await pilot.press("f6", "enter")
        await until(lambda: bench(pilot).editor.text.startswith("when 3"), "the program")


async def test_the_saved_course_is_a_lane_beside_what_is_written(course_copy: Path) -> None:
    """Three times two where the rate of the definition is used, three times ten with the change."""
    (course_copy / "rill" / "programs" / "scope.rill").write_text(SCOPE)
    own = course_copy / "rill" / "environment.brix"
    changed = own.read_text().replace("eval(body, saved with", "eval(body, env with")
    async with opened(course_copy, "rill/programs/scope.rill") as pilot:
        screen = bench(pilot)
        while screen.lane != "environment":
            await pilot.press("f4")
        screen.open_text(own)
        screen.writing.editor.replace_all(changed)
        screen.set_focus(screen.editor)
        await until(lambda: outcomes(screen).get("environment") == "30", "the change")
        await pilot.press("ctrl+o", *"as saved", "enter")
        await until(lambda: screen.lane == "environment@saved", "the lane")
        await until(lambda: outcomes(screen).get("environment@saved") == "6", "as it is saved")
        await pilot.press("ctrl+k")
        costs = screen.app.screen.query_one(Costs)
        await until(lambda: bool(costs.lanes), "the lanes")
        # The plain lane is looked at first.
        assert costs.lanes[costs.cursor].lane == "environment"
        await pilot.press("escape")
        screen.writing.save(screen.say)
        await until(lambda: outcomes(screen).get("environment@saved") == "30", "saved")


async def test_handouts_and_starters_are_written_from_the_bench(course_copy: Path) -> None:
    async with opened(course_copy, "drip/programs/toll.drip") as pilot:
        screen = bench(pilot)
        while screen.lane != "environment":
            await pilot.press("f4")
            await settled(screen)
        screen.set_focus(screen.step_rows)
        await pilot.press("right", "right", "b", "ctrl+e", *"steps that are marked", "enter")
        await until(lambda: isinstance(screen.app.screen, AskText), "the name")
        await pilot.press("enter")
        page = course_copy / "drip" / "programs" / "toll.html"
        await until(page.exists, "the page")
        assert "<h3>Step 2</h3>" in page.read_text()
        await pilot.press("ctrl+e", *"left to be written", "enter")
        await until(lambda: isinstance(screen.app.screen, AskText), "the forms")
        await pilot.press(*"Neg", "enter")
        await until(lambda: isinstance(screen.app.screen, AskText), "the folder")
        await pilot.press("enter")
        starter = course_copy.parent / "environment_starter"
        await until((starter / "course.toml").exists, "the starter")
        await until(lambda: "environment_starter" in screen.query_one(Masthead).notice, "a word")
        assert "todo" in (starter / "drip" / "environment.brix").read_text()


async def test_a_row_shows_names_and_store_of_both_lanes_and_the_program(course_copy: Path) -> None:
    text = "let rate = 1 + 2 in  # let\nlet twice = rate + rate in\ntwice * rate"
    (course_copy / "rill" / "programs" / "rate.rill").write_text(text)
    async with opened(course_copy, "rill/programs/rate.rill") as pilot:
        screen = bench(pilot)
        await walk_lane(pilot, "by_need")
        await pilot.press("ctrl+k")
        compare = screen.app.screen
        assert isinstance(compare, Comparing)
        costs, together = compare.query_one(Costs), compare.query_one(Together)
        await until(lambda: costs.count() > 1, "the lanes")
        while costs.lanes[costs.cursor].lane != "environment":
            await pilot.press("down")
        await until(
            lambda: (
                bool(together.rows)
                and compare.query_one(RowSteps).recipes is not None
                and compare.query_one(RowSteps).recipes[1].lane == "environment"
            ),  # type: ignore[index]
            "the walks",
        )
        await pilot.press("f6")
        place = (text.rindex("rate"), len(text))
        together.move_to(len(together.rows) - 1)
        row = together.rows[-1]
        assert row.left is not None
        assert row.right is not None
        left, right = compare.query_one(RowSteps).sides
        await until(
            lambda: left.step is not None and left.step.number == row.left.step
            and right.step is not None and right.step.number == row.right.step, "the steps",
        )  # fmt: skip
        assert {one.name for one in right.step.bindings} == {"rate", "twice"}  # type: ignore[union-attr]
        # By need the names are locations, and the store says what is there.
        assert {one.location for one in left.step.store} == {"@0", "@1"}  # type: ignore[union-attr]
        assert left.step.place == place  # type: ignore[union-attr]
        assert str(compare.query_one("#why").render()).startswith(  # type: ignore[attr-defined]
            "let rate = 1 + 2 in  # let\nlet twice"
        )
        marked = compare.query_one(RowSteps).program_at()
        bold = [marked.plain[span.start : span.end] for span in marked.spans
                if getattr(span.style, "underline", False)]  # fmt: skip
        assert bold == ["rate"]
        assert slanted(marked) == ["# let"]
        await pilot.press("f6")
        assert compare.focused is left
        await pilot.press("f6", "f6")
        assert compare.focused is costs
        assert "by_need and environment" in str(compare.query_one("#why").render())  # type: ignore[attr-defined]
