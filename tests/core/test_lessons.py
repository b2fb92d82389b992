"""Lessons: reading them, finding their steps, holding their answers against the runs; slides."""

from __future__ import annotations

import re
from html import escape
from html.parser import HTMLParser
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.documents.handout_files import write_handout
from embrix.documents.lesson_handout import lesson_parts
from embrix.documents.slides import slides
from embrix.lanes.session import Session
from embrix.lessons.changing import CannotChange, moved, where_of, with_stop
from embrix.lessons.lesson import Lesson, Where
from embrix.lessons.lesson_check import check_lesson
from embrix.lessons.lesson_reader import lesson_of, read_lesson
from embrix.lessons.playing import LIMITS, play
from embrix.lessons.where import found as found_step
from embrix.services.lesson_shown import lesson_shown
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Source
from embrix.trace.walk import Walk
from tests.conftest import leave_only

HEAD = 'title = "T"\nlanguage = "Drip"\n'
STOP = (
    '[[stop]]\nname = "s"\nprogram = "let x = 1 in let x = x + 1 in x"\nlanes = ["environment"]\n'
)
LANES = {"Drip": ["environment", "rewriting", "by_name"]}


def read(text: str) -> tuple[Lesson | None, list[Diagnostic]]:
    findings = Findings()
    lesson = read_lesson(Source("t.lesson.toml", text), LANES, findings)
    return lesson, list(findings.sorted())


def checked(lockside: Course, text: str) -> list[tuple[str, str, str]]:
    lesson, wrong = read(text)
    assert lesson is not None
    assert wrong == []
    findings = Findings()
    check_lesson(Session(lockside.folder), lesson, findings)
    return [(one.code, one.message, one.hint) for one in findings.sorted()]


def test_the_lessons_of_the_course_can_be_given(lockside: Course) -> None:
    session = Session(lockside.folder)
    assert len(session.course.lessons) == 4
    for path in session.course.lessons:
        findings = Findings()
        lesson = lesson_of(session, path, findings)
        assert lesson is not None
        assert 6 <= len(lesson.stops) <= 10
        assert any(stop.covered for stop in lesson.stops)
        check_lesson(session, lesson, findings)
        assert list(findings.sorted()) == []


def test_a_stop_goes_on_from_the_one_before() -> None:
    lesson, wrong = read(HEAD + STOP + '[[stop]]\nname = "more"\n')
    assert wrong == []
    assert lesson is not None
    first, second = lesson.stops
    assert (second.program, second.lanes) == (first.program, first.lanes)
    assert second.where is None


@pytest.mark.parametrize(
    ("where", "number"),
    [
        # The run by hand: 0 the whole program; 1 and 2 its 1; 3 the inner let, x stands for 1; 4
        # the sum, 5 x is looked up and 6 found, 7 and 8 its 1, 9 it is 2; 10 x again, for 2 now.
        ("{ step = 3 }", 3),
        ('{ binds = "x" }', 3),
        ('{ lookup = "x" }', 5),
        ('{ lookup = "x", time = 2 }', 10),
        ('{ binds = "x", time = 2 }', 10),
        ('{ text = "x + 1 ⇓ 2" }', 9),
        ('{ applies = "Add(left, right)" }', 4),
        ('{ applies = "Let", time = 2 }', 3),
        ("{ end = true }", 14),
    ],
)
def test_steps_are_found_by_what_happens(lockside: Course, where: str, number: int) -> None:
    lesson, wrong = read(HEAD + STOP + f"where = {where}\n")
    assert wrong == []
    assert lesson is not None
    played = play(Session(lockside.folder), lesson, lesson.stops[0])
    assert (played.number, played.there) == (number, True)


def test_a_step_survives_a_change_of_the_program(lockside: Course) -> None:
    """What is put in front moves the step, not what happens there."""
    texts = ["let x = 1 in x * x", "let y = 2 * 3 in let x = 1 in x * x"]
    found = []
    for program in texts:
        stop = f'[[stop]]\nname = "s"\nprogram = "{program}"\nlanes = ["environment"]\n'
        lesson, _ = read(HEAD + stop + 'where = { lookup = "x", time = 2 }\n')
        assert lesson is not None
        played = play(Session(lockside.folder), lesson, lesson.stops[0])
        assert played.there
        assert played.walk is not None
        found.append((played.number, played.walk.step(played.number).place))
    assert found[0][0] < found[1][0]
    places = [place for _, place in found if place is not None]
    assert [text[slice(*place)] for text, place in zip(texts, places, strict=True)] == ["x", "x"]


