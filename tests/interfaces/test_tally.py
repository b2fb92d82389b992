"""The tally of a suite, and going places in the walk."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from textual.pilot import Pilot
from textual.widgets import Input

from embrix.trace.saved import SavedWalk
from embrix.tui.annotated import AnnotatedEditor
from embrix.tui.bars import Masthead, Title
from embrix.tui.bench import Bench
from embrix.tui.comparing import Comparing, Costs
from embrix.tui.desk import Desk
from embrix.tui.dialogs import AskText, Pick, Show
from embrix.tui.tally import Board, CaseCard, Tally
from tests.interfaces.driving import WHOLE, bench, opened, settled, until

SUITE = """# By hand.
language = "Drip"
[[case]]
name = "holds"
tags = ["sums"]
program = "1 + 2"
value = 3
[[case]]
name = "wrong step"
program = "1 + 2 * 3 - 4"
[case.steps]
rewriting = ["1 + 2 * 3 - 4", "1 + 6 - 4", "7 - 5", "3"]
[[case]]
name = "wrong value"   # why
program = "tons * 3"
given = { tons = "2" }
value = 7
"""


async def tally(pilot: Pilot[None]) -> Tally:
    screen = bench(pilot)
    await pilot.press("f5", "f5")
    await until(lambda: isinstance(screen.app.screen, Tally), "the tally")
    found = screen.app.screen
    assert isinstance(found, Tally)
    await until(lambda: found.query_one(Board).count() > 0, "the cases")
    return found


async def walking_environment(pilot: Pilot[None]) -> Bench:
    """The bench with the keys in the walk through the lane `environment`."""
    screen = bench(pilot)
    screen.set_focus(screen.step_rows)
    while screen.lane != "environment":
        await pilot.press("f4")
        await settled(screen)
    return screen


def write_suite(folder: Path) -> Path:
    path = folder / "drip" / "drip.suite.toml"
    path.write_text(SUITE, encoding="utf-8")
    return path


async def test_a_red_cell_is_two_keys_from_the_step_that_differs(course_copy: Path) -> None:
    write_suite(course_copy)
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        found = await tally(pilot)
        board = found.query_one(Board)
        # The cursor begins at the first red cell.
        assert board.case is not None
        assert board.verdict is not None
        assert (board.case.name, board.verdict.lane) == ("wrong step", "rewriting")
        card = str(found.query_one(CaseCard).render())
        assert "expected  step 2: 7 - 5" in card
        assert "but got   step 2: 7 - 4" in card
        await pilot.press("enter")
        await until(lambda: screen.editor.text == "1 + 2 * 3 - 4", "the program")
        await settled(screen)
        assert screen.lane == "rewriting"
        assert screen.at == 2
        assert screen.step_rows.known_steps[2].text == "7 - 4"


async def test_a_case_with_bindings_is_walked_with_them(course_copy: Path) -> None:
    write_suite(course_copy)
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        found = await tally(pilot)
        await pilot.press("r", "down", "right")
        board = found.query_one(Board)
        assert board.case is not None
        assert board.case.name == "wrong value"
        await pilot.press("enter")
        await until(lambda: screen.editor.text == "tons * 3", "the program")
        await settled(screen)
        assert {r.sentence for r in screen.lanes.results.values()} == {"6"}


async def test_accepting_writes_after_a_look_and_is_undone(course_copy: Path) -> None:
    path = write_suite(course_copy)
    async with opened(course_copy) as pilot:
        found = await tally(pilot)
        await pilot.press("end", "a")
        await until(lambda: isinstance(pilot.app.screen, Show), "the difference")
        assert path.read_text(encoding="utf-8") == SUITE
        await pilot.press("escape")
        assert path.read_text(encoding="utf-8") == SUITE
        await pilot.press("a")
        await until(lambda: isinstance(pilot.app.screen, Show), "the difference")
        await pilot.press("enter")
        await until(lambda: path.read_text(encoding="utf-8") != SUITE, "the new text")
        assert path.read_text(encoding="utf-8") == SUITE.replace("value = 7", "value = 6")
        masthead = found.query_one(Masthead)
        await until(lambda: "1 of" in masthead.suite, "one red cell")
        await pilot.press("z")
        assert path.read_text(encoding="utf-8") == SUITE
        await until(lambda: "4 of" in masthead.suite, "four red cells")


async def test_a_case_leads_to_its_lanes_beside_each_other(course_copy: Path) -> None:
    """With the names that the case supplies: three times two is six on every lane."""
    write_suite(course_copy)
    async with opened(course_copy) as pilot:
        app = bench(pilot).app
        found = await tally(pilot)
        names = [case.name for case in found.query_one(Board).cases]
        found.query_one(Board).move_to(names.index("wrong value"))
        await pilot.press("k")
        await until(lambda: isinstance(app.screen, Comparing), "the comparison")
        costs = app.screen.query_one(Costs)
        await until(lambda: bool(costs.lanes), "the lanes")
        assert {one.sentence for one in costs.lanes} == {"6"}


async def test_an_expectation_is_edited_in_place(course_copy: Path) -> None:
    path = write_suite(course_copy)
    async with opened(course_copy) as pilot:
        await tally(pilot)
        await pilot.press("end", "e")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        line = pilot.app.screen.query_one(Input)
        assert line.value == "7"
        line.value = "error Unbound"
        await pilot.press("enter")
        await until(lambda: isinstance(pilot.app.screen, Show), "the difference")
        await pilot.press("enter")
        wanted = SUITE.replace("value = 7", 'error = "Unbound"')
        await until(lambda: path.read_text(encoding="utf-8") == wanted, "the new text")


async def test_what_a_green_cell_expects_is_there_to_be_edited(course_copy: Path) -> None:
    write_suite(course_copy)
    async with opened(course_copy) as pilot:
        board = (await tally(pilot)).query_one(Board)
        board.move_to([case.name for case in board.cases].index("holds"))
        assert board.verdict is not None
        assert board.verdict.state == "passed"
        await pilot.press("e")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        assert pilot.app.screen.query_one(Input).value == "3"


async def test_cases_are_narrowed_and_ordered(course_copy: Path) -> None:
    write_suite(course_copy)
    async with opened(course_copy) as pilot:
        found = await tally(pilot)
        board = found.query_one(Board)
        await pilot.press("r")
        assert [case.name for case in board.cases] == ["wrong step", "wrong value"]
        await pilot.press("r", "o", "o")
        assert [case.name for case in board.cases] == ["holds", "wrong step", "wrong value"]
        assert board.groups == {0: "sums", 1: "no tag"}
        await pilot.press("slash")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        pilot.app.screen.query_one(Input).value = "SUMS"
        await pilot.press("enter")
        await until(lambda: len(board.cases) == 1, "one case")
        assert "1 of 3" in found.query_one("#tally-title", Title).subject
        await pilot.press("escape")
        assert pilot.app.screen is bench(pilot)


async def test_thirty_cases_and_eight_lanes_are_seen_at_once(course_copy: Path) -> None:
    program = "rill/programs/rates.rill"
    async with opened(course_copy, program, (140, 44), cases=WHOLE) as pilot:
        found = await tally(pilot)
        board = found.query_one(Board)
        assert board.size.height >= 30
        assert len(board.lanes) >= 8
        width = board.size.width
        assert 2 * len(board.lanes) + 30 < width


async def test_going_places_in_the_walk(course_copy: Path) -> None:
    program = "rill/programs/rates.rill"
    async with opened(course_copy, program=program) as pilot:
        screen = await walking_environment(pilot)

        async def looked(key: str, what: str) -> None:
            await pilot.press(key)
            await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
            pilot.app.screen.query_one(Input).value = what
            await pilot.press("enter")

        await looked("l", "rate")
        await until(lambda: screen.at > 0, "the lookup")
        await settled(screen)
        first = screen.at
        assert screen.step_rows.known_steps[first].text.endswith("rate ⇓ …")
        await pilot.press("b", "n")
        await until(lambda: screen.at > first, "the next lookup")
        second = screen.at
        await pilot.press("n")
        masthead = screen.query_one(Masthead)
        await until(lambda: "is not looked up" in masthead.notice, "the answer")
        assert screen.at == second
        await pilot.press("N")
        await until(lambda: screen.at == first, "the lookup before")
        await pilot.press("u")
        await until(lambda: screen.at > first, "where the judgement around ends")
        await pilot.press("j")
        assert screen.at == first
        await pilot.press("e")
        await until(lambda: screen.at == screen.step_rows.length - 1, "the end")
        await looked("g", "3")
        assert screen.at == 3
        await pilot.press("d")
        await until(lambda: screen.at > 3, "over the judgement")
        await looked("w", "kept")
        path = course_copy / "rill" / "programs" / "kept.walk.gz"
        await until(path.exists, "the file")
        assert len(SavedWalk(path)) == screen.step_rows.length


async def test_from_a_step_to_its_clause_and_back(course_copy: Path) -> None:
    program = "rill/programs/rates.rill"
    async with opened(course_copy, program=program) as pilot:
        screen = await walking_environment(pilot)
        await pilot.press("e")
        await until(lambda: screen.at == screen.step_rows.length - 1, "the end")
        await pilot.press("left")
        await settled(screen)
        clause = screen.step_rows.known_steps[screen.at].clause
        await pilot.press("c")
        await until(lambda: screen.text_beside == "environment.brix", "the definition")
        editor = screen.query_one("#text", AnnotatedEditor)
        line = editor.text.split("\n")[editor.cursor_location[0]]
        assert line.split("=>")[0].strip() == clause.text.split("=>")[0].strip()
        screen.set_focus(screen.step_rows)
        await pilot.press("k")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        assert pilot.app.screen.query_one(Input).value == f"{clause.file}:{clause.line}"


async def test_a_walk_from_a_file_is_opened_as_it_was_recorded(course_copy: Path) -> None:
    async with opened(course_copy, "drip/programs/toll.drip") as pilot:
        screen = await walking_environment(pilot)
        length = screen.step_rows.length
        await pilot.press("w", *"kept", "enter")
        path = course_copy / "drip" / "programs"
        await until(lambda: any(path.glob("*.walk.gz")), "the file")
        (kept,) = path.glob("*.walk.gz")
        screen.editor.load_text("1 + 1")
        await until(lambda: screen.step_rows.length == 7 and screen.walking.settled, "another walk")
        await pilot.press("f2", *kept.name, "enter")
        await until(lambda: screen.step_rows.length == length, "the walk from the file")
        await settled(screen)
        title = screen.query_one("#walk-title", Title)
        assert "from a file" in title.subject
        assert screen.editor.text == SavedWalk(kept).head["program"]
        await pilot.press("right", "right")
        assert screen.at == 2
        await pilot.press("f4")
        await until(lambda: "from a file" not in title.subject, "a walk of another lane")
        kept.write_bytes(b"no walk")
        await pilot.press("f2", *kept.name, "enter")
        await until(lambda: "not opened" in screen.query_one(Masthead).notice, "what is wrong")
        assert screen.step_rows.length > 0


async def test_a_running_suite_is_stopped(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    async with opened(course_copy, "rill/programs/costly.rill") as pilot:
        screen = await tally(pilot)
        # A worker that takes its time: nothing is answered.
        monkeypatch.setattr(Desk, "ask", lambda *_, **__: None)
        await pilot.press("f5", "x")
        assert not screen.running
        assert "stopped" in screen.query_one(Masthead).notice
        await pilot.press("x")
        assert "not running" in screen.query_one(Masthead).notice


async def test_cases_are_added_duplicated_renamed_and_removed(course_copy: Path) -> None:
    path = write_suite(course_copy)

    async def agreed(pilot: Pilot[None], expected: Callable[[str], bool]) -> None:
        await until(lambda: isinstance(pilot.app.screen, Show), "the difference")
        before = path.read_text(encoding="utf-8")
        await pilot.press("enter")
        await until(lambda: path.read_text(encoding="utf-8") != before, "written")
        assert expected(path.read_text(encoding="utf-8"))

    async with opened(course_copy) as pilot:
        bench(pilot).editor.load_text("20 + 22")
        board = (await tally(pilot)).query_one(Board)

        async def goes_to(name: str) -> None:
            await until(lambda: board.case is not None and board.case.name == name, name)

        assert board.case is not None
        name = board.case.name
        await pilot.press("c")
        await agreed(pilot, lambda text: f"{name} (again)" in text)
        await goes_to(f"{name} (again)")
        await pilot.press("n")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        pilot.app.screen.query_one(Input).value = "quite another"
        await pilot.press("enter")
        await agreed(pilot, lambda text: 'name = "quite another"' in text)
        await goes_to("quite another")
        await pilot.press("w")
        await until(lambda: isinstance(pilot.app.screen, Pick), "what the case states")
        await pilot.press("enter")
        await agreed(pilot, lambda text: 'program = "20 + 22"' in text and "42" in text)
        count = path.read_text(encoding="utf-8").count("[[case]]")
        await pilot.press("delete")
        await agreed(pilot, lambda text: text.count("[[case]]") == count - 1)
        await pilot.press("z", "z", "z", "z")
        await until(lambda: path.read_text(encoding="utf-8") == SUITE, "all taken back")
