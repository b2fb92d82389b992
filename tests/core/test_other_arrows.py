"""A grammar without forms, and other arrows in clauses that replace: one message each."""

from __future__ import annotations

import pytest

from tests.conftest import Maker
from tests.core.test_holes import LANE, LANGUAGE


def test_a_grammar_without_any_forms_is_told_once(make_course: Maker) -> None:
    """Nothing in the grammar can be right before there is a form: one message names the cause."""
    text = """language Pump
  extension "pump"
tokens
  number /[0-9]+/ as Number
grammar
  start Expr
  Expr ::= n:number | left:Expr "+" right:Term
  Term ::= n:number
"""
    course = make_course(pump=text)
    assert [one.message for one in course.diagnostics] == ["Pump has no forms"]


@pytest.mark.parametrize("arrow", ["->", ":", "="])
@pytest.mark.parametrize("line", ["Lit(n) {} Num(n)", "_ {} Num(1)"])
def test_another_arrow_in_a_clause_that_replaces_is_named(
    make_course: Maker, arrow: str, line: str
) -> None:
    """Where the only clause has it, the lines are clauses nevertheless."""
    lane = f"interpreter other for Tally extends values\nreplace eval(e, env)\n  {line}\n"
    course = make_course(tally=LANGUAGE, values=LANE, other=lane.format(arrow))
    told = [one.message for one in course.diagnostics if one.source.name == "other.brix"]
    assert told == [f"`=>` stands before what a clause gives here, not `{arrow}`"]


def test_a_name_without_let_in_a_body_that_replaces_is_no_clause(make_course: Maker) -> None:
    lane = "interpreter other for Tally extends values\nreplace run(p)\n  x = 1\n  Num(x)\n"
    course = make_course(tally=LANGUAGE, values=LANE, other=lane)
    told = [one.message for one in course.diagnostics if one.source.name == "other.brix"]
    assert told
    assert "`=>`" not in told[0]
