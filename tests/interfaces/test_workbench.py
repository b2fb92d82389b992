"""The workbench, driven through Textual's pilot: what is on screen, and what keys do."""

from __future__ import annotations

import asyncio
from pathlib import Path

import pytest
from textual.widgets import Static

from embrix.course.drafts import find_draft
from embrix.tui.app import WorkbenchApp
from embrix.tui.bars import Masthead, Title
from embrix.tui.bench import Bench
from embrix.tui.commands import COMMANDS, everywhere, of_place
from embrix.tui.desk import Desk
from embrix.tui.dialogs import Help, Pick, Show
from embrix.tui.rows import Rows
from embrix.tui.side_views import CasesView, NotesView, TokensView, TreeView
from embrix.tui.walk_pane import Gauge
from tests.interfaces.driving import (
    WHOLE,
    bench,
    difference_shown,
    opened,
    outcomes,
    settled,
    shown,
    text_of,
    until,
    write,
)


async def test_everything_follows_the_program_as_it_is_typed(course_copy: Path) -> None:
    """Tokens, tree, outcomes and step counts are those of the text on screen."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        assert set(outcomes(screen).values()) == {"31.75"}
        screen.editor.load_text("")
        await pilot.press(*"1+2*3")
        await settled(screen)
        await until(lambda: screen.lanes.results["rewriting"].sentence == "7", "the outcome")
        assert set(outcomes(screen).values()) == {"7"}
        assert screen.lanes.results["rewriting"].costs["steps"] == 2
        assert "2 steps" in shown(screen.lanes)[2]
        tree = shown(screen.query_one(TreeView))
        assert [line.replace("│", "").split()[-1] for line in tree if "Lit" in line] == [
            "1", "2", "3",
        ]  # fmt: skip
        tokens = shown(screen.query_one(TokensView))
        assert [line.split() for line in tokens][:2] == [
            ["1:1", "number", "1"],
            ["1:2", "sign", "+"],
        ]


async def test_all_mistakes_of_a_program_are_told_and_marked(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "let a = in\nlet b = 2 in\nlet c 3 in\na + b + * c")
        notice = screen.query_one("#notice", Static)
        lines = str(notice.render()).split("\n")
        assert [line.split()[0] for line in lines] == ["1:9", "3:7", "4:9"]
        assert {line for line, _ in screen.editor.faults} == {0, 2, 3}
        await write(pilot, "1 + 2")
        assert not notice.display
        assert not screen.editor.faults


async def test_what_is_wrong_is_said_beside_the_program(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "1 + (2\n")
        notice = screen.query_one("#notice")
        assert notice.display
        assert "1:7" in str(notice.render())
        assert all(sentence.startswith("rejected") for sentence in outcomes(screen).values())
        await write(pilot, "let x = 1 in\ny")
        assert "2:1  Unbound: nothing called y is in scope" in str(notice.render())
        await write(pilot, "1")
        assert not notice.display


async def test_the_timeline_steps_both_ways_and_marks_the_program(course_copy: Path) -> None:
    """F8 and F7 move one step; the active part, the names and the gauge move along."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "let x = 2 + 3 in\nx * 4")
        while screen.lane != "environment":
            await pilot.press("f4")
        await settled(screen)
        step = screen.step_rows.known_steps
        seen = []
        for _ in range(9):
            seen.append((screen.at, step[screen.at].text))
            await pilot.press("f8")
        assert [at for at, _ in seen] == list(range(9))
        assert screen.editor.marked_lines == [1]
        names = step[screen.at].bindings
        assert [(one.name, one.value) for one in names] == [("x", "5")]
        gauge = screen.query_one(Gauge)
        column = gauge.column()
        await pilot.press("f7", "f7")
        assert screen.at == 7
        assert step[7].text == seen[7][1]
        assert gauge.column() < column
        await pilot.press("f9")
        assert screen.at == screen.step_rows.length - 1
        await pilot.press("f9")
        assert screen.at == 0


async def test_marks_are_seen_again_when_their_lane_is(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "let x = 2 + 3 in\nx * 4")
        await settled(screen)
        screen.set_focus(screen.step_rows)
        await pilot.press("f8", "f8", "b")
        lane = screen.lane
        assert "◗" in shown(screen.step_rows)[2]
        for _ in screen.lanes.lanes:
            await pilot.press("f4")
            await settled(screen)
            assert any("◗" in row for row in shown(screen.step_rows)) == (screen.lane == lane)
        assert screen.lane == lane