@pytest.mark.parametrize(
    ("more", "code", "message", "hint"),
    [
        ('where = { lookup = "x", time = 3 }', "lost_stop",
         "this does not happen on environment: x is looked up, time 3", "step 10 of 14"),
        ('where = { lookup = "rate" }', "lost_stop", "rate is looked up", "step 0 of 14"),
        ("where = { step = 99 }", "lost_stop", "step 99", "step 14 of 14"),
        ("answer = 3", "wrong_answer", "on environment is 3, but it gives 2", ""),
        ("answer.rewriting = 2", "wrong_answer", "rewriting, which does not run there", ""),
        ('given = { y = "1 +" }', "bad_lesson", "y: ", ""),
    ],
)  # fmt: skip
def test_what_is_not_so_is_told(
    lockside: Course, more: str, code: str, message: str, hint: str
) -> None:
    found = checked(lockside, HEAD + STOP + more + "\n")
    assert len(found) == 1
    assert found[0][0] == code
    assert message in found[0][1]
    assert hint in found[0][2]


@pytest.mark.parametrize("more", ["answer = 2", 'answer = { environment = "Num(2)" }'])
def test_what_is_so_is_fine(lockside: Course, more: str) -> None:
    assert checked(lockside, HEAD + STOP + more + "\n") == []


def test_a_program_that_cannot_be_read_is_told(lockside: Course) -> None:
    text = HEAD + STOP.replace('in x"', 'in"')
    (found,) = checked(lockside, text)
    assert found[0] == "bad_lesson"
    assert "cannot be read" in found[1]


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("title = ", "this is not TOML"),
        ('language = "Drip"\n' + STOP, "`title` is missing"),
        ('title = "T"\nlanguage = "Drop"\n' + STOP, "there is no language called Drop"),
        (HEAD, "a lesson has stops"),
        (HEAD + '[[stop]]\nname = "s"\n', "the first stop says which program runs"),
        (HEAD + STOP + "wher = 1\n", "an entry called wher means nothing here"),
        (HEAD + STOP + 'where = { loockup = "x" }\n', "loockup is none"),
        (HEAD + STOP + 'where = { lookup = "x", step = 2 }\n', "names one thing that happens"),
        (HEAD + STOP + 'where = { lookup = "x", time = 0 }\n', "counts from one"),
        (HEAD + STOP + 'where = { step = "x" }\n', "`step` is a number"),
        (HEAD + STOP + 'where = { end = "x" }\n', "`end` is true or is left out"),
        (HEAD + STOP + 'show = "film"\n', "nothing called film can be shown"),
        (HEAD + STOP + 'cover = ["all"]\n', "all cannot be covered"),
        (HEAD + STOP + "answer = [1]\n", "an answer is what a lane gives"),
        (HEAD + STOP + "ways = [0]\n", "`ways` are numbers of ways"),
        (HEAD + STOP + 'file = "x.drip"\n', "exclude each other"),
        (HEAD + STOP.replace("environment", "enviroment"), "there is no lane called enviroment"),
        (HEAD + STOP.replace('program = "let x = 1 in let x = x + 1 in x"', 'file = "../a.drip"'),
         "lies outside the folder"),
    ],
)  # fmt: skip
def test_bad_lessons_are_told_with_their_place(text: str, message: str) -> None:
    _, wrong = read(text)
    assert len(wrong) == 1
    assert message in wrong[0].message
    assert wrong[0].span.end <= len(text) + 1


def test_one_bad_entry_hides_nothing_else() -> None:
    lesson, wrong = read(HEAD + STOP + STOP + 'notes = "aloud"\nshow = "film"\n' + STOP)
    assert len(wrong) == 1
    assert lesson is not None
    assert [(stop.shown, stop.notes) for stop in lesson.stops] == [
        ("walk", ""), ("walk", "aloud"), ("walk", ""),
    ]  # fmt: skip


