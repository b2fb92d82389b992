"""Suites: reading them, what is wrong in them, and whether they catch mistakes."""

from __future__ import annotations

from pathlib import Path

import pytest

from embrix.checking.diagnostics import diagnostics
from embrix.checking.verdicts import check_suite
from embrix.course.load import Course
from embrix.lanes.results import run
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.messages.recipes import WalkRecipe
from embrix.services.walks import WalkService
from embrix.suite.cases import Case, Expectation, Steps
from embrix.suite.check import check_case
from embrix.suite.read import read_suite
from embrix.text.diagnostic import Findings
from embrix.text.source import Source
from tests.conftest import TINY_LANGUAGE, Maker

LANES = {"Drip": ("rewriting", "environment")}
ERRORS = {"Drip": ("Unbound", "DivisionByZero")}

GOOD = """\
language = "Drip"

[[case]]
name = "one"   # a comment
program = "1 + 1"
value = 2

[[case]]
name = "two"
program = "x"
error = "Unbound"
at = "1:1"
for.environment = { value = 5 }
given = { x = "5" }
"""


def read(text: str) -> tuple[object, list[tuple[str, str]]]:
    findings = Findings()
    source = Source("s", text)
    suite = read_suite(source, LANES, ERRORS, findings)
    return suite, [(d.code, text[d.span.start : d.span.end]) for d in findings.sorted()]


def test_a_suite_is_read() -> None:
    suite, findings = read(GOOD)
    assert findings == []
    cases = suite.cases  # type: ignore[attr-defined]
    assert [case.name for case in cases] == ["one", "two"]
    assert cases[1].expectation_for("environment") == Expectation("value", "5")
    assert cases[1].expectation_for("rewriting") == Expectation("error", "Unbound", (1, 1))


FAULTS = [
    ('language = "Drip"', 'language = "Dripp"', "unknown_language", "language"),
    ('language = "Drip"\n', "", "bad_suite", "[[case]]"[:0]),
    ("value = 2", "valu = 2", "unknown_word", "valu"),
    ("value = 2", "", "bad_suite", "name"),
    ("value = 2", "value = 2\nerror = \"Unbound\"", "bad_suite", "error"),
    ("value = 2", "value = [2]", "bad_suite", "value"),
    ("value = 2", "rejected = \"types\"", "bad_suite", "rejected"),
    ('program = "1 + 1"', "program = 3", "bad_suite", "program"),
    ('program = "1 + 1"', 'program = "1"\nfile = "a"', "bad_suite", "file"),
    ('program = "1 + 1"', 'file = "../../secret"', "bad_suite", "file"),
    ('error = "Unbound"', 'error = "Unbond"', "bad_suite", "error"),
    ('at = "1:1"', 'at = "one"', "bad_suite", "at"),
    ("for.environment", "for.enviroment", "unknown_interpreter", "enviroment"),
    ('name = "two"', 'name = "one"', "declared_twice", "name"),
    ('name = "two"', "name = 2", "bad_suite", "name"),
    ("[[case]]\nname = \"two\"", "[[case]\nname = \"two\"", "bad_suite", ""),
]  # fmt: skip


@pytest.mark.parametrize(("right", "wrong", "code", "at"), FAULTS)
def test_a_fault_in_a_suite_is_located(right: str, wrong: str, code: str, at: str) -> None:
    """The entry that is wrong is pointed at; the other case survives."""
    assert right in GOOD
    suite, findings = read(GOOD.replace(right, wrong, 1))
    assert code in {found for found, _ in findings}
    assert any(at in text for found, text in findings if found == code), findings
    if code in ("unknown_word", "unknown_interpreter", "declared_twice"):
        assert suite is not None


def test_verdicts_tell_what_was_expected_and_what_came(drip_lanes: dict[str, Lane]) -> None:
    lane = drip_lanes["environment"]
    wrong = check_case(Case("c", "1 + 1", Expectation("value", "3")), lane)
    assert (wrong.state, wrong.expected, wrong.actual) == ("failed", "3", "2")
    place = check_case(
        Case("c", "1 +\n 2 / 0", Expectation("error", "DivisionByZero", (1, 1))), lane
    )
    assert (place.expected, place.actual) == (
        "error DivisionByZero at 1:1", "error DivisionByZero at 2:2",
    )  # fmt: skip
    other = check_case(Case("c", "1 / 0", Expectation("error", "Unbound")), lane)
    assert other.state == "failed"
    kind = check_case(Case("c", "1 $", Expectation("rejected", "grammar")), lane)
    assert kind.state == "failed"
    limited = check_case(Case("c", "1", Expectation("value", "1"), lanes=("by_name",)), lane)
    assert limited.state == "left out"


def test_the_first_step_that_differs_is_told(drip_lanes: dict[str, Lane]) -> None:
    steps = {"rewriting": Steps(("1 + 2 * 3", "1 + 5", "6"))}
    verdict = check_case(Case("c", "1 + 2 * 3", None, steps=steps), drip_lanes["rewriting"])
    assert (verdict.expected, verdict.actual) == ("step 1: 1 + 5", "step 1: 1 + 6")
    short = {"rewriting": Steps(("1 + 2",))}
    verdict = check_case(Case("c", "1 + 2", None, steps=short), drip_lanes["rewriting"])
    assert (verdict.expected, verdict.actual) == ("step 1: no further step", "step 1: 3")


