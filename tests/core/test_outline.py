"""The clauses of a lane as a grid, and the beginning of one that is missing."""

from __future__ import annotations

import tomllib
from pathlib import Path

import pytest

from embrix.lanes.session import Session
from embrix.services.case_changes import covering_case
from embrix.services.outlining import clause_written, outline_grid
from tests.conftest import TINY_LANGUAGE, Maker

LANE = """\
interpreter values for Tiny
value Value
  Num(n: Number)
  Pair(a: Value, b: Value)
error Unbound(x: Name)  "nothing called {x}"
judgement eval "{env} ⊢ {e} ⇓ {result}"
main run
define run(p: Expr) -> Value
  eval(p, empty)
define eval(e: Expr, env: Env[Value]) -> Value by e
  Lit(n)            => Num(n)
  Var(x)            => env[x] otherwise fail Unbound(x)
  Add(left, right)  => todo "sums"
define number(v: Value) -> Number by v
  Num(n)            => m
  _                 => 0
define depth(e: Expr) -> Int by e
  Let(_, _, body)   => 1 + depth(body)
  _                 => 0
"""
STEPS = """\
interpreter steps for Tiny
judgement step "{e} → {result}"
main run
define run(p: Expr) -> Expr
  repeat step(p)
define step(e: Expr) -> Expr by e
  final Lit(_)
  order Add(left, right) : left, right
  Add(Lit(a), Lit(b)) => Lit(a + b)
"""
MORE = """\
interpreter more for Tiny extends values
extend eval(e, env)
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
"""
SUITE = """\
language = "Tiny"
[[case]]
name = "a number"
program = "1"
value = "Num(1)"
[[case]]
name = "a name"
program = "x"
value = "Num(1)"
"""


def grid(session: Session, lane: str, *, count: bool = False) -> dict[str, list[str]]:
    found = outline_grid(session, "Tiny", lane, count=count)
    assert found.refused == ""
    return {
        row.form.partition("(")[0]: [f"{cell.state} {cell.met}".strip() for cell in row.cells]
        for row in found.rows
    }


@pytest.fixture
def session(make_course: Maker, tmp_path: Path) -> Session:
    (tmp_path / "tiny.suite.toml").write_text(SUITE)
    made = make_course(tiny=TINY_LANGUAGE, values=LANE, steps=STEPS, more=MORE)
    return Session(made.folder)


def test_each_pair_of_form_and_function_says_what_there_is(session: Session) -> None:
    assert grid(session, "values") == {
        "Lit": ["written", "", "for several"],
        "Var": ["written", "", "for several"],
        "Add": ["to do", "", "for several"],
        "Let": ["missing", "", "written"],
        "Num": ["", "wrong", ""],
        "Pair": ["", "for several", ""],
    }
    assert grid(session, "more")["Let"][0] == "written"
    assert grid(session, "more")["Lit"][0] == "taken over"
    assert grid(session, "steps") == {
        "Lit": ["final"], "Var": ["missing"], "Add": ["written"], "Let": ["missing"],
    }  # fmt: skip


def test_what_the_cases_come_to_is_counted_by_whether_they_pass(session: Session) -> None:
    """`1` passes and comes to Lit; `x` fails and comes to Var; nothing comes to Add."""
    found = grid(session, "values", count=True)
    assert [found[form][0] for form in ("Lit", "Var", "Add", "Let")] == [
        "written", "written failing", "to do unmet", "missing",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("lane", "function", "form", "line"),
    [
        ("values", "eval", "Let", 'Let(x, bound, body) => todo "what Let gives"'),
        ("steps", "step", "Var", 'Var(x) => todo "what Var gives"'),
        ("more", "number", "Pair", 'Pair(a, b) => todo "what Pair gives"'),
    ],
)
def test_a_missing_clause_is_begun_where_the_others_stand(
    session: Session, lane: str, function: str, form: str, line: str
) -> None:
    change = clause_written(session, "Tiny", lane, function, form)
    assert f"\n  {line}\n" in change.text
    assert change.text.replace(f"  {line}\n", "", 1).rstrip() in (
        change.old.rstrip(), f"{change.old.rstrip()}\n\nextend number(v)"
    )  # fmt: skip
    folder = session.course.folder
    after = Session(folder, {folder / change.changes[0]: change.text})
    assert len(after.course.diagnostics) <= len(session.course.diagnostics)
    assert grid(after, lane)[form].count("to do") == 1


@pytest.mark.parametrize(("form", "sign"), [("Add", "+"), ("Let", "let")])
def test_a_case_is_made_for_a_clause_that_no_case_comes_to(
    make_course: Maker, form: str, sign: str
) -> None:
    """Only programs with a sum come to the clause for sums, so that is what is found."""
    lane = LANE.replace('todo "sums"', "eval(left, env)")
    made = make_course(tiny=TINY_LANGUAGE, values=lane, more=MORE)
    suite = made.folder / "tiny.suite.toml"
    suite.write_text(SUITE)
    session = Session(made.folder)
    change = covering_case(session, suite, "Tiny", "more", "eval", form)
    assert change.refused == ""
    added = tomllib.loads(change.text)["case"][2]
    assert sign in added["program"]
    suite.write_text(change.text)
    again = outline_grid(Session(made.folder), "Tiny", "more", count=True)
    cell = next(row for row in again.rows if row.form.startswith(f"{form}(")).cells[0]
    assert cell.met == ""


def test_a_clause_that_nothing_comes_to_has_no_case(make_course: Maker) -> None:
    """No judgement is about `number`, so no run tells whether it came to a clause of it."""
    made = make_course(tiny=TINY_LANGUAGE, values=LANE)
    suite = made.folder / "tiny.suite.toml"
    suite.write_text(SUITE)
    change = covering_case(Session(made.folder), suite, "Tiny", "values", "number", "Num")
    assert change.refused.startswith("none of 300 generated programs")