def test_a_lane_that_there_is_not_hides_no_other() -> None:
    stop = STOP.replace('["environment"]', '["environment", "lazy"]')
    lesson, wrong = read(text := HEAD + stop)
    assert lesson is not None
    assert lesson.stops[0].lanes == ("environment",)
    assert [text[one.span.start : one.span.end] for one in wrong] == ["lazy"]


def test_what_is_covered_stays_covered_when_the_cover_is_wrong() -> None:
    lesson, wrong = read(HEAD + STOP + 'cover = ["reslt"]\n')
    assert len(wrong) == 1
    assert lesson is not None
    assert "result" in lesson.stops[0].covered


def test_a_stop_that_cannot_be_shown_keeps_its_place() -> None:
    """What goes on from it is not told to be wrong as well, and does not go on from another."""
    before = STOP.replace('"s"', '"before"', 1)
    first = STOP.replace("program = ", "file = ", 1)
    assert first != STOP
    more = '[[stop]]\nname = "t"\n[[stop]]\nname = "u"\nlanes = ["environment"]\n'
    lesson, wrong = read(HEAD + before + first + more + STOP)
    assert len(wrong) == 1
    assert "No such file" in wrong[0].message
    assert lesson is not None
    assert [(stop.name, bool(stop.program), bool(stop.lanes)) for stop in lesson.stops] == [
        ("before", True, True), ("s", False, False), ("t", False, False), ("u", False, False),
        ("s", True, True),
    ]  # fmt: skip


# ---------------------------------------------------------------------- slides


class Page(HTMLParser):
    """What a page shows: texts by whether they lie under a cover; tags that are not closed."""

    def __init__(self) -> None:
        super().__init__()
        self.open: list[tuple[str, bool]] = []
        self.covered: list[str] = []
        self.plain: list[str] = []
        self.sections = 0
        self.odd: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag in ("meta", "br"):
            return
        cover = dict(attrs).get("class") == "covered" or any(one for _, one in self.open)
        self.open.append((tag, cover))
        self.sections += tag == "section"
        self.odd += [name for name, _ in attrs if name.startswith("on")]

    def handle_endtag(self, tag: str) -> None:
        if self.open[-1][0] != tag:
            self.odd.append(tag)
        self.open.pop()

    def handle_data(self, data: str) -> None:
        if any(tag in ("style", "script") for tag, _ in self.open):
            return
        (self.covered if self.open and self.open[-1][1] else self.plain).append(data)


def page_of(lockside: Course, text: str) -> Page:
    lesson, wrong = read(text)
    assert wrong == []
    assert lesson is not None
    page = Page()
    page.feed(slides(Session(lockside.folder), lesson))
    assert page.odd == []
    assert [tag for tag, _ in page.open] in ([], ["html"])
    return page


@pytest.mark.parametrize("covered", ["result", "next", "names"])
def test_what_is_covered_stands_nowhere_else(lockside: Course, covered: str) -> None:
    """`7777` is what is asked for: it is the result, and what x stands for at the step."""
    program = "let x = 7000 + 777 in x"
    where = {"result": "", "next": "where = { end = true }\n"}.get(
        covered, 'where = { lookup = "x" }\n'
    )
    stop = f'[[stop]]\nname = "s"\nprogram = "{program}"\nlanes = ["environment"]\n{where}'
    covers = [covered, "result"] if covered != "result" else ["result"]
    page = page_of(lockside, HEAD + stop + f"cover = {covers!r}\n".replace("'", '"'))
    assert any("7777" in text for text in page.covered)
    assert not any("7777" in text for text in page.plain)


def test_each_stop_is_a_slide(lockside: Course) -> None:
    more = "".join(f'[[stop]]\nname = "{shown}"\nshow = "{shown}"\n'
                   for shown in ("steps", "derivation", "environment", "tree"))  # fmt: skip
    page = page_of(lockside, HEAD + STOP + 'question = "What now?"\nnotes = "say it"\n' + more)
    assert page.sections == 6
    texts = "".join(page.plain)
    assert "What now?" in texts
    assert "say it" in texts


