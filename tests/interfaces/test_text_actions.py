"""The comforts of writing: names, finding and replacing, lines, several files as one change."""

from __future__ import annotations

from pathlib import Path

from textual import events
from textual.pilot import Pilot
from textual.widgets import Input, Static

from embrix.messages.replies_on_writing import FileChange
from embrix.tui.bars import Masthead
from embrix.tui.bench import Bench
from embrix.tui.clause_grid import ClauseGrid, GridRows
from embrix.tui.dialogs import AskText, Pick, Show
from embrix.tui.drafting import Drafting
from embrix.tui.text_finding import LookFor
from tests.interfaces.driving import bench, opened, until

LANE = "drip/environment.brix"


async def at(pilot: Pilot[None], folder: Path, file: str, line: str, word: str) -> Bench:
    """The workbench with a file beside the program, the cursor on a word of its first line that has
    a text in it."""
    screen = bench(pilot)
    screen.open_text(folder / file)
    text = screen.writing.editor.text
    screen.writing.editor.move_cursor(
        screen.writing.editor.place_of(text.index(word, text.index(line)))
    )
    await pilot.pause()
    return screen


async def test_a_name_is_told_followed_listed_and_come_back_to(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = await at(pilot, course_copy, LANE, "Var(x)", "Unbound")
        note = screen.query_one("#text-note", Static)
        await until(lambda: "error  Unbound(x: Name)" in str(note.render()), "what it means")
        here = screen.writing.editor.cursor_location
        await pilot.press("alt+d")
        await until(lambda: screen.text_beside == "drip.brix", "the declaration")
        line = screen.writing.editor.document.get_line(screen.writing.editor.cursor_location[0])
        assert line.startswith("error Unbound")
        await pilot.press("alt+e")
        assert screen.text_beside == "environment.brix"
        assert screen.writing.editor.cursor_location == here, "line and column"
        await pilot.press("alt+g", *"2:3", "enter")
        assert screen.writing.editor.cursor_location == (1, 2)
        await pilot.press("alt+g", *"99:x", "enter")
        assert screen.writing.editor.cursor_location == (1, 2), "told, and nothing moves"
        screen.open_text(course_copy / "drip" / "drip.brix", 4)  # as notes, outline and F2 do
        await pilot.press("alt+e")
        assert screen.text_beside == "environment.brix"
        assert screen.writing.editor.cursor_location == (1, 2)
        await pilot.press("alt+e")
        assert screen.writing.editor.cursor_location == here, "from the line that was gone to"
        screen.writing.editor.move_cursor((here[0], 50))
        await pilot.press("alt+u")
        await until(lambda: isinstance(pilot.app.screen, Pick), "the places")
        await pilot.press(*"rewriting", "enter")
        await until(lambda: screen.text_beside == "rewriting.brix", "the place in another lane")


async def test_what_a_key_asks_for_is_not_dropped_when_the_cursor_rests(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = await at(pilot, course_copy, LANE, "Lit(n)", "Lit")
        screen.names.rename()
        screen.names._rested()  # before the answer can have come
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")


async def test_a_name_is_changed_in_all_files_and_taken_back_at_once(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = await at(pilot, course_copy, LANE, "Lit(n)", "Lit")
        before = screen.writing.editor.text
        await pilot.press("alt+r")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question")
        await pilot.press(*"Digits", "enter")
        await until(lambda: isinstance(pilot.app.screen, Show), "what would change")
        await pilot.press("enter")
        await until(lambda: "Digits(n)" in screen.writing.editor.text, "the other name")
        changed = {path.name for path in screen.unsaved_files}
        assert {"drip.brix", "by_name.brix", "environment.brix", "rewriting.brix"} <= changed
        results = screen.lanes.results
        await until(lambda: {r.sentence for r in results.values()} == {"31.75"}, "the outcomes")
        await pilot.press("ctrl+z")
        assert screen.writing.editor.text == before
        assert screen.unsaved_files == set()
        await pilot.press("#", "alt+s")
        await until(lambda: "#Lit" in (course_copy / LANE).read_text(), "the saved file")
        assert screen.unsaved_files == set()
        await pilot.press("backspace")
        await pilot.press("alt+r")
        await until(lambda: isinstance(pilot.app.screen, AskText), "the question once more")
        await pilot.press(*"Add", "enter")
        await until(lambda: "would mean something else" in screen.query_one(Masthead).notice,
                    "the refusal")  # fmt: skip


async def test_texts_are_found_and_replaced_here_and_in_all_files(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = await at(pilot, course_copy, LANE, "Var(x)", "Unbound")
        await pilot.press("alt+t")
        found = pilot.app.screen
        assert isinstance(found, LookFor)
        what, by = found.query(Input)
        what.value = "Unbound"
        told = found.query_one("#found", Static)
        await until(lambda: str(told.render()) == "1 place; Enter goes there", "the place here")
        await pilot.press("f2")
        await until(lambda: int(str(told.render()).split()[0]) > 3, "all places")
        await pilot.press("down", "enter")
        await until(lambda: screen.text_beside == "drip.brix", "the second place")
        await pilot.press("alt+t")
        what, by = pilot.app.screen.query(Input)
        what.value, by.value = "another text", "no"
        await pilot.press("ctrl+a", *"nothing called", "tab", "enter")
        await until(lambda: '"no {x} is' in screen.writing.editor.text, "the other text")
        await pilot.press("ctrl+z")
        assert '"nothing called {x} is' in screen.writing.editor.text
        await pilot.press("alt+t", "f3", "(")
        told = pilot.app.screen.query_one("#found", Static)
        await until(lambda: "no pattern" in str(told.render()), "why not")


async def test_lines_are_moved_doubled_commented_completed(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.editor.load_text("let a = 1 in\nlet b = 2 in\na + (b * 2)")
        await pilot.press("alt+down", "alt+l", "alt+c")
        text = "let b = 2 in\nlet a = 1 in\n# let a = 1 in\na + (b * 2)"
        assert screen.editor.text == text
        await pilot.press("alt+c", "ctrl+z", "alt+up")
        assert screen.editor.text == "let b = 2 in\n# let a = 1 in\nlet a = 1 in\na + (b * 2)"
        screen.editor.move_cursor((3, 4))
        await pilot.press("alt+m")
        assert screen.editor.cursor_location == (3, 10)
        await pilot.press("alt+g", "2", "enter")
        assert screen.editor.cursor_location[0] == 1
        screen = await at(pilot, course_copy, LANE, "Lit(n)", "Num(n)")
        await pilot.press("end", "enter", *"  Ne", "alt+w")
        await until(lambda: "  Neg(arg)" in screen.writing.editor.text, "the only form")
        editor = screen.writing.editor
        await until(lambda: bool(editor.remarks), "the note")
        await pilot.press("ctrl+home", "alt+n")
        assert editor.remarks[editor.cursor_location[0]].weight == "error"


async def test_the_outline_leads_to_clauses_and_begins_missing_ones(course_copy: Path) -> None:
    lane = course_copy / LANE
    clause = "  Neg(arg)          => Num(-number(eval(arg, env)))\n"
    lane.write_text(lane.read_text().replace(clause, ""))
    async with opened(course_copy) as pilot:
        screen = await at(pilot, course_copy, LANE, "Var(x)", "Unbound")
        await pilot.press("alt+o")
        await until(lambda: isinstance(pilot.app.screen, ClauseGrid), "the outline")
        rows = pilot.app.screen.query_one(GridRows)
        await until(lambda: rows.grid.counted, "the clauses")
        forms = [row.form for row in rows.grid.rows]
        assert rows.grid.rows[forms.index("Neg(arg)")].cells[0].state == "missing"
        await pilot.press(*["down"] * forms.index("Neg(arg)"), "enter")
        await until(lambda: isinstance(pilot.app.screen, Show), "what would be written")
        await pilot.press("enter")
        await until(lambda: 'Neg(arg) => todo "what Neg gives"' in screen.writing.editor.text,
                    "the clause")  # fmt: skip
        row = screen.writing.editor.cursor_location[0]
        assert "todo" in screen.writing.editor.document.get_line(row)
        await pilot.press("alt+o")
        await until(lambda: isinstance(pilot.app.screen, ClauseGrid), "the outline again")
        rows = pilot.app.screen.query_one(GridRows)
        await until(lambda: bool(rows.count()), "the clauses")
        await pilot.press("end", "right", "enter")
        await until(lambda: screen.writing.editor.document.get_line(
            screen.writing.editor.cursor_location[0]).startswith("  Num(n)"), "the clause of Num"
        )  # fmt: skip


async def test_saving_all_files_overwrites_nothing_unseen(course_copy: Path) -> None:
    """A file that was changed by a renaming and meanwhile outside is left to its author."""
    async with opened(course_copy) as pilot:
        screen = await at(pilot, course_copy, LANE, "Lit(n)", "Lit")
        other = course_copy / "drip" / "rewriting.brix"
        text = other.read_text()
        change = FileChange("drip/rewriting.brix", text, text + "# renamed\n")
        screen.writing.change_files([change], "changed")
        other.write_text(text + "# outside\n")
        screen.writing.save_all()
        assert other.read_text() == text + "# outside\n"
        assert "changed outside" in screen.query_one(Masthead).notice


async def test_the_program_is_saved_with_all_files(course_copy: Path) -> None:
    async with opened(course_copy, "drip/programs/toll.drip") as pilot:
        screen = await at(pilot, course_copy, LANE, "Lit(n)", "Lit")
        screen.writing.editor.insert("# by hand\n", (0, 0))
        screen.editor.insert("# a program\n", (0, 0))
        await pilot.press("alt+s")
        masthead = screen.query_one(Masthead)
        await until(lambda: masthead.notice == "saved environment.brix, toll.drip", "both saved")
        assert (course_copy / LANE).read_text().startswith("# by hand\n")
        assert (course_copy / "drip/programs/toll.drip").read_text().startswith("# a program\n")
        await pilot.press("alt+s")
        await until(lambda: masthead.notice == "there was nothing to save", "that nothing is left")


async def test_what_was_told_stays_while_the_course_is_read_again(course_copy: Path) -> None:
    """A file saved here, and another written outside at that moment: both are told, one by its
    effect; the word that a file is saved is not covered by the course being read."""
    async with opened(course_copy) as pilot:
        screen = await at(pilot, course_copy, LANE, "Lit(n)", "Lit")
        screen.writing.editor.insert("# by hand\n", (0, 0))
        await until(lambda: screen.writing.changed, "the change")
        course = course_copy / "course.toml"
        course.write_text(course.read_text().replace("title = ", 'title = "Read again" # '))
        await pilot.press("alt+s")
        masthead = screen.query_one(Masthead)
        await until(lambda: masthead.notice == "saved environment.brix", "that it is saved")
        await until(lambda: masthead.course == "Read again", "the course read again")
        await until(lambda: not masthead.busy, "the end of reading")
        assert masthead.notice == "saved environment.brix"


async def test_the_line_of_the_cursor_stays_in_sight_when_notes_take_room(
    course_copy: Path,
) -> None:
    async with opened(course_copy) as pilot:
        screen = await at(pilot, course_copy, LANE, "Var(x)", "Unbound")
        editor = screen.writing.editor
        last = int(editor.scroll_offset.y) + editor.scrollable_content_region.height - 1
        editor.move_cursor((last, 0))
        await pilot.press("end", *" wrong wrong")
        await until(lambda: bool(editor.remarks_here), "the note under the text")

        def in_sight() -> bool:
            height = editor.scrollable_content_region.height
            return 0 <= editor.cursor_location[0] - editor.scroll_offset.y < height

        await until(in_sight, "the line of the cursor")


async def test_a_key_that_comes_while_the_drafting_table_opens_counts_there(
    course_copy: Path,
) -> None:
    async with opened(course_copy) as pilot:
        for key in ("ctrl+g", "f6"):
            pilot.app.post_message(events.Key(key, None))
        await until(lambda: isinstance(pilot.app.screen, Drafting), "the drafting table")
        await until(lambda: getattr(pilot.app.screen.focused, "id", "") == "trial", "the program")
        await pilot.pause(0.2)
        focused = pilot.app.screen.focused
        assert focused is not None
        assert focused.id == "trial"
