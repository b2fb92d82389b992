"""A lesson on screen: stops, covers, notes, the way to the bench and back."""

from __future__ import annotations

from pathlib import Path

import pytest
from rich.text import Text
from textual.pilot import Pilot
from textual.widgets import Static

from embrix.tui.app import WorkbenchApp
from embrix.tui.bars import Masthead, Title
from embrix.tui.dialogs import Pick
from embrix.tui.lecturing import Lecturing
from tests.conftest import leave_only
from tests.interfaces.driving import bench, opened, settled, slanted, until


def texts(view: Lecturing) -> str:
    parts = ("#lecture-question", "#lecture-text", "#lecture-step")
    return "\n".join(str(view.query_one(one, Static).content) for one in parts)


async def lecturing(pilot: Pilot[None]) -> Lecturing:
    await pilot.press("alt+k")
    await until(lambda: isinstance(pilot.app.screen, Lecturing), "the lesson")
    view = pilot.app.screen
    assert isinstance(view, Lecturing)
    await until(lambda: bool(view.lesson.stops), "the stops")
    return view


async def test_stops_are_covered_until_they_are_uncovered(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        view = await lecturing(pilot)
        assert "What does the last line give?" in texts(view)
        assert "15" not in str(view.query_one("#lecture-step", Static).content)
        await pilot.press("u")
        assert "environment  15" in texts(view)
        await pilot.press("u")  # nothing is left: all is covered again
        assert "environment  15" not in texts(view)
        program = view.query_one("#lecture-text", Static).content
        assert isinstance(program, Text)
        comments = [one for one in slanted(program) if one.startswith("#")]
        assert comments == [
            "# The same word for two levels: which one is meant where?",
            "# Ask before running: what does each line of the last sum see?",
            "# right of the = it is still the outer level",
            "# here it is the inner one",
            "# and here the inner one is gone",
        ]
        await pilot.press("right", "space", "right")
        assert "4 of 8" in str(view.query_one("#lesson-title", Title).render())
        # The names are covered, and the step, which would tell them.
        step = str(view.query_one("#lecture-step", Static).content)
        assert "level  3" not in step
        assert "⊢ level" not in step
        await pilot.press("u", "u")
        step = str(view.query_one("#lecture-step", Static).content)
        assert "level  3" in step
        assert "upper = 7, level = 3 ⊢ level ⇓" in step
        await pilot.press("n")
        assert view.has_class("noted")
        await pilot.press("left", "left", "end")
        assert view.at == 7
        # What was uncovered stays so.
        await pilot.press("left", "left", "left", "left")
        assert not view.covers("names")


async def test_one_walks_freely_and_comes_back(course_copy: Path) -> None:
    async with opened(course_copy) as pilot:
        view = await lecturing(pilot)
        await pilot.press("right", "right", "right")
        stop = view.stop
        assert stop is not None
        await pilot.press("w")
        screen = bench(pilot)
        assert pilot.app.screen is screen
        await settled(screen)
        assert screen.document is not None
        assert screen.document.path.name == "shadow.drip"
        assert (screen.lane, screen.at) == ("environment", stop.step)
        assert screen.document.is_saved(screen.editor.text)
        await pilot.press("f8")
        view = await lecturing(pilot)
        assert view.at == 3
        await pilot.press("escape")
        assert pilot.app.screen is screen


async def test_the_program_of_a_stop_takes_nothing_away(course_copy: Path) -> None:
    """What was typed into the file of a stop and not saved is still there; the stop has the file's
    text under another name."""
    path = course_copy / "drip" / "programs" / "shadow.drip"
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        screen.open_program(path)
        await settled(screen)
        screen.editor.load_text("let level = 5 in level")
        await settled(screen)
        await lecturing(pilot)
        await pilot.press("right", "right", "right", "w")
        await settled(screen)
        assert screen.document is not None
        assert screen.document.path.name == "shadow_2.drip"
        assert screen.editor.text == path.read_text()
        screen.open_program(path)
        await settled(screen)
        assert screen.editor.text == "let level = 5 in level"


async def test_the_suite_on_the_bench_is_that_of_the_language(course_copy: Path) -> None:
    async with opened(course_copy, "rill/programs/rates.rill", (140, 44), "drip") as pilot:
        screen = bench(pilot)
        assert screen.checking.suite == course_copy / "rill" / "rill.suite.toml"
        await pilot.press("alt+k", *"names", "enter")
        await until(lambda: isinstance(pilot.app.screen, Lecturing), "the lesson")
        view = pilot.app.screen
        assert isinstance(view, Lecturing)
        await until(lambda: bool(view.lesson.stops), "the stops")
        assert view.query_one(Masthead).language == "Drip"
        await pilot.press("w")
        await settled(screen)
        assert screen.language == "Drip"
        assert screen.checking.suite == course_copy / "drip" / "drip.suite.toml"


async def test_of_several_lessons_one_is_chosen(course_copy: Path) -> None:
    async with opened(course_copy, "rill/programs/rates.rill") as pilot:
        await pilot.press("alt+k")
        assert isinstance(pilot.app.screen, Pick)
        await pilot.press(*"rates", "enter")
        await until(lambda: isinstance(pilot.app.screen, Lecturing), "the lesson")
        view = pilot.app.screen
        assert isinstance(view, Lecturing)
        await until(lambda: bool(view.lesson.stops), "the stops")
        assert view.lesson.title == "Which rate counts?"
        await pilot.press("right", "right", "right", "right")
        await until(lambda: "tons = 10" in texts(view), "the picture")


async def test_what_is_wrong_with_a_lesson_is_told(course_copy: Path) -> None:
    path = course_copy / "drip" / "names.lesson.toml"
    path.write_text(path.read_text().replace("answer = 15", "answer = 16"))
    async with opened(course_copy) as pilot:
        view = await lecturing(pilot)
        line = str(view.query_one(Masthead).render())
        assert "is 16, but it gives 15" in line
        await pilot.press("escape")
        path.write_text("title = ")
        await until(lambda: bool(bench(pilot).summary), "the course")
        await pilot.press("alt+k")
        await until(lambda: isinstance(pilot.app.screen, Lecturing), "the lesson")
        view = pilot.app.screen
        assert isinstance(view, Lecturing)
        await until(lambda: bool(view.lesson.wrong), "what is wrong")
        await pilot.press("right", "u", "w", "escape")
        assert pilot.app.screen is bench(pilot)


async def test_a_course_without_lessons_says_so(course_copy: Path) -> None:
    (course_copy / "drip" / "names.lesson.toml").unlink()
    async with opened(course_copy) as pilot:
        await pilot.press("alt+k")
        assert pilot.app.screen is bench(pilot)
        assert "the course has no lesson" in str(bench(pilot).query_one(Masthead).render())


async def test_a_step_becomes_a_stop_and_stops_are_moved(course_copy: Path) -> None:
    path = course_copy / "drip" / "names.lesson.toml"
    async with opened(course_copy, "drip/programs/shadow.drip") as pilot:
        screen = bench(pilot)
        while screen.lane != "environment":
            await pilot.press("f4")
        await settled(screen)
        screen.set_focus(screen.step_rows)
        await pilot.press(*["right"] * 13)
        await until(lambda: screen.at == 13, "the step")
        await pilot.press("alt+j")
        assert isinstance(pilot.app.screen, Pick)
        await pilot.press("enter")
        await until(lambda: screen.writing.document is not None, "the lesson")
        assert screen.writing.document is not None
        assert screen.writing.document.path.name == path.name
        assert screen.writing.editor.text.endswith('notes = ""\n')
        # The cursor is where the notes are written, and the line is seen from its beginning.
        await pilot.pause()
        await pilot.pause()
        editor = screen.writing.editor
        assert editor.scroll_offset.x == 0
        assert editor.region.contains(*editor.cursor_screen_offset)
        await pilot.press(*"Again.")
        added = screen.writing.editor.text
        assert added.startswith(path.read_text().rstrip("\n"))
        assert added.endswith(
            '[[stop]]\nname = "level is looked up, time 2"\nfile = "programs/shadow.drip"\n'
            'lanes = ["environment"]\nwhere = {lookup = "level", time = 2}\n'
            'notes = "Again."\n'
        )
        # It counts at once; saved it is when that is asked for.
        view = await lecturing(pilot)
        await until(lambda: [(stop.name, stop.notes) for stop in view.lesson.stops][-1]
                    == ("level is looked up, time 2", "Again."), "the stop")  # fmt: skip
        await pilot.press("escape")
        screen.set_focus(screen.writing.editor)
        await pilot.press("ctrl+s")
        await until(lambda: path.read_text() == added, "the file")
        # The stops of the lesson lean on those before them, but the last one does not.
        view = await lecturing(pilot)
        await pilot.press("end", "less_than_sign")
        await until(lambda: "write them out first" in str(view.query_one(Masthead).render()),
                    "the reason")  # fmt: skip
        assert path.read_text() == added


async def test_two_stops_change_places_and_back(course_copy: Path) -> None:
    path = course_copy / "drip" / "names.lesson.toml"
    stop = '[[stop]]\nname = "{}"\nprogram = "{} + 1"\nlanes = ["environment"]\n'
    head = 'title = "T"\nlanguage = "Drip"\n\n'
    path.write_text(head + stop.format("one", 1) + "\n" + stop.format("two", 2))
    before = path.read_text()
    async with opened(course_copy) as pilot:
        view = await lecturing(pilot)
        await pilot.press("greater_than_sign")
        await until(lambda: [one.name for one in view.lesson.stops] == ["two", "one"], "the order")
        assert view.at == 1
        await pilot.press("z")
        await until(lambda: [one.name for one in view.lesson.stops] == ["one", "two"], "the order")
        assert path.read_text() == before


async def test_the_first_stop_begins_a_lesson(course_copy: Path) -> None:
    (course_copy / "drip" / "names.lesson.toml").unlink()
    async with opened(course_copy) as pilot:
        screen = bench(pilot)
        await pilot.press("alt+j")
        await until(lambda: screen.writing.document is not None, "the lesson")
        text = screen.writing.editor.text
        assert text.startswith('title = "new"\nlanguage = "Drip"\n\n[[stop]]\n')
        assert 'file = "programs/toll.drip"' in text
        assert (course_copy / "drip" / "new.lesson.toml").is_file()


async def test_a_program_that_is_named_from_here_has_its_lessons(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The lesson beside a program is found however the program was named."""
    monkeypatch.chdir(course_copy)
    leave_only(course_copy, "drip")
    app = WorkbenchApp(course_copy, Path("drip/programs/shadow.drip"))
    async with app.run_test(size=(140, 44)) as pilot:
        await settled(bench(pilot))
        await pilot.press("alt+j")
        assert isinstance(pilot.app.screen, Pick)
        await pilot.press("enter")
        screen = bench(pilot)
        await until(lambda: screen.writing.document is not None, "the lesson")
        assert screen.writing.document is not None
        assert screen.writing.document.path.name == "names.lesson.toml"
        assert 'file = "programs/shadow.drip"' in screen.writing.editor.text.rpartition("[[")[2]


async def test_a_lesson_that_is_edited_while_it_is_given_is_followed(course_copy: Path) -> None:
    path = course_copy / "drip" / "names.lesson.toml"
    async with opened(course_copy) as pilot:
        view = await lecturing(pilot)
        await pilot.press("end")
        assert view.at == 7
        before = path.read_text()
        path.write_text(before.replace('name = "Where it goes wrong"', 'name = "The place"'))
        await until(lambda: view.stop is not None and view.stop.name == "The place", "the name")
        assert view.at == 7
        # Stops that go are told, and so is what is wrong with those that stay.
        short = before[: before.rindex("[[stop]]")].replace('"by_name"', '"by_nam"')
        path.write_text(short)
        await until(lambda: len(view.lesson.stops) == 7, "the lesson without its last stop")
        assert view.at == 6
        assert "no lane called by_nam" in str(view.query_one(Masthead).render())
        # One that cannot be shown says so, and leads nowhere.
        path.write_text(before.replace('["by_name", "environment", "rewriting"]', '["by_nam"]'))
        await until(lambda: view.stop is not None and not view.stop.lane, "the stop without lanes")
        assert "cannot be shown" in texts(view)
        await pilot.press("w")
        assert pilot.app.screen is view
        path.write_text(before)
        await until(lambda: view.stop is not None and bool(view.stop.lane), "the stop as it was")
        assert (view.at, len(view.lesson.stops)) == (6, 8)
        assert "by_nam" not in str(view.query_one(Masthead).render())
