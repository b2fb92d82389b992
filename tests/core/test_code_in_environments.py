"""Expressions in an environment that are evaluated where they are looked up."""

from __future__ import annotations

import pytest

from tests.conftest import Maker

DELAYED = """interpreter lane for Tiny
error Unbound(x: Name) "no {x}"
MOREmain run
define run(p: Expr) -> Number
  eval(p, empty)
define eval(e: Expr, env: HELD) -> Number by e
  Lit(n) => n
  Var(x) =>
    LOOKED
  Let(x, bound, body) => eval(body, env with x = KEPT)
"""
NAMED = """language Tiny
forms Expr
  Lit(n: Number)
  Var(x: Name)  uses x
  Let(x: Name, bound: Expr, body: Expr)  binds x in body
"""
FOUND = "env[x] otherwise fail Unbound(x)"
HELPER = "define force(e: Expr, env: Env[Expr]) -> Number\n  eval(e, env)\n"
BY_NAME = "define at(x: Name, env: Env[Expr]) -> Number\n  eval(env[x] otherwise Lit(0), env)\n"


def lane(held: str, looked: str, kept: str, more: str) -> str:
    text = DELAYED.replace("HELD", held).replace("LOOKED", looked).replace("KEPT", kept)
    return text.replace("MORE", more)


@pytest.mark.parametrize(
    ("held", "looked", "kept", "more"),
    [
        ("Env[Expr]", f"eval({FOUND}, env)", "bound", ""),
        ("Env[Expr]", f"let found = {FOUND}\n    eval(found, env)", "bound", ""),
        ("Env[Expr]", f"match {FOUND}\n      found => eval(found, env)", "bound", ""),
        ("Env[Expr]", "match lookup(env, x)\n      Some(found) => eval(found, env)\n"
         "      None => fail Unbound(x)", "bound", ""),
        ("Env[Expr]", f"force({FOUND}, env)", "bound", HELPER),
        ("Env[Expr]", "at(x, env)", "bound", BY_NAME),
        ("Map[Name, Expr]", f"eval({FOUND}, env)", "bound", ""),
        ("Env[(Expr, Number)]", f"let (found, _) = {FOUND}\n    eval(found, env)", "(bound, 1)",
         ""),
        ("Env[Maybe[Expr]]", f"match {FOUND}\n      Some(found) => eval(found, env)\n"
         "      None => 0", "Some(bound)", ""),
    ],
)  # fmt: skip
def test_code_in_an_environment_is_warned_of_in_every_disguise(
    make_course: Maker, held: str, looked: str, kept: str, more: str
) -> None:
    course = make_course(tiny=NAMED, lane=lane(held, looked, kept, more))
    found = [(one.code, one.source.text[one.span.start :][:6]) for one in course.diagnostics
             if one.code == "callers_environment"]  # fmt: skip
    assert found == [("callers_environment", "Var(x)")]
    assert not course.has_errors


@pytest.mark.parametrize(
    ("held", "looked", "kept", "more"),
    [
        ("Env[Held]", f"let Held(found, saved) = {FOUND}\n    eval(found, saved)",
         "Held(bound, env)", "data Held\n  Held(e: Expr, env: Env[Held])\n"),
        ("Env[Number]", FOUND, "eval(bound, env)", ""),
        ("Env[Expr]", f"match {FOUND}\n      Lit(n) => n\n      _ => 0", "Lit(eval(bound, env))",
         ""),
    ],
)  # fmt: skip
def test_environments_that_keep_what_they_need_are_left_alone(
    make_course: Maker, held: str, looked: str, kept: str, more: str
) -> None:
    """Code with its environment, values, and values that are terms."""
    course = make_course(tiny=NAMED, lane=lane(held, looked, kept, more))
    assert "callers_environment" not in [one.code for one in course.diagnostics]
    assert not course.has_errors, [one.message for one in course.diagnostics]


def test_a_table_of_definitions_is_no_environment_of_code(make_course: Maker) -> None:
    """It is given along and never extended: what stands in it has no names but its own."""
    text = """interpreter lane for Tiny
main run
define run(p: Expr) -> Number
  eval(p, empty with name_of("one") = Lit(1))
define eval(e: Expr, table: Env[Expr]) -> Number by e
  Lit(n) => n
  Var(x) => eval(table[x] otherwise Lit(0), table)
  Let(_, bound, body) => eval(bound, table) + eval(body, table)
"""
    course = make_course(tiny=NAMED, lane=text)
    assert "callers_environment" not in [one.code for one in course.diagnostics]
    assert not course.has_errors