async def test_the_small_step_lane_shows_its_terms(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "let x = 2 + 3 in x * 4")
        while screen.lane != "rewriting":
            await pilot.press("f4")
        await settled(screen)
        lines = [line.split("→")[-1].split("◆")[-1].strip() for line in shown(screen.step_rows)]
        assert lines == ["let x = 2 + 3 in x * 4", "let x = 5 in x * 4", "5 * 4", "20"]
        assert screen.step_rows.known_steps[0].focus == (8, 13)


async def test_the_suite_is_run_again_and_its_state_is_visible(course_copy: Path) -> None:
    """A changed definition turns cases red by itself; F5 shows them."""
    async with opened(course_copy, cases=WHOLE) as pilot:
        screen = bench(pilot)
        masthead = screen.query_one(Masthead)
        assert "165 pass" in masthead.suite
        path = course_copy / "drip" / "drip.brix"
        right = path.read_text()
        path.write_text(right.replace('left    "+"', 'right   "+"'))
        await until(lambda: "fail" in masthead.suite, "red cases")
        await pilot.press("f5")
        assert screen.side_view == "cases"
        await until(lambda: "fail" in masthead.suite, "the verdicts")
        rows = shown(screen.query_one(CasesView))
        assert any("environment: 5 ⟂ 9" in row for row in rows)
        path.write_text(right)
        await until(lambda: "165 pass" in masthead.suite, "green cases")


