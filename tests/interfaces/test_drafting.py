"""The drafting table, driven through Textual's pilot."""

from __future__ import annotations

import re
from pathlib import Path

from msgspec.structs import replace
from textual.pilot import Pilot
from textual.widgets import Input, Static

from embrix.course.drafts import find_draft
from embrix.tui.annotated import AnnotatedEditor
from embrix.tui.bars import Masthead, Title
from embrix.tui.commands import of_place
from embrix.tui.comparing import Comparing
from embrix.tui.dialogs import Help
from embrix.tui.drafting import Drafting, OutcomeRows
from embrix.tui.editor import ProgramEditor
from embrix.tui.prompting import Prompting, Transcript
from embrix.tui.side_views import CasesView, TreeView
from embrix.tui.tally import Board, Tally
from tests.interfaces.driving import bench, opened, settled, text_of, until

DEFINITION = "drip/drip.brix"


async def table(pilot: Pilot[None], trial: str) -> Drafting:
    """Open the drafting table with a text to try."""
    await pilot.press("ctrl+g")
    await until(lambda: isinstance(pilot.app.screen, Drafting), "the drafting table")
    screen = pilot.app.screen
    assert isinstance(screen, Drafting)
    await pilot.pause()
    screen.query_one("#trial", ProgramEditor).load_text(trial)
    await until(lambda: bool(tree_view(screen, "with-change").nodes), "the trees")
    return screen


def tree_view(screen: Drafting, name: str) -> TreeView:
    return screen.query_one(f"#{name}", TreeView)


def forms(screen: Drafting, name: str) -> list[str]:
    return [row.form for row in tree_view(screen, name).nodes]


async def test_rules_are_tried_before_there_are_forms(course_copy: Path) -> None:
    saved = (course_copy / DEFINITION).read_text()
    bare = re.sub(r"(?ms)^forms .*?(?=^\S)", "", saved)
    loose = re.sub(
        r"(?ms)^  operators.*?(?=^\S)", '  Sum ::= n:number | left:Sum "-" right:Sum\n', bare
    )
    async with opened(course_copy) as pilot:
        screen = await table(pilot, "8 - 2 - 1")
        editor = screen.query_one(AnnotatedEditor)
        titles = [screen.query_one(f"#{name}-title", Title) for name in ("saved", "with-change")]
        editor.load_text(bare)
        await until(lambda: "Sum" in forms(screen, "with-change"), "the derivation")
        assert [title.subject for title in titles] == ["term", "derivation"]
        await until(lambda: titles[1].right == "unfinished", "the report")
        assert forms(screen, "saved")[0] == "Sub"
        editor.load_text(loose)
        await until(lambda: titles[0].label == "first tree", "both derivations")
        assert [title.subject for title in titles] == ["derivation", "derivation"]
        assert tree_view(screen, "saved").differing
        await pilot.press("alt+x", "enter")
        await until(lambda: titles[0].label == "as saved", "the dropped change")


async def test_a_change_is_tried_compared_and_dropped(course_copy: Path) -> None:
    saved = (course_copy / DEFINITION).read_text()
    async with opened(course_copy) as pilot:
        screen = await table(pilot, "8 - 2 - 1")
        editor = screen.query_one(AnnotatedEditor)
        assert editor.document.get_line(editor.cursor_location[0]) == "grammar"
        await until(lambda: forms(screen, "saved") == ["Sub", "Sub", "Lit", "Lit", "Lit"], "a tree")
        changed = saved.replace('"+" makes Add   "-"', '"+" makes Add\n    right   "-"')
        editor.load_text(changed)
        await until(lambda: forms(screen, "with-change")[1:3] == ["Lit", "Sub"], "the other tree")
        assert (
            tree_view(screen, "saved").differing
            == tree_view(screen, "with-change").differing
            == {1, 2, 3, 4}
        )
        assert "not saved" in screen.query_one("#definition-title", Title).right
        await pilot.press("f5")
        outcome = screen.query_one(OutcomeRows)
        await until(lambda: bool(outcome.lines), "the comparison")
        assert any("another tree: 1 - 1 - 1" in line for line in outcome.lines)
        assert any(line.startswith("untouched") for line in outcome.lines)
        await pilot.press("f3")
        await until(lambda: "Sum" in forms(screen, "saved"), "the derivations")
        await pilot.press("f3", "alt+x", "enter")
        await until(lambda: not tree_view(screen, "with-change").differing, "the dropped change")
        assert editor.text == saved
        await pilot.press("alt+x")
        assert "no change" in screen.query_one(Masthead).notice
    assert (course_copy / DEFINITION).read_text() == saved