@given(st.text(st.characters(exclude_categories=["Cs"]), max_size=30))
@settings(max_examples=40, deadline=None)
def test_no_text_becomes_a_command(lockside: Course, text: str) -> None:
    import tomlkit

    document = tomlkit.document()
    document.update({"title": f"<script>{text}", "language": "Drip"})
    stop = {"name": f"</section>{text}", "program": "1", "lanes": ["environment"],
            "notes": f"<img onerror={text}>", "question": text}  # fmt: skip
    document["stop"] = [stop]
    try:
        written = tomlkit.dumps(document)
        lesson, wrong = read(written)
    except Exception:
        return  # what cannot be written in TOML
    if lesson is None or wrong:
        return
    page = slides(Session(lockside.folder), lesson)
    assert len(re.findall(r"<script", page)) == 1
    assert len(re.findall(r"<section", page)) == 2
    assert "<img" not in page


def test_lessons_are_checked_with_the_course(course_copy: Path) -> None:
    from embrix.checking.diagnostics import diagnostics

    path = course_copy / "drip" / "names.lesson.toml"
    path.write_text(path.read_text().replace("answer = 15", "answer = 16"))
    found = [one for one in diagnostics(Session(course_copy)).findings if one.severity == "error"]
    assert [one.code for one in found] == ["wrong_answer", "wrong_answer"]
    assert "on environment is 16, but it gives 15" in found[0].message


# ---------------------------------------------------------------------- changing


@pytest.mark.parametrize(
    ("number", "sentence"),
    [
        (0, None), (3, "the clause Let(x, bound, body) applies, time 2"),
        (5, "x is looked up"), (10, "x is looked up, time 2"), (14, "the end"),
    ],
)  # fmt: skip
def test_a_step_is_found_again_by_what_it_is_told_by(
    lockside: Course, number: int, sentence: str | None
) -> None:
    lesson, _ = read(HEAD + STOP)
    assert lesson is not None
    stop = lesson.stops[0]
    walk = play(Session(lockside.folder), lesson, stop).walk
    assert walk is not None
    where = where_of(walk, number, stop.program)
    assert (where.sentence if where is not None else None) == sentence


@pytest.mark.parametrize("language", ["Drip", "Rill", "Weir", "Mere", "Race", "Eddy"])
def test_every_step_can_be_found_again(lockside: Course, language: str) -> None:
    """Of a program of each language on two lanes some steps."""
    session = Session(lockside.folder)
    path = session.course.programs[language][0]
    text = path.read_text()
    for lane in session.lanes(language)[:2]:
        traced = lane.trace(text, limits=LIMITS)
        walk = Walk(lane, traced)
        for number in range(1, min(len(walk), 40), 13):
            where = where_of(walk, number, text)
            assert where is not None
            assert found_step(walk, where) == (number, True), (lane.name, number, where)


def test_a_stop_is_added_as_it_is_told(lockside: Course) -> None:
    text = with_stop(
        HEAD + STOP + "# the end\n",
        {"name": 'an "odd" name', "program": "let x = 1 in\nx", "lanes": ["environment"],
         "given": {}, "input": [], "ways": [2, 1]},
        Where("lookup", "x", 2),
    )  # fmt: skip
    assert text.startswith(HEAD + STOP + "# the end\n\n[[stop]]\n")
    lesson, wrong = read(text)
    assert wrong == []
    assert lesson is not None
    last = lesson.stops[-1]
    assert (last.name, last.program) == ('an "odd" name', "let x = 1 in\nx")
    assert (last.where, last.ways) == (Where("lookup", "x", 2), (1, 0))


def test_stops_change_places(lockside: Course) -> None:
    comment = "# what comes now\n"
    second, third = STOP.replace('"s"', '"t"'), STOP.replace('"s"', '"u"')
    text = f"{HEAD}{STOP}\n{comment}{second}\n{third}"
    lesson, _ = read(text)
    assert lesson is not None
    after, wrong = read(moved(lesson, 0, 1))
    assert wrong == []
    assert after is not None
    assert [stop.name for stop in after.stops] == ["t", "s", "u"]
    back, _ = read(moved(after, 1, -1))
    assert back is not None
    assert [stop.name for stop in back.stops] == ["s", "t", "u"]
    assert comment in back.source.text
    with pytest.raises(CannotChange, match="no stop to change places with"):
        moved(lesson, 2, 1)


