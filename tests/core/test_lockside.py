"""The suites of the shipped course leave nothing out, and what is left out elsewhere is named."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from embrix.checking.suite_coverage import uncovered
from embrix.course.load import Course
from embrix.lanes.session import Session
from tests.conftest import TINY_LANGUAGE, leave_only


def test_every_part_of_the_course_is_met(lockside: Course) -> None:
    """All tokens, forms, alternatives, clauses that judge, errors and choices. What Rill cannot
    come to (functions are the only values it defines by themselves) Mere does in Rill's clause."""
    found = [one for one in uncovered(Session(lockside.folder)) if one.what != "branch"]
    assert [(one.what, one.owner, one.text) for one in found] == []


def test_what_is_left_out_is_named_with_its_place(course_copy: Path) -> None:
    leave_only(course_copy, "drip", "rill")
    suite = course_copy / "drip" / "drip.suite.toml"
    suite.write_text('language = "Drip"\n[[case]]\nname = "a sum"\nprogram = "1 + 2"\nvalue = 3\n')
    found = uncovered(Session(course_copy), ["Drip"])
    told = {(one.what, one.owner, one.text) for one in found}
    assert {("form", "Drip", name) for name in ("Var", "Sub", "Mul", "Div", "Neg", "Let")} <= told
    assert ("form", "Drip", "Add") not in told
    assert ("token", "Drip", "name") in told
    # Rill's suite divides by nothing in the clause that Rill takes over from Drip.
    assert ("error", "Drip.environment", "DivisionByZero") not in told
    mul = next(one for one in found if one.text == '"*" makes Mul')
    line = (course_copy / mul.file).read_text().split("\n")[mul.line - 1]
    assert (mul.what, mul.file) == ("alternative", "drip/drip.brix")
    assert '"*" makes Mul' in line
    # The clauses of Drip are met by the suites of the languages that take them over.
    assert not any(one.what == "clause" and one.text.startswith("Mul") and
                   one.owner == "Drip.rewriting put" for one in found)  # fmt: skip


def test_branches_that_no_case_takes_come_with_a_program(course_copy: Path) -> None:
    """The only case never divides and looks nothing up."""
    suite = course_copy / "drip" / "drip.suite.toml"
    suite.write_text('language = "Drip"\n[[case]]\nname = "a sum"\nprogram = "1 + 2"\nvalue = 3\n')
    leave_only(course_copy, "drip")
    session = Session(course_copy)
    everything = uncovered(session, ["Drip"])
    assert ("error", "Drip.environment", "DivisionByZero") in {
        (one.what, one.owner, one.text) for one in everything
    }
    found = [one for one in everything if one.what == "branch"]
    told = {(one.text.partition(":")[0], one.owner.split()[1]) for one in found}
    assert ("otherwise", "eval") in told
    with_program = [one for one in found if one.program]
    assert with_program
    for one in with_program:
        line = (course_copy / one.file).read_text().split("\n")[one.line - 1].strip()
        assert line in one.text
    put = next(one for one in found if one.text.startswith("clause: Mul"))
    assert put.owner == "Drip.rewriting put"
    # The program that is proposed closes the gap.
    suite.write_text(
        suite.read_text() + f'[[case]]\nname = "b"\nprogram = "{put.program}"\naccepted = true\n'
    )
    again = [one for one in uncovered(Session(course_copy), ["Drip"]) if one.what == "branch"]
    assert put.text not in {one.text for one in again}
    assert len(again) < len(found)


OTHER_MAIN = """\
interpreter fixed for Tiny extends Tiny.environment
main all
define all(p: Expr) -> Number
  7
"""

FAILING = """\
interpreter environment for Tiny
error Missing(x: Name)    "{x} is nothing"
error Never               "never"
judgement eval  "{env} ⊢ {e} ⇓ {v}"  gives v
main run
define run(p: Expr) -> Number
  eval(p, empty)
define eval(e: Expr, env: Env[Number]) -> Number by e
  Lit(n)              => n
  Var(x)              => env[x] otherwise fail Missing(x)
  Add(left, right)    => eval(left, env) + eval(right, env)
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
"""

TAKEN_OVER = """\
interpreter doubled for Tiny extends Tiny.environment
main twice
define twice(p: Expr) -> Number
  eval(p, empty) + eval(p, empty)
"""


def test_a_lane_is_not_blamed_for_what_it_takes_over_and_never_reaches(
    make_course: Callable[..., Course], tmp_path: Path
) -> None:
    """`fixed` reaches no clause and no error of its base; `Missing` is raised by no text of
    `doubled`, and the base's case meets it; `Never` is raised by nobody, and its author is told
    once."""
    suite = 'language = "Tiny"\n' + "".join(
        f'[[case]]\nname = "{name}"\nprogram = "{text}"\nlanes = ["{lane}"]\n{wanted}\n'
        for name, text, lane, wanted in (
            ("a", "let a = 1 in a + 2", "environment", "value = 3"),
            ("b", "q", "environment", 'error = "Missing"'),
            ("c", "5", "doubled", "value = 10"),
            ("d", "5", "fixed", "value = 7"),
        )
    )
    (tmp_path / "tiny.suite.toml").write_text(suite)
    course = make_course(a=TINY_LANGUAGE, b=FAILING, c=OTHER_MAIN, d=TAKEN_OVER)
    assert not course.has_errors
    found = uncovered(Session(course.folder), ["Tiny"])
    blamed = [(one.what, one.owner, one.text) for one in found if one.what in ("clause", "error")]
    assert blamed == [("error", "Tiny.environment", "Never")]


def test_a_lane_is_blamed_for_a_clause_it_takes_over_once_and_by_its_author(
    make_course: Callable[..., Course], tmp_path: Path
) -> None:
    (tmp_path / "tiny.suite.toml").write_text(
        'language = "Tiny"\n[[case]]\nname = "a"\nprogram = "5"\naccepted = true\n'
    )
    # The file of the interpreter that takes over is read first.
    course = make_course(a=TINY_LANGUAGE, b=TAKEN_OVER, d=FAILING)
    assert not course.has_errors
    assert list(course.interpreters["Tiny"]) == ["doubled", "environment"]
    found = uncovered(Session(course.folder), ["Tiny"])
    adds = [one for one in found if one.what == "clause" and one.text.startswith("Add")]
    assert [one.owner for one in adds] == ["Tiny.environment eval"]
    missing = [one.owner for one in found if (one.what, one.text) == ("error", "Missing")]
    assert missing == ["Tiny.environment"]