async def test_findings_stand_at_their_lines(course_copy: Path) -> None:
    saved = (course_copy / DEFINITION).read_text()
    async with opened(course_copy) as pilot:
        screen = await table(pilot, "1 - 2 - 3")
        editor = screen.query_one(AnnotatedEditor)
        extra = '    | left:Expr "-" right:Expr makes Sub\n    | Sum\n'
        editor.load_text(saved.replace("    | Sum\n", extra))
        line = editor.text.split("\n").index('    | left:Expr "-" right:Expr makes Sub')
        await until(lambda: line in editor.remarks, "the conflict at its rule")
        assert "◂! " in editor.get_line(line).plain
        editor.move_cursor((line, 0))
        note = screen.query_one("#line-note", Static)
        await until(lambda: note.display, "the finding in full")
        title = screen.query_one("#saved-title", Title)
        await until(lambda: title.label == "first tree", "two trees side by side")
        assert tree_view(screen, "saved").differing
        editor.load_text(saved.replace("Neg(arg: Expr)", "Neg(arg: Exprr)"))
        where = editor.text.split("\n").index("  Neg(arg: Exprr)")
        await until(lambda: where in editor.remarks, "the error at its line")
        assert editor.remarks[where].weight == "error"


async def test_a_change_is_kept_for_the_next_time_and_saved(course_copy: Path) -> None:
    saved = (course_copy / DEFINITION).read_text()
    changed = saved.replace('prefix  "-"', 'prefix  "-" makes Neg "minus"')
    async with opened(course_copy) as pilot:
        screen = await table(pilot, "1")
        screen.query_one(AnnotatedEditor).load_text(changed)
        await until(lambda: text_of(find_draft(course_copy / DEFINITION)) == changed, "the draft")
        await pilot.press("escape")
        await until(lambda: pilot.app.screen is bench(pilot), "the bench")
        screen = await table(pilot, "minus 1")
        assert screen.query_one(AnnotatedEditor).text == changed
        await until(lambda: forms(screen, "with-change") == ["Neg", "Lit"], "the new operator")
        assert forms(screen, "saved") == []
        await pilot.press("ctrl+s")
        assert (course_copy / DEFINITION).read_text() == changed
        await until(lambda: forms(screen, "saved") == ["Neg", "Lit"], "the course read again")
        await pilot.press("escape")
        await settled(bench(pilot))
    assert find_draft(course_copy / DEFINITION) is None


