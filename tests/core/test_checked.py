"""What is checked when, and what is remembered of it."""

from __future__ import annotations

import itertools
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from embrix.course import interpreters
from embrix.course.checked import READINGS, Memory
from embrix.course.load import Course, load_course
from embrix.course.shipped import shipped_course
from embrix.grammar.earley import EarleyParser
from embrix.grammar.lr import TableParser
from embrix.lanes.session import Session

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


@pytest.mark.parametrize("order", [*itertools.permutations(LANGUAGES, 2)])
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


def test_what_no_reading_needs_any_more_is_forgotten() -> None:
    memory = Memory()
    made: list[str] = []
    memory.begin()
    memory.recall("old", (), lambda _: made.append("old"))
    for _ in range(READINGS):
        memory.begin()
        memory.recall("new", (), lambda _: made.append("new"))
    memory.recall("old", (), lambda _: made.append("old"))
    assert made == ["old", "new"]
    for _ in range(READINGS + 1):
        memory.begin()
    memory.recall("old", (), lambda _: made.append("old"))
    assert made == ["old", "new", "old"]


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