def test_a_stop_that_leans_on_another_stays(lockside: Course) -> None:
    lesson, _ = read(HEAD + STOP + '[[stop]]\nname = "more"\n')
    assert lesson is not None
    with pytest.raises(CannotChange, match="takes its program or lanes from the one before it"):
        moved(lesson, 0, 1)


def test_a_lesson_on_paper_has_every_stop(lockside: Course, tmp_path: Path) -> None:
    session = Session(lockside.folder)
    for path in session.course.lessons:
        lesson = lesson_of(session, path, Findings())
        assert lesson is not None
        parts = lesson_parts(session, lesson)
        heads = [part.text for part in parts if part.kind == "heading"]
        assert heads == [f"{n}. {stop.name}" for n, stop in enumerate(lesson.stops, 1)]
        assert sum(part.kind == "picture" for part in parts) >= 2
        for ending in (".html", ".pdf"):
            write_handout(parts, tmp_path / f"{path.stem}{ending}")
        page = (tmp_path / f"{path.stem}.html").read_text()
        assert all(escape(stop.name) in page for stop in lesson.stops)


def test_a_language_that_cannot_run_is_told_of_once(course_copy: Path) -> None:
    """Where the grammar is of no use its own errors say so; a lesson says nothing about that."""
    from embrix.checking.diagnostics import diagnostics

    path = course_copy / "drip" / "drip.brix"
    text = path.read_text()
    path.write_text(text.replace("  start Expr\n  Expr ::=\n", "    | Sum\n  Expr ::=\n"))
    session = Session(course_copy)
    findings = diagnostics(session).findings
    wrong = {one.source.name for one in findings if one.severity == "error"}
    assert "drip/drip.brix" in wrong
    assert not [name for name in wrong if name.endswith(".lesson.toml")]
    shown = lesson_shown(session, course_copy / "drip" / "names.lesson.toml")
    assert [(stop.lane, stop.lanes, stop.step) for stop in shown.stops] == [("", [], -1)] * 8
    assert "cannot run" in shown.wrong[-1]


def test_a_lane_that_is_broken_is_no_unknown_lane(course_copy: Path) -> None:
    path = course_copy / "drip" / "environment.brix"
    path.write_text(path.read_text().replace("for Drip", "for Drip extends Drip.nobody"))
    session = Session(course_copy)
    findings = Findings()
    lesson = lesson_of(session, course_copy / "drip" / "names.lesson.toml", findings)
    assert lesson is not None
    check_lesson(session, lesson, findings)
    assert list(findings.sorted()) == []


def test_the_suites_are_not_run_without_the_lessons(
    course_copy: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Unless a suite is named: `embrix test` holds the answers of lessons as well."""
    from embrix.cli.main import main

    leave_only(course_copy, "drip")
    assert main(["test", "--course", str(course_copy)]) == 0
    path = course_copy / "drip" / "names.lesson.toml"
    path.write_text(path.read_text().replace("answer = 15", "answer = 16"))
    assert main(["test", "--course", str(course_copy)]) == 4
    assert "on environment is 16, but it gives 15" in capsys.readouterr().out
    suite = str(course_copy / "drip" / "drip.suite.toml")
    assert main(["test", "--course", str(course_copy), suite]) == 0


def test_what_follows_from_a_hole_is_not_told_of_lessons(course_copy: Path) -> None:
    """A slip in one clause is one note; the other lanes of the stops are held as before."""
    from embrix.checking.diagnostics import diagnostics

    path = course_copy / "drip" / "environment.brix"
    text = path.read_text()
    assert "let v = eval(bound, env)" in text
    path.write_text(text.replace("let v = eval(bound, env)", "let v = eval(bond, env)"))
    findings = diagnostics(Session(course_copy)).findings
    wrong = [one.source.name for one in findings if one.severity == "error"]
    assert set(wrong) == {"drip/environment.brix"}
    lesson = course_copy / "drip" / "names.lesson.toml"
    lesson.write_text(lesson.read_text().replace("by_name = 19", "by_name = 20"))
    wrong = [one.code for one in diagnostics(Session(course_copy)).findings
             if one.source.name.endswith(".lesson.toml")]  # fmt: skip
    assert wrong == ["wrong_answer"]