async def test_a_wrong_definition_is_noted_and_runs_as_far_as_it_goes(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        path = course_copy / "drip" / "environment.brix"
        path.write_text(path.read_text().replace("fail Unbound", "fail Unbond"))
        await until(lambda: screen.lanes.errors.get("environment") == 1, "the wrong lane")
        await until(lambda: len(screen.lanes.fresh) == 3, "the lanes")
        assert set(outcomes(screen).values()) == {"31.75"}  # no run comes to it
        assert any("! 1 error" in row for row in shown(screen.lanes))
        notes = shown(screen.query_one(NotesView))
        assert any("unknown_error" in note for note in notes)
        assert any("did you mean Unbound?" in note for note in notes)
        await write(pilot, "nobody")
        await until(lambda: len(screen.lanes.fresh) == 3, "the lanes")
        assert outcomes(screen)["environment"].startswith("unfinished: no error called Unbond")
        assert "Unbound" in outcomes(screen)["by_name"]


async def test_a_program_is_saved_and_reopened(course_copy: Path, tmp_path: Path) -> None:
    """One from elsewhere as well: it has a name, and is saved where it is."""
    elsewhere = tmp_path / "elsewhere" / "visit.drip"
    elsewhere.parent.mkdir()
    elsewhere.write_text("1 + 2")
    path = course_copy / "drip" / "programs" / "toll.drip"
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        title = screen.query_one("#program-title", Title)
        await write(pilot, "2 + 2\n")
        assert "not saved" in title.right
        await pilot.press("ctrl+s")
        assert path.read_text() == "2 + 2\n"
        assert title.right == ""
        await pilot.press("f2")
        assert isinstance(pilot.app.screen, Pick)
        await pilot.press(*"shad", "enter")
        await until(lambda: "level" in screen.editor.text, "the other program")
        await settled(screen)
        assert set(outcomes(screen).values()) == {"15"}
        screen.open_program(elsewhere)
        assert title.subject == "visit.drip"
        await write(pilot, "1 + 3")
        await pilot.press("ctrl+s")
        assert elsewhere.read_text() == "1 + 3"


async def test_unsaved_text_is_back_after_leaving(course_copy: Path) -> None:
    path = course_copy / "drip" / "programs" / "toll.drip"
    before = path.read_text()
    async with opened(course_copy) as pilot:
        await write(pilot, "let half = 1 in half")
        await pilot.press("ctrl+q")
    assert path.read_text() == before
    assert text_of(find_draft(path)) == "let half = 1 in half"
    async with opened(course_copy) as pilot:
        assert bench(pilot).editor.text == "let half = 1 in half"
        await pilot.press("ctrl+s")
    assert path.read_text() == "let half = 1 in half"
    assert find_draft(path) is None


async def test_a_change_made_elsewhere_is_never_overwritten_unseen(course_copy: Path) -> None:
    path = course_copy / "drip" / "programs" / "toll.drip"
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        path.write_text("1 + 1")
        await until(lambda: screen.editor.text == "1 + 1", "the new text")
        await write(pilot, "my own")
        path.write_text("9 + 9")
        await until(lambda: "changed outside" in screen.query_one(Masthead).notice, "the notice")
        assert screen.editor.text == "my own"
        await pilot.press("ctrl+s")
        await until(lambda: isinstance(pilot.app.screen, Show), "the difference")
        lines = difference_shown(pilot).splitlines()
        assert [line for line in lines if line[:1] in "+-"] == ["-9 + 9", "+my own"]
        await pilot.press("escape")
        assert path.read_text() == "9 + 9"
        await pilot.press("ctrl+s")
        await until(lambda: isinstance(pilot.app.screen, Show), "the difference")
        path.write_text("8 + 8")  # and once more, while that is looked at
        await pilot.press("enter")
        await until(lambda: "8 + 8" in difference_shown(pilot), "the new difference")
        assert path.read_text() == "8 + 8"
        await pilot.press("enter")
        await until(lambda: path.read_text() == "my own", "saved")


async def test_typing_goes_on_while_a_lane_runs_for_ever(course_copy: Path) -> None:
    """An endless lane is cut off by its limit or by the next key, and never blocks the editor."""
    path = course_copy / "drip" / "environment.brix"
    text = path.read_text().replace(
        "  Lit(n)            => Num(n)", "  Lit(9)            => eval(e, env)\n  Lit(n) => Num(n)"
    )
    path.write_text(text)
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.editor.load_text("")
        await pilot.press(*"9 + 1 + 1")
        assert screen.editor.text == "9 + 1 + 1"
        await settled(screen)
        await until(lambda: outcomes(screen)["environment"].startswith("out of fuel"), "the limit")
        await until(lambda: outcomes(screen)["by_name"] == "11", "the other lane")


async def test_text_with_brackets_is_never_markup(course_copy: Path) -> None:
    """[x], [/x] and control characters are shown as they are."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await write(pilot, "[/bold] [red]x \x1b[31m")
        notice = screen.query_one("#notice")
        assert "`[`" in str(notice.render())
        await pilot.press("f3")
        assert (
            "\\u{1b}"
            in "".join(
                "".join(s.text for s in screen.query_one(TokensView).render_line(y))
                for y in range(4)
            )
            or screen.query_one(TokensView).count() >= 1
        )


async def test_a_case_can_be_tried_in_the_editor(course_copy: Path) -> None:
    async with opened(course_copy, cases=WHOLE) as pilot:
        screen = bench(pilot)
        await pilot.press("f5")
        await until(lambda: screen.query_one(CasesView).count() > 40, "the cases")
        cases = screen.query_one(CasesView)
        cases.focus()
        cases.move_to(3)
        await pilot.press("enter")
        await until(lambda: screen.editor.text == "10 - 3 - 2", "the program of the case")
        await settled(screen)
        assert set(outcomes(screen).values()) == {"5"}
        assert not screen.document.path.exists()  # type: ignore[union-attr]


async def test_help_is_about_the_pane_and_can_be_searched(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        await pilot.press("f1")
        assert isinstance(pilot.app.screen, Help)
        keys = pilot.app.screen.query_one(Rows)
        commands = [*of_place("program"), *everywhere()]
        assert keys.count() == len(commands)
        for command, row in zip(commands, shown(keys), strict=True):
            assert row.startswith(f" {command.label} "), row
        await pilot.press(*"run the suite")
        assert [row.split()[0] for row in shown(keys)] == ["F5"]
        await pilot.press("escape")
        assert isinstance(pilot.app.screen, Bench)


async def test_a_command_is_carried_out_from_the_list(course_copy: Path) -> None:
    """Ctrl+P lists commands; Enter does the chosen one, and one that cannot be done says why."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await pilot.press("ctrl+p", *"to the last", "enter")
        await until(lambda: screen.at == screen.step_rows.length - 1, "the last step")
        await write(pilot, "1 +")
        await pilot.press("ctrl+p", *"step forward")
        listed = shown(pilot.app.screen.query_one(Rows))
        row = " ".join(listed[0].split())
        assert (len(listed), row) == (1, "F8 One step forward not now: the run has no steps")
        await pilot.press("enter")
        assert isinstance(pilot.app.screen, Help)


async def test_focus_goes_round_the_panes(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        order = [screen.pane]
        for _ in range(5):
            await pilot.press("f6")
            order.append(screen.pane)
        assert order == ["program", "lanes", "side", "walk", "step-details", "program"]


@pytest.mark.parametrize("size", [(80, 24), (140, 44), (220, 60)])
async def test_every_size_has_room_for_what_matters(
    course_copy: Path, size: tuple[int, int]
) -> None:
    """At each size the pane with the focus has at least a few rows, and the lanes are in view."""
    async with opened(course_copy, size=size) as pilot:
        screen = bench(pilot)
        for pane in ("program", "lanes", "side", "walk"):
            widget = screen.query_one(f"#{screen.side_view}" if pane == "side" else f"#{pane}")
            widget.focus()
            for _ in range(20):  # the arrangement follows the focus when it is drawn next
                await pilot.pause()
                if widget.size.height:
                    break
            assert widget.size.height >= (1 if pane == "lanes" else 6), (pane, widget.size)
            assert screen.lanes.size.height >= 3


def test_no_two_commands_of_one_place_share_a_key() -> None:
    """The table is the only source of keys; none of them is one that terminals swallow."""
    swallowed = {"ctrl+i", "ctrl+m", "ctrl+h", "ctrl+space", "ctrl+enter", "f10", "f11"}
    for place in {command.place for command in COMMANDS}:
        keys = [command.key for command in of_place(place)]
        assert len(keys) == len(set(keys))
    assert not {command.key for command in COMMANDS} & swallowed
    places = ("cases", "notes", "program", "text", "walk")
    for command in [*everywhere(), *(one for place in places for one in of_place(place))]:
        assert hasattr(Bench, f"action_{command.action.partition('(')[0]}"), command.action


async def test_a_program_reads_the_input_it_is_given(course_copy: Path) -> None:
    async with opened(course_copy, "weir/programs/tolls.weir") as pilot:
        screen = bench(pilot)
        told = screen.lanes.results["store_passing"].sentence
        assert told.startswith("NoInput")
        await pilot.press("ctrl+l")
        await pilot.press(*"30; 10; 0", "enter")
        await until(lambda: screen.lanes.results["store_passing"].sentence == "done", "the lines")
        assert screen.lanes.results["store_passing"].output == ["90\n"]
        assert "▤ 90" in screen.lanes.ending(screen.lanes.results["rewriting"])


async def test_a_choice_is_decided_otherwise_in_a_lane_beside(course_copy: Path) -> None:
    async with opened(course_copy, "rill/programs/queue.rill") as pilot:
        screen = bench(pilot)
        before = list(screen.lanes.lanes)
        screen.editor.load_text("when 3 then 1 else 2")
        await settled(screen)
        screen.choose_lane("environment")
        await pilot.press("ctrl+o")
        await pilot.pause()
        await pilot.press(*"zero_is", "enter")
        name = "environment[truth=zero_is_false]"
        await until(lambda: name in screen.lanes.lanes, "the new lane")
        await settled(screen)
        assert screen.lanes.lanes == [*before, name]
        assert screen.lane == name
        assert screen.lanes.results[name].sentence == "1"
        assert screen.lanes.results["environment"].sentence.startswith("TruthWanted")


async def test_a_notice_goes_by_itself_unless_something_is_wrong(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("embrix.tui.bars.KEPT", 0.2)
    async with opened(course_copy) as pilot:
        masthead = bench(pilot).query_one(Masthead)
        bench(pilot).say("saved")
        assert masthead.notice == "saved"
        await until(lambda: masthead.notice == "", "the notice to go")
        bench(pilot).say("first")
        bench(pilot).say("not saved", "brick")
        await asyncio.sleep(0.5)
        assert masthead.notice == "not saved"


async def test_nothing_is_typed_or_opened_before_there_is_a_course(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is typed while the course is read would belong to no text; what needs it says so."""
    monkeypatch.setattr(Desk, "load", lambda *_: None)
    app = WorkbenchApp(course_copy, course_copy / "drip" / "programs" / "toll.drip")
    async with app.run_test(size=(140, 44)) as pilot:
        await until(lambda: isinstance(app.screen, Bench), "the bench")
        screen = bench(pilot)
        for key in ("f2", "ctrl+n", "f5"):
            await pilot.press(key)
            assert app.screen is screen
            assert "still being read" in screen.query_one(Masthead).notice
        await pilot.press("x", "enter", "y")
        assert screen.editor.text == ""
