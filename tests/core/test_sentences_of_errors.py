"""Sentences of errors in which functions are called."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from embrix.course.load import Course
from embrix.lanes.session import Session

Maker = Callable[..., Course]

LANGUAGE = """\
language Lot
  extension "lot"
numbers integer
tokens
  number /[0-9]+/ as Number
  skip   / +/
forms Expr
  Lit(n: Number)
  Add(left: Expr, right: Expr)
grammar
  start Expr
  operators Sum : Expr
    left "+" makes Add
    operand Atom
  Atom : Expr ::= n:number makes Lit
  Expr ::= Sum
error TooMany(n: Number, e: Expr)  "{n} is {n - most(n)} more than {most(n)}, in {e}"
error Endless(n: Number) "never: {spin(n)}"
define most(n: Number) -> Number
  if n > 100 then 100 else 10
define spin(n: Number) -> Number
  spin(n + 1)
"""
LANE = """\
interpreter run for Lot
value Value
  Num(n: Number)  shown "{n}"
error Odd(n: Number)  "{kind(n)} {n}"
main eval
judgement eval "{e} ⇓ {result}"
define kind(n: Number) -> Text
  if n mod 2 == 0 then "even" else "odd"
define eval(e: Expr) -> Value by e
  Lit(n)  =>
    if n == 13 then fail Odd(n) else
      if n == 99 then fail Endless(n) else
        if n > 10 then fail TooMany(n, e) else Num(n)
  Add(a, b) =>
    let Num(m) = eval(a)
    let Num(n) = eval(b)
    Num(m + n)
"""


@pytest.mark.parametrize(
    ("program", "sentence"),
    [
        ("1 + 25", "TooMany: 25 is 15 more than 10, in 25"),
        ("1 + 130", "TooMany: 130 is 30 more than 100, in 130"),
        ("13", "Odd: odd 13"),
        # A function that never comes to an end ends the sentence, not the run.
        ("99", "Endless: …"),
    ],
)
@pytest.mark.parametrize("variant", ["plain", "counted"])
def test_a_sentence_says_what_functions_give(
    make_course: Maker, program: str, sentence: str, variant: str
) -> None:
    session = Session(make_course(lot=LANGUAGE, run=LANE).folder)
    result = session.lane("Lot", "run").run(program, variant=variant)  # type: ignore[arg-type]
    assert result.outcome.sentence == sentence


def test_an_interpreter_that_extends_another_says_the_same(make_course: Maker) -> None:
    more = 'interpreter more for Lot extends run\nreplace kind(n)\n  "a bad"\n'
    session = Session(make_course(lot=LANGUAGE, run=LANE, more=more).folder)
    assert session.lane("Lot", "more").run("13").outcome.sentence == "Odd: a bad 13"


@pytest.mark.parametrize(
    ("mistake", "message"),
    [
        ("{kid(n)}", "there is no function called kid"),
        ("{n + true}", "this is of type Bool, but Number is expected here"),
        ("{m}", "m cannot stand in this text"),
    ],
)
def test_a_mistake_in_a_sentence_is_told_at_its_place(
    make_course: Maker, mistake: str, message: str
) -> None:
    course = make_course(lot=LANGUAGE, run=LANE.replace("{kind(n)}", mistake))
    (found,) = course.diagnostics
    assert found.message == message
    assert found.place.startswith("run.brix:4:")


def test_a_sentence_neither_writes_nor_asks(make_course: Maker) -> None:
    lane = LANE.replace("  if n mod 2", '  emit "loud"\n  if n mod 2')
    course = make_course(lot=LANGUAGE, run=lane)
    assert [one.code for one in course.diagnostics] == ["wrong_place"]