async def test_every_key_of_the_drafting_table_works(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = await table(pilot, "1 + 2")
        for command in of_place("drafting"):
            name = command.action.partition("(")[0]
            assert hasattr(screen, f"action_{name}"), name
        await pilot.press("f1")
        assert isinstance(pilot.app.screen, Help)
        await pilot.press("escape", "f2")
        await pilot.pause()
        await pilot.press(*"atom", "enter")
        title = screen.query_one("#trial-title", Title)
        await until(lambda: title.subject == "read at Atom", "the rule")
        notice = screen.query_one("#trial-notice", Static)
        await until(lambda: notice.display, "the refusal at that rule")
        await pilot.press("f6", "f6", "f12")
        assert pilot.app.theme == "lockside-day"


async def test_enter_keeps_the_indentation(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        editor = bench(pilot).editor
        editor.load_text("  1 +")
        editor.move_cursor((0, 5))
        await pilot.press("enter", "2")
        assert editor.text == "  1 +\n  2"


async def test_a_derivation_stands_beside_the_term_and_nodes_mark_their_slices(
    course_copy: Path,
) -> None:
    async with opened(course_copy) as pilot:
        screen = await table(pilot, "1 +\n2 * 3")
        await pilot.press("f3", "f3")
        # With the first key both sides are derivations, with the second one.
        terms = ["Add", "Lit", "Mul", "Lit", "Lit"]
        await until(
            lambda: (
                forms(screen, "saved")[:1] == ["Expr"] and forms(screen, "with-change") == terms
            ),
            "the derivation beside the term",
        )
        await pilot.press("f6", "f6", "f6", "down", "down")
        trial = screen.query_one("#trial", ProgramEditor)
        await until(lambda: trial.marked_lines == [1], "the slice of the product")


async def test_the_prompt_survives_and_remembers(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        await pilot.press("ctrl+t")
        await until(lambda: isinstance(pilot.app.screen, Prompting), "the prompt")
        screen = pilot.app.screen
        rows = screen.query_one(Transcript)

        def answers() -> list[str]:
            return [text for text, typed in rows.lines if not typed]

        for typed, answer in (
            ("1 / 0", "DivisionByZero: division by zero"),
            ("2 $", "rejected: no token begins with `$`"),
            ("let x = 2 in", ""),
            ("x * 21", "42"),
            ("?term", "let x = 2 in x * 21"),
        ):
            screen.query_one("#line", Input).value = typed
            await pilot.press("enter")
            await until(lambda wanted=answer: not wanted or wanted in answers(), typed)
        await pilot.press("up", "up")
        assert screen.query_one("#line", Input).value == "x * 21"
        await pilot.press("escape", "ctrl+t")
        await until(lambda: isinstance(pilot.app.screen, Prompting), "the prompt again")
        assert "42" in [text for text, _ in pilot.app.screen.query_one(Transcript).lines]


async def test_other_views_open_over_the_prompt_and_over_the_drafting_table(
    course_copy: Path,
) -> None:
    """Esc comes back to where one was, with what was typed there."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await settled(screen)
        await pilot.press("ctrl+t")
        await until(lambda: isinstance(pilot.app.screen, Prompting), "the prompt")
        line = pilot.app.screen.query_one("#line", Input)
        line.value = "1 + "
        await pilot.press("ctrl+k")
        await until(lambda: isinstance(pilot.app.screen, Comparing), "the comparison")
        await pilot.press("escape")
        await until(lambda: isinstance(pilot.app.screen, Prompting), "the prompt again")
        assert line.value == "1 + "
        await pilot.press("escape")
        await table(pilot, "1 + 2")
        await pilot.press("ctrl+k")
        await until(lambda: isinstance(pilot.app.screen, Comparing), "the comparison")
        await pilot.press("escape")
        await until(lambda: isinstance(pilot.app.screen, Drafting), "the drafting table again")


async def test_answers_that_come_while_a_view_opens_wait_for_it(course_copy: Path) -> None:
    """The course read again, and a suite run, when nothing of the view is there yet."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await settled(screen)
        screen.action_draft()
        table = pilot.app.screen
        assert isinstance(table, Drafting)
        assert not table.query("#with-change-title")
        table.look()
        await until(lambda: bool(table.query("#with-change-title")), "the drafting table")
        await pilot.press("escape")
        await until(lambda: pilot.app.screen is screen, "the bench")
        screen.show_side_view("cases")
        report = screen.query_one(CasesView).report
        assert report is not None
        screen.action_suite()
        tally = pilot.app.screen
        assert isinstance(tally, Tally)
        later = replace(report, cases=report.cases[:1])
        tally.suite_ran(later)
        await until(lambda: tally.query(Board) and tally.board.count() == 1, "the later report")
