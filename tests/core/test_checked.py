"""What is checked when, and what is remembered of it."""

from __future__ import annotations

import importlib
import itertools
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.brix.lexer import lex
from embrix.brix.said import said
from embrix.checking.diagnostics import diagnostics
from embrix.checking.verdicts import check_suite
from embrix.course import interpreters
from embrix.course.checked import MOST_READINGS, ROOM, Memory
from embrix.course.load import Course, load_course
from embrix.course.shipped import shipped_course
from embrix.grammar.earley import EarleyParser
from embrix.grammar.lr import TableParser
from embrix.lanes.session import Session
from embrix.text.source import Source, Span
from tests.conftest import TINY_LANGUAGE, Maker, leave_only

LANGUAGES = ("Drip", "Rill", "Mere", "Weir")


def test_only_what_is_asked_for_is_checked(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """The lanes of Drip extend no other language's; Rill's environment extends that of Drip."""
    checked: list[str] = []
    check = interpreters.check_interpreter

    def noted(syntax: object, language: object, *rest: object) -> object:
        checked.append(f"{language.name}.{syntax.name}")  # type: ignore[attr-defined]
        return check(syntax, language, *rest)  # type: ignore[arg-type]

    monkeypatch.setattr(interpreters, "check_interpreter", noted)
    shutil.copytree(shipped_course(), tmp_path / "fresh")
    for path in (tmp_path / "fresh").rglob("*.brix"):
        path.write_text(path.read_text() + "# read anew\n")
    session = Session(tmp_path / "fresh")
    assert checked == []
    suite = tmp_path / "fresh/drip/drip.suite.toml"
    assert session.suite(suite.resolve(), load_findings()) is not None
    assert checked == ["Drip.by_name", "Drip.environment", "Drip.rewriting"]
    session.lanes("Rill")
    assert len(checked) == len(set(checked))
    assert {name.partition(".")[0] for name in checked} == {"Drip", "Rill"}


def load_findings() -> interpreters.Findings:
    return interpreters.Findings()


def told(course: Course) -> tuple[object, ...]:
    errors = [(found.code, found.place, found.message) for found in course.diagnostics]
    return errors, {**course.faulty}, {**course.broken}


@pytest.mark.parametrize("order", [*itertools.permutations(LANGUAGES, 2)][::3])
def test_the_order_of_asking_makes_no_difference(course_copy: Path, order: tuple[str, ...]) -> None:
    """A base with errors, an interpreter that extends itself by way of another, an unknown base."""
    base = course_copy / "drip/environment.brix"
    base.write_text(base.read_text().replace("=> Num(n)", "=> Nun(n)", 1))
    circle = course_copy / "rill"
    (circle / "one.brix").write_text("interpreter one for Rill extends Mere.two\n")
    (course_copy / "mere/two.brix").write_text("interpreter two for Mere extends Rill.one\n")
    (course_copy / "weir/lone.brix").write_text("interpreter lone for Weir extends Drip.nobody\n")
    plain = told(load_course(course_copy))
    assert plain[1]["Drip"] == {"environment": 1}  # type: ignore[index]
    assert plain[2] == {"Rill": ("one",), "Mere": ("two",), "Weir": ("lone",)}
    course = load_course(course_copy)
    for language in order:
        assert course.interpreters[language] is course.interpreters[language]
    assert told(course) == plain


def test_an_edit_leaves_parsers_and_other_lanes_as_they_are(course_copy: Path) -> None:
    file = course_copy / "drip/environment.brix"
    before = Session(course_copy)
    after = Session(course_copy, {file: file.read_text() + "# changed\n"})
    assert after.parser("Drip") is before.parser("Drip")
    assert after.lane("Drip", "by_name") is before.lane("Drip", "by_name")
    assert after.lane("Drip", "environment") is not before.lane("Drip", "environment")
    assert after.lane("Rill", "environment") is not before.lane("Rill", "environment")


@pytest.mark.parametrize("count", [3, 1_000])
def test_what_a_reading_needs_is_there_for_the_next_one(count: int) -> None:
    memory = Memory()
    made: list[int] = []

    def making(number: int) -> Callable[[object], int]:
        return lambda _: made.append(number) or number  # type: ignore[func-returns-value]

    for _ in range(3):
        memory.begin()
        for number in range(count):
            assert memory.recall(number, (), making(number))[0] == number
    assert made == [*range(count)]


def _read(memory: Memory, made: list[str], text: str) -> None:
    """A reading that needs a text and what is made of it."""
    memory.begin()
    source = memory.source("file", text, None)
    memory.recall("checked", (source,), lambda _: made.append(text[0]))


def test_what_was_needed_before_is_remembered_as_long_as_there_is_room() -> None:
    """Texts of a quarter of the room each: with the newest, the four before it are kept."""
    memory, made = Memory(), list[str]()
    for letter in "abcde":
        _read(memory, made, letter * (ROOM // 4))
    _read(memory, made, "a" * (ROOM // 4))
    assert made == [*"abcde"]
    _read(memory, made, "f" * (ROOM // 4))
    _read(memory, made, "g" * (ROOM // 4))
    _read(memory, made, "c" * (ROOM // 4))
    assert made == [*"abcdefg"]
    _read(memory, made, "b" * (ROOM // 4))
    assert made == [*"abcdefgb"]


def test_a_text_larger_than_all_room_is_known_to_the_next_reading_alone() -> None:
    memory, made = Memory(), list[str]()
    for letter in "aaba":
        _read(memory, made, letter * (ROOM + 1))
    assert made == ["a", "b", "a"]


def test_readings_of_nothing_new_are_remembered_up_to_a_number() -> None:
    memory, made = Memory(), list[str]()
    _read(memory, made, "a")
    for _ in range(MOST_READINGS - 1):
        memory.begin()
    _read(memory, made, "a")
    for _ in range(MOST_READINGS + 1):
        memory.begin()
    _read(memory, made, "a")
    assert made == ["a", "a"]


def test_what_a_text_means_is_worked_out_once(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Every lane and view asks; why a text is refused may take long to find."""
    parser = Session(course_copy).parser("Drip")
    assert parser is not None
    known = {text: parser.parse(text) for text in ("1 + 2", "(1 + ", "1 $", "term: Lit(1)")}
    with monkeypatch.context() as forbidden:
        for kind in (TableParser, EarleyParser):
            forbidden.setattr(kind, "parse", None)
        for text, found in known.items():
            assert parser.parse(text) is found
    assert parser.parse("(1 + ", "Atom") is not known["(1 + "]
    long = [f"{number} + {'1' * 3_000}" for number in range(100)]
    kept = [parser.parse(text) for text in long]
    assert parser.parse(long[-1]) is kept[-1]
    assert parser.parse("1 + 2") is not known["1 + 2"]  # what is kept is bounded


COUNTED = {
    "a case is run": ("embrix.checking.verdicts", "check_case"),
    "something is compiled": ("embrix.machine.run", "compile_interpreter"),
    "a law is tried": ("embrix.checking.diagnostics", "report_on_law"),
    "a parser is made": ("embrix.lanes.session", "parser_for"),
}


def work_of(monkeypatch: pytest.MonkeyPatch, do: Callable[[], None]) -> dict[str, int]:
    """How often each piece of work is done meanwhile."""
    counts = dict.fromkeys(COUNTED, 0)
    with monkeypatch.context() as patch:
        for what, (module, name) in COUNTED.items():
            real = getattr(importlib.import_module(module), name)

            def noted(
                *args: object, _real: Any = real, _what: str = what, **more: object
            ) -> object:
                counts[_what] += 1
                return _real(*args, **more)

            patch.setattr(f"{module}.{name}", noted)
        do()
    return counts


def all_there_is(folder: Path, unsaved: dict[Path, str]) -> tuple[object, ...]:
    """The suite of Drip, and what is said of its definitions."""
    session = Session(folder, unsaved)
    suite = next(path for path in session.course.suites if path.name == "drip.suite.toml")
    report = check_suite(session, suite)
    found = diagnostics(session, {suite})
    return report.cases, [(one.code, one.place) for one in found.findings]


def test_an_edit_in_a_comment_reaches_nothing(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Comments everywhere in the files that a suite rests on: of what costs time nothing is done
    again, and what is told of has its new place."""
    leave_only(course_copy, "drip")
    files = sorted((course_copy / "drip").glob("*.brix"))
    texts = {path: path.read_text() for path in files}
    # A warning, whose place moves.
    by_name = next(path for path in files if path.stem == "by_name")
    clause = next(one for one in texts[by_name].split("\n") if "=> Num(n)" in one)
    texts[by_name] = texts[by_name].replace(clause, f"{clause}\n{clause}", 1)
    before = all_there_is(course_copy, texts)
    assert before[1]
    rest = {path: "# one more\n\n" + text.replace("\n", "   # and here\n", 1)
            for path, text in texts.items()}  # fmt: skip
    after: list[tuple[object, ...]] = []
    counts = work_of(monkeypatch, lambda: after.append(all_there_is(course_copy, rest)))
    assert counts == dict.fromkeys(COUNTED, 0)
    assert after[0][0] == before[0]
    (code, place), (same, moved) = before[1][0], after[0][1][0]  # type: ignore[index]
    line = int(place.rpartition(":")[0].rpartition(":")[2])
    assert code == same
    assert moved == place.replace(f":{line}:", f":{line + 2}:")


def test_an_edit_that_says_something_else_reaches_what_rests_on_it(
    course_copy: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    leave_only(course_copy, "drip")
    file = course_copy / "drip/rewriting.brix"
    text = file.read_text()
    cases = all_there_is(course_copy, {file: text})[0]
    other = text.replace("Lit(a + b)", "Lit(a + b + 0)", 1)
    assert other != text
    counts = work_of(monkeypatch, lambda: all_there_is(course_copy, {file: other}) and None)
    adding = counts["a case is run"]  # other programs do not come to what has changed
    assert 0 < adding < len(cases)  # type: ignore[arg-type]
    assert 1 <= counts["something is compiled"] <= 2  # its costs are counted, its steps recorded
    # And what was said before is known still.
    counts = work_of(monkeypatch, lambda: all_there_is(course_copy, {file: text}) and None)
    assert counts == dict.fromkeys(COUNTED, 0)


def test_errors_are_told_with_their_place_after_an_edit_in_a_comment(make_course: Maker) -> None:
    course = make_course(a=TINY_LANGUAGE, b=BROKEN)
    folder = course.folder
    lane = Session(folder).lane("Tiny", "half")
    assert "(b.brix:8:16)" in lane.run("1 + 2").outcome.sentence
    (folder / "b.brix").write_text("# higher\n" + BROKEN)
    lane = Session(folder).lane("Tiny", "half")
    assert "(b.brix:9:16)" in lane.run("1 + 2").outcome.sentence


def test_what_cannot_be_read_is_told_with_its_place_after_an_edit_in_a_comment(
    make_course: Maker,
) -> None:
    """The clause cannot be read, so that checking finds nothing wrong."""
    unread = BROKEN.replace("nowhere(l)", "l +")
    for above in (0, 2):
        course = make_course(a=TINY_LANGUAGE, b="# higher\n" * above + unread)
        lane = Session(course.folder).lane("Tiny", "half")
        assert f"(b.brix:{8 + above}:" in lane.run("1 + 2").outcome.sentence


def test_a_rule_that_cannot_be_read_is_told_with_its_place_after_an_edit(
    make_course: Maker,
) -> None:
    broken = TINY_LANGUAGE.replace("x:name makes Var", "x:name makes Var(")
    line = next(n for n, one in enumerate(broken.split("\n"), 1) if "makes Var(" in one)
    sentences = []
    for above in (0, 3):
        course = make_course(a="# higher\n" * above + broken, b=BROKEN)
        lane = Session(course.folder).lane("Tiny", "half")
        sentences.append(lane.run("x").outcome.sentence.replace(f":{line + above}:", ":LINE:"))
    assert sentences[0] == sentences[1]


BROKEN = """\
interpreter half for Tiny

main run

define run(e: Expr) -> Number by e
  Lit(n) => n
  Var(x) => 0
  Add(l, r) => nowhere(l)
  Let(x, b, e) => 0
"""


@pytest.mark.parametrize(("line", "kept"), [
    ("a b  # told", "a b"),
    ("# all of it", ""),
    ('say "# no comment" # but here', 'say "# no comment"'),
    ('say "\\"# no comment"', 'say "\\"# no comment"'),
    ("  hash  /#+/  as Hash  # perhaps", "  hash  /#+/  as Hash  # perhaps"),
    ("'#' # a slip", "'#' # a slip"),
    ("1 / 2 # perhaps", "1 / 2 # perhaps"),
])  # fmt: skip
def test_what_is_certainly_a_comment_says_nothing(line: str, kept: str) -> None:
    assert said(f"first\n\n{line}\n") == "\n".join(filter(None, ("first", kept)))


@given(st.data())
def test_texts_that_say_the_same_have_the_same_words(data: st.DataObject) -> None:
    """Over the shipped definitions with comments, blanks and pieces of them put anywhere."""
    path = data.draw(st.sampled_from(sorted(shipped_course().rglob("*.brix"))))
    lines = path.read_text().split("\n")
    piece = data.draw(st.sampled_from(["", "   ", "# x", '  "# x', " / # /", "#", "'#"]))
    at = data.draw(st.integers(0, len(lines) - 1))
    whole = data.draw(st.booleans())
    lines[at:at] = [piece] if whole else []
    if not whole:
        lines[at] += piece
    text = "\n".join(lines)

    def words(text: str) -> list[tuple[object, ...]]:
        source = Source("x.brix", text)
        patterns = "tokens" in path.read_text()
        toks = lex(source, Span(0, len(text)), load_findings(), patterns=patterns)
        return [(tok.kind, tok.text, tok.column, tok.first) for tok in toks]

    assert words(said(text)) == words(text)