@pytest.mark.parametrize("name", ["drip", "rill", "weir", "mere"])
def test_the_shipped_suites_hold_and_have_their_cases(lockside: Course, name: str) -> None:
    session = Session(lockside.folder)
    (path,) = [path for path in lockside.suites if path.name == f"{name}.suite.toml"]
    report = check_suite(session, path)
    assert len(report.cases) >= 25
    assert report.diagnostics == []
    wrong = [
        (case.name, verdict)
        for case in report.cases
        for verdict in case.verdicts
        if verdict.state == "failed"
    ]
    assert wrong == []


def test_there_is_nothing_to_say_about_the_shipped_course(lockside: Course) -> None:
    assert [d.message for d in diagnostics(Session(lockside.folder)).findings] == []


MISTAKES = [
    ("drip", 'left    "+"', 'right   "+"'),
    ("drip", 'left    "*"', 'right   "*"'),
    ("drip", "binds x in body", "binds x in bound, body"),
    ("rewriting", "when y == x  => Let(y, put(v, x, bound), body)",
     "when y == x  => Let(y, put(v, x, bound), put(v, x, body))"),
    ("rewriting", "when y == x  => Let(y, put(v, x, bound), body)", "when y == x  => e"),
    ("rewriting", "  order Let(x, bound, body) : bound\n", ""),
    ("rewriting", "order Add(left, right)    : left, right",
     "order Add(left, right)    : right, left"),
    ("rewriting", "Sub(Lit(a), Lit(b))  => Lit(a - b)", "Sub(Lit(a), Lit(b))  => Lit(b - a)"),
    ("rewriting", "  Div(Lit(_), Lit(0))  => fail DivisionByZero\n", ""),
    ("environment", "eval(body, env with x = v)", "eval(body, env)"),
    ("environment", "let v = eval(bound, env)", "let v = eval(bound, env with x = Num(0))"),
    ("environment", "require b != 0 else", "require a != 0 else"),
    ("environment", "Num(-number(eval(arg, env)))", "eval(arg, env)"),
    ("by_name", "eval(substitute(bound, x, body))",
     "eval(substitute(bound, x, body)) \n  Neg(arg) => eval(arg)"),
    ("by_name", "Num(a / b)", "Num(b / a)"),
]  # fmt: skip


@pytest.mark.parametrize(("file", "right", "wrong"), MISTAKES)
def test_a_seeded_mistake_is_caught(course_copy: Path, file: str, right: str, wrong: str) -> None:
    """A one-line mistake in the shipped definitions turns the suite red or is reported."""
    path = course_copy / "drip" / f"{file}.brix"
    text = path.read_text()
    assert right in text
    path.write_text(text.replace(right, wrong, 1))
    session = Session(course_copy)
    report = check_suite(session, session.course.suites[0])
    red = any(v.state == "failed" for case in report.cases for v in case.verdicts)
    assert red or diagnostics(session).findings


def test_a_changed_definition_changes_the_language(course_copy: Path) -> None:
    """Nothing of Drip is in Python: another word for `let` in the file is another language."""
    path = course_copy / "drip" / "drip.brix"
    path.write_text(path.read_text().replace('"let"', '"take"').replace('"in"', '"so"'))
    session = Session(course_copy)
    new = run(session, "Drip", "environment", "take x = 2 so x * x")
    old = run(session, "Drip", "environment", "let x = 2 in x * x")
    assert new.outcome.text == "4"
    assert old.outcome.kind == "rejected"
    walks = WalkService(session)
    steps = walks.open(WalkRecipe("k", "Drip", "rewriting", "take x = 2 so x"))
    assert steps.length == 2
    assert walks.steps(WalkRecipe("k"), 0, 1)[0].text == "take x = 2 so x"


READING = """\
language = "Tiny"
[[case]]
name = "to the left"
program = "1 + 2 + 3"
term = "Add(Add(Lit(1), Lit(2)), Lit(3))"
[[case]]
name = "to the right"
program = "1 + 2 + 3"
term = "Add(Lit(1), Add(Lit(2), Lit(3)))"
[[case]]
name = "its tokens"
program = "let a"
tokens = ["let", "name a"]
[[case]]
name = "refused"
program = "1 +"
rejected = "grammar"
[[case]]
name = "not refused"
program = "1"
rejected = "grammar"
[[case]]
name = "accepted"
program = "a"
accepted = true
[[case]]
name = "what it gives"
program = "1 + 2"
value = "Num(3)"
"""


def test_a_grammar_alone_is_held_against_what_is_read(make_course: Maker, tmp_path: Path) -> None:
    """Cases about reading need no interpreter; the one about a value waits for one."""
    (tmp_path / "tiny.suite.toml").write_text(READING)
    session = Session(make_course(tiny=TINY_LANGUAGE).folder)
    report = check_suite(session, tmp_path / "tiny.suite.toml")
    assert report.lanes == ["grammar"]
    states = {case.name: [v.state for v in case.verdicts] for case in report.cases}
    assert states == {
        "to the left": ["passed"], "to the right": ["failed"], "its tokens": ["passed"],
        "refused": ["passed"], "not refused": ["failed"], "accepted": ["passed"],
        "what it gives": [],
    }  # fmt: skip
    told = {case.name: v.actual for case in report.cases for v in case.verdicts}
    assert told["not refused"] == "accepted"
