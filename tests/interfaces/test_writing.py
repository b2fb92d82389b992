"""A course is written inside the workbench: begun in an empty folder, its files beside the program,
what is typed counting at once."""

from __future__ import annotations

import argparse
import errno
import os
import random
import re
import sys
import tomllib
from pathlib import Path
from typing import Any

import pytest
from textual.widget import Widget
from textual.widgets import Input

from embrix.cli import opening
from embrix.course.drafts import find_draft
from embrix.course.finding import files_of
from embrix.messages.replies import Look
from embrix.tui import app, desk
from embrix.tui.annotated import AnnotatedEditor, Remark
from embrix.tui.bars import Masthead, Title
from embrix.tui.dialogs import AskText, Pick, Show
from embrix.tui.drafting import Drafting, OutcomeRows
from embrix.tui.side_views import CasesView, NotesView
from tests.interfaces.driving import (
    bench,
    difference_shown,
    opened,
    outcomes,
    settled,
    until,
    write,
)

LANE = "drip/environment.brix"


async def test_what_is_typed_counts_before_it_is_saved(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        path = course_copy / LANE
        before = path.read_text()
        was = outcomes(screen)["environment"]
        screen.open_text(path)
        editor = screen.query_one("#text", AnnotatedEditor)
        await until(lambda: editor.has_focus, "the focus")
        line = next(n for n, one in enumerate(before.split("\n")) if "Mul(" in one)
        editor.move_cursor((line, 0))
        editor.replace_all(before.replace("Mul(", "Mull("))
        await until(lambda: line in editor.remarks, "the error at its line")
        assert editor.remarks[line].weight == "error"
        await until(lambda: screen.query_one("#text-title", Title).right == "● not saved", "told")
        assert path.read_text() == before
        notes = screen.query_one(NotesView).notes
        assert [note.file for note in notes if note.severity == "error"] == [LANE]

        screen.close_text()
        await until(lambda: outcomes(screen)["environment"] == was, "as it was")
        await until(lambda: not screen.query_one(NotesView).notes, "no note")
        screen.open_text(path)
        assert "Mull(" in editor.text  # kept, and back
        await until(lambda: "is back" in screen.query_one(Masthead).notice, "told")


async def test_a_note_leads_to_its_place(course_copy: Path) -> None:
    path = course_copy / LANE
    path.write_text(path.read_text() + "\ndefine odd(n: Number) -> Number\n  m\n")
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        notes = screen.query_one(NotesView)
        await until(lambda: any(note.severity == "error" for note in notes.notes), "the note")
        screen.show_side_view("notes")
        notes.focus()
        error = next(n for n in notes.notes if n.severity == "error")
        notes.cursor = notes._note_of.index(error)
        await pilot.press("enter")
        editor = screen.query_one("#text", AnnotatedEditor)
        await until(lambda: editor.cursor_location[0] == error.line - 1, "the place")
        assert error.message in str(screen.query_one("#text-note").render())


async def test_all_files_of_the_course_are_opened_from_one_list(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await pilot.press("f2")
        await until(lambda: isinstance(pilot.app.screen, Pick), "the list")
        files = {path.name for path in files_of(course_copy)}
        assert {"course.toml", "drip.brix", "drip.suite.toml", "environment.brix"} <= files
        await pilot.press(*"suite", "enter")
        await until(lambda: screen.text_beside == "drip.suite.toml", "the suite")
        editor = screen.query_one("#text", AnnotatedEditor)
        report = screen.query_one(CasesView).report
        assert report is not None
        await until(lambda: len(editor.remarks) == len(report.cases), "verdicts")
        assert {remark.weight for remark in editor.remarks.values()} == {"good"}
        await pilot.press("f2")
        await until(lambda: isinstance(pilot.app.screen, Pick), "the list")
        await pilot.press(*"close", "enter")
        await until(lambda: not screen.text_beside, "closed")
        assert screen.editor.has_focus


async def test_a_file_written_elsewhere_is_not_written_over(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        path = course_copy / LANE
        screen.open_text(path)
        editor = screen.query_one("#text", AnnotatedEditor)
        mine = editor.text + "\n# mine\n"
        editor.replace_all(mine)
        path.write_text(path.read_text() + "\n# theirs\n")
        masthead = screen.query_one(Masthead)
        screen.writing.changed_on_disk()
        assert "your text is still here" in masthead.notice
        screen.action_save()
        await until(lambda: "-# theirs" in difference_shown(pilot), "the difference")
        assert "+# mine" in difference_shown(pilot)
        await pilot.press("escape")
        assert "# theirs" in path.read_text()
        screen.action_save()
        await until(lambda: "-# theirs" in difference_shown(pilot), "the difference")
        await pilot.press("enter")
        await until(lambda: path.read_text() == mine, "saved")
        assert re.search("saved environment.brix", masthead.notice)


async def test_a_change_is_discarded_after_it_was_shown(course_copy: Path) -> None:
    """Of a file and of a program: what is in the file comes back, one undo brings the change."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        before = (course_copy / LANE).read_text()
        screen.open_text(course_copy / LANE)
        screen.writing.editor.replace_all(before + "# mine\n")
        await pilot.press("alt+x")
        await until(lambda: "-# mine" in difference_shown(pilot), "the change")
        await pilot.press("escape")
        assert screen.writing.editor.text == before + "# mine\n"
        await pilot.press("alt+x")
        await until(lambda: "-# mine" in difference_shown(pilot), "the change")
        await pilot.press("enter")
        await until(lambda: screen.writing.editor.text == before, "the saved text")
        assert find_draft(course_copy / LANE) is None
        await pilot.press("ctrl+z")
        assert screen.writing.editor.text == before + "# mine\n"
        program = screen.editor.text
        await pilot.press("alt+x", "enter")
        screen.set_focus(screen.editor)
        screen.editor.replace_all("1 + 1")
        await pilot.press("alt+x")
        await until(lambda: "-1 + 1" in difference_shown(pilot), "the change")
        await pilot.press("enter")
        await until(lambda: screen.editor.text == program, "the saved program")


@pytest.mark.parametrize("name", [LANE, "drip/programs/toll.drip"])
async def test_the_text_of_a_file_that_vanishes_is_kept(course_copy: Path, name: str) -> None:
    path = course_copy / name
    text = path.read_text()
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        if path.suffix == ".brix":
            screen.open_text(path)
        path.unlink()
        await until(lambda: "is gone" in screen.query_one(Masthead).notice, "told")
        title = "#text-title" if path.suffix == ".brix" else "#program-title"
        assert "not saved" in screen.query_one(title, Title).right
        await settled(screen)
        assert "environment" in screen.lanes.lanes
        await pilot.press("ctrl+q")
    draft = find_draft(path)
    assert draft is not None
    assert draft.text == text


@pytest.mark.parametrize("number", [errno.EROFS, errno.ENOSPC, errno.EACCES])
@pytest.mark.parametrize("name", [LANE, "drip/programs/toll.drip"])
async def test_what_cannot_be_saved_is_kept(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch, name: str, number: int
) -> None:
    path = course_copy / name
    before = path.read_text()

    def refuse(target: Path, text: str) -> None:
        raise OSError(number, os.strerror(number), str(target))

    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        if path.suffix == ".brix":
            screen.open_text(path)
        editor = screen.writing.editor if path.suffix == ".brix" else screen.editor
        editor.replace_all("# mine\n" + before)
        monkeypatch.setattr("embrix.tui.document.save_text", refuse)
        await pilot.press("ctrl+s")
        notice = screen.query_one(Masthead).notice
        assert notice == f"not saved, the text is kept here: {os.strerror(number)}"
        assert editor.text == "# mine\n" + before
        await pilot.press("ctrl+q")
    assert path.read_text() == before
    draft = find_draft(path)
    assert draft is not None
    assert draft.text == "# mine\n" + before


async def test_the_drafting_table_writes_the_file_that_is_open(course_copy: Path) -> None:
    """One text: what was typed beside the program is there, what is typed here is there after."""
    path = course_copy / LANE
    saved = path.read_text()
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.editor.load_text("4 - 1")
        screen.open_text(path)
        screen.writing.editor.replace_all(
            saved.replace("Num(number(eval(left, env)) - ", "Num(7 + ")
        )
        await pilot.press("ctrl+g")
        await until(lambda: isinstance(pilot.app.screen, Drafting), "the drafting table")
        table = pilot.app.screen
        editor = table.query_one("#definition", AnnotatedEditor)
        assert "Num(7 + " in editor.text
        await pilot.press("f5")
        outcome = table.query_one(OutcomeRows)
        await until(lambda: bool(outcome.lines), "what the change does")
        assert outcome.lines[0] == "changed: environment gives 3, with the change 8"
        editor.replace_all(editor.text.replace("7 + ", "9 + "))
        await pilot.press("escape")
        await until(lambda: outcomes(screen)["environment"] == "10", "the lane with the change")
        assert "Num(9 + " in screen.writing.editor.text
        assert path.read_text() == saved
        await pilot.press("ctrl+s")
        await until(lambda: "Num(9 + " in path.read_text(), "saved")


@pytest.mark.parametrize(
    ("line", "deeper"),
    [
        ("  Add(l, r) =>", True), ("  Add(l, r) => l", False), ("define f(n: Int) -> Text", True),
        ("  let x = match e", True), ("  if a then", True), ("  Expr ::=", True), ("forms E", True),
        ("main run", False), ("  Lit(n) => fn(x) => x", False), ("", False),
    ],
)  # fmt: skip
def test_enter_indents_where_a_block_opens(line: str, deeper: bool) -> None:
    assert AnnotatedEditor.opens_block(AnnotatedEditor.__new__(AnnotatedEditor), line) is deeper


async def test_what_is_noted_is_repaired_by_a_key(course_copy: Path) -> None:
    """From the list of notes: to the place, the repair shown, carried out, taken back."""
    path = course_copy / LANE
    right = path.read_text()
    path.write_text(right.replace("eval(bound, env)", "eval(bond, env)"))
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        notes = screen.query_one(NotesView)
        await until(lambda: any(note.severity == "error" for note in notes.notes), "the note")
        screen.show_side_view("notes")
        notes.focus()
        await pilot.press("ctrl+b")
        await until(lambda: isinstance(pilot.app.screen, Show), "the repair")
        await pilot.press("enter")
        editor = screen.query_one("#text", AnnotatedEditor)
        await until(lambda: editor.text == right, "mended")
        await until(lambda: not any(n.severity == "error" for n in notes.notes), "no error")
        assert path.read_text() != right  # not saved yet
        await pilot.press("ctrl+z")
        await until(lambda: "bond" in editor.text, "taken back")


async def test_the_program_becomes_a_case(course_copy: Path) -> None:
    """With the value of its lane; the verdict stands beside it before it is saved. A lane that is
    not finished fails the case until it is."""
    lane = course_copy / "drip" / "rewriting.brix"
    lane.write_text(lane.read_text().replace("=> Lit(a * b)", '=> todo "times"'))
    assert "todo" in lane.read_text()
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        path = course_copy / "drip" / "drip.suite.toml"
        before = path.read_text()
        await write(pilot, "let tide = 4 in tide * tide - 3")
        await pilot.press("ctrl+w")
        await until(lambda: isinstance(pilot.app.screen, Pick), "what the case states")
        await pilot.press("enter")
        await until(lambda: screen.text_beside == "drip.suite.toml", "the suite")
        editor = screen.query_one("#text", AnnotatedEditor)
        await until(lambda: editor.text != before, "the case")
        added = editor.text.rpartition("[[case]]")[2]
        assert 'program = "let tide = 4 in tide * tide - 3"' in added
        assert re.search(r"(?m)^value = 13$", added)
        line = editor.text[: -len(added)].count("\n")
        assert editor.cursor_location[0] == line
        await until(lambda: any(one.line >= line for one in editor.remarks.values()), "verdict")
        (verdict,) = (one for one in editor.remarks.values() if one.line >= line)
        assert verdict.text == "rewriting: expected 13, but got unfinished: times"
        assert "for" not in added
        assert path.read_text() == before
        await pilot.press("ctrl+s")
        await until(lambda: "tide" in path.read_text(), "saved")


@pytest.mark.parametrize(
    ("file", "folder", "begins"),
    [(False, "empty", True), (True, "empty", False), (False, "other", False)],
)  # fmt: skip
def test_a_course_is_offered_only_in_an_empty_folder(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, file: bool, folder: str, begins: bool
) -> None:
    """Not where something lies already, and not when a program is named."""
    opened_as: list[str] = []

    class Noted:
        return_code = 0

        def __init__(self, *_: object) -> None:
            opened_as.append(type(self).__name__)

        def run(self) -> None:
            return None

    program = tmp_path / "other" / "a.drip"
    program.parent.mkdir()
    program.write_text("1")
    (tmp_path / "empty").mkdir()
    monkeypatch.setattr(app, "WorkbenchApp", type("Course", (Noted,), {}))
    monkeypatch.setattr(app, "BeginningApp", type("Offer", (Noted,), {}))
    monkeypatch.setattr(opening, "writable_copy", lambda: tmp_path)
    for stream in (sys.stdin, sys.stdout):
        monkeypatch.setattr(stream, "isatty", lambda: True, raising=False)
    monkeypatch.chdir(tmp_path / folder)
    asked = argparse.Namespace(course=None, file=program if file else None)
    assert opening.open_workbench(asked) == 0
    assert opened_as == ["Offer" if begins else "Course"]


async def test_what_was_open_lately_comes_first(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.open_text(course_copy / LANE)
        screen.open_text(course_copy / "drip/drip.brix")
        await pilot.press("f2")
        await until(lambda: isinstance(pilot.app.screen, Pick), "the list")
        await pilot.press("enter")
        await until(lambda: screen.writing.name == LANE, "the file that was open before")
        await pilot.press("f2")
        await until(lambda: isinstance(pilot.app.screen, Pick), "the list")
        await pilot.press("enter")
        await until(lambda: screen.writing.name == "drip/drip.brix", "and back")


async def test_names_and_input_belong_to_their_program(course_copy: Path) -> None:
    """They are shown with it, come back with it, and go into a case that is made of it."""
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        toll = screen.document.path
        title = screen.query_one("#program-title", Title)

        async def supply(key: str, text: str) -> None:
            await pilot.press(key)
            await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
            pilot.app.screen.query_one(Input).value = text
            await pilot.press("enter")

        await write(pilot, "tons * 2 + keep")
        await supply("alt+i", "tons = 3 + 1; keep = 5")
        await until(lambda: outcomes(screen)["environment"] == "13", "the value with the names")
        await supply("ctrl+l", "7; 8")
        assert "with tons = 3 + 1" in title.right
        assert "input 7; 8" in title.right
        screen.open_program(toll.with_name("other.drip"))
        assert (screen.walking.given, screen.input) == ({}, [])
        assert "with" not in title.right
        screen.open_program(toll)
        assert screen.walking.given == {"tons": "3 + 1", "keep": "5"}
        await supply("alt+i", "tons")
        assert "has no value" in screen.query_one(Masthead).notice
        await pilot.press("ctrl+w", "enter")
        await until(lambda: screen.text_beside == "drip.suite.toml", "the suite")
        await until(lambda: "keep" in screen.writing.editor.text, "the case")
        added = tomllib.loads(screen.writing.editor.text)["case"][-1]
        assert added["given"] == {"tons": "3 + 1", "keep": "5"}
        assert (added["input"], added["value"]) == (["7", "8"], 13)


async def test_drawing_only_what_changed_shows_what_drawing_everything_shows(
    course_copy: Path,
) -> None:
    """Keys, colours, remarks, marks and moves of the cursor in any order."""
    chance = random.Random(1129)
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.open_text(course_copy / "drip" / "environment.brix")
        await settled(screen)
        editor = screen.writing.editor
        editor.cursor_blink = False

        def inserted() -> None:
            row = chance.randrange(editor.document.line_count)
            editor.insert(chance.choice(["x", "#", "\n", '"', "=>"]), (row, 0))

        def annotated() -> None:
            rows = chance.sample(range(12), 3)
            weights = ("error", "warning", "good")
            editor.annotate([Remark(n, w, f"at {n}") for n, w in zip(rows, weights, strict=True)])

        def explained() -> None:
            text = editor.text
            starts = sorted(chance.sample(range(len(text)), 40))
            tokens = [(at, at + 1, chance.choice(["name", "sign"])) for at in starts]
            editor.explain(text, Look(tokens))

        def marked() -> None:
            at = chance.randrange(200)
            editor.mark(editor.text, (at, at + 30))

        def moved() -> None:
            place = (chance.randrange(12), chance.randrange(6))
            editor.move_cursor(place, select=chance.random() < 0.3)

        for step in range(60):
            change = chance.choice([inserted, annotated, explained, marked, moved])
            change()
            await pilot.pause()
            drawn = painted_with_styles(editor)
            editor._drawn.clear()
            editor.notify_style_update()
            editor._styles_cache.clear()
            assert drawn == painted_with_styles(editor), (step, change.__name__)


def painted_with_styles(widget: Widget) -> list[object]:
    return [[(segment.text, str(segment.style)) for segment in strip]
            for strip in widget.render_lines(widget.size.region)]  # fmt: skip


@pytest.mark.two_workers
async def test_the_verdicts_on_an_edit_come_before_the_runs_of_the_lanes(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """They wait for the suite, here as long as it takes, and begin when it is over."""
    monkeypatch.setattr(desk, "LEAD", 3600)

    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        came: list[str] = []
        assert screen.desk is not None
        ask = screen.desk.ask

        def asked(topic: str, request: Any, take: Any, **more: Any) -> None:
            def taken(answer: Any) -> None:
                came.append(type(request).__name__)
                take(answer)

            ask(topic, request, taken, **more)

        screen.desk.ask = asked  # type: ignore[method-assign]
        screen.open_text(course_copy / LANE)
        editor = screen.writing.editor
        place = editor.place_of(editor.text.index("let v = eval(bound, env)"))
        for number in range(3):
            came.clear()
            editor.replace(f"let w{number} = 1\n    ", place, place)
            await until(lambda: {"TestSuite", "RunLane"} <= set(came), "verdicts and runs")
            assert came.index("TestSuite") < came.index("RunLane")
            await settled(screen)


async def test_one_worker_alone_does_not_wait_for_itself(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(desk, "LEAD", 3600)
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.open_text(course_copy / LANE)
        editor = screen.writing.editor
        place = editor.place_of(editor.text.index("let v = eval(bound, env)"))
        before = screen.query_one(CasesView).report
        editor.replace("let w = 1\n    ", place, place)
        await until(lambda: screen.query_one(CasesView).report is not before, "the verdicts")
        await settled(screen)
