"""A language that extends another one widens its functions."""

from __future__ import annotations

import pytest

from embrix.lanes.session import Session
from tests.conftest import Maker

SLUICE = """\
language Sluice
  extension "sluice"
tokens
  skip /[ \\n]+/
  number /[0-9]+/ as Number
forms Expr
  Lit(n: Number)
  Add(left: Expr, right: Expr)
grammar
  start Expr
  operators Expr
    left "+" makes Add
    operand Atom
  Atom : Expr ::= n:number makes Lit
define weight(e: Expr) -> Number by e
  Add(left, right) => weight(left) + weight(right)
  {last}
"""
LOCK = """\
language Lock extends Sluice
  extension "lock"
forms Expr
  Neg(e: Expr)
grammar
  operators Expr
    ...
    prefix "-" makes Neg
"""
VALUES = """\
interpreter values for {language}
value Num
  Num(n: Number) shown "{{n}}"
main run
define run(p: Expr) -> Num
  Num(weight(p))
"""
PLAIN, ALL = "Lit(n) => n", "_ => 1"


def made(make_course: Maker, more: str, last: str = PLAIN) -> tuple[Session, list[str]]:
    course = make_course(
        sluice=SLUICE.format(last=last), lock=LOCK + more, values=VALUES.format(language="Lock"),
        plain=VALUES.format(language="Sluice"),
    )  # fmt: skip
    told = [f"{one.place} {one.code}: {one.message}" for one in course.diagnostics]
    return Session(course.folder), told


def test_clauses_are_put_before_those_of_the_base(make_course: Maker) -> None:
    session, told = made(make_course, "extend weight(e)\n  Neg(e) => 10 * weight(e)\n")
    assert told == []
    assert session.lane("Lock", "values").run("- 3 + 4").outcome.text == "34"
    assert session.lane("Sluice", "values").run("3 + 4").outcome.text == "7"


def test_clauses_replace_those_of_the_base(make_course: Maker) -> None:
    more = "replace weight(e)\n  Neg(e) => weight(e)\n  Lit(_) => 5\n"
    session, told = made(make_course, more)
    assert told == []
    assert session.lane("Lock", "values").run("- 3 + 4").outcome.text == "10"
    assert session.lane("Sluice", "values").run("3 + 4").outcome.text == "7"


def test_a_catch_all_of_the_base_stands_for_its_own_forms(make_course: Maker) -> None:
    session, told = made(make_course, "", ALL)
    assert told == ["sluice.brix:15:8 missing_clause: in Lock: weight has no clause for Neg(_)"]
    assert session.lane("Lock", "values").run("- 3").outcome.kind == "stuck"
    assert session.lane("Sluice", "values").run("3").outcome.text == "1"


def test_a_catch_all_of_the_base_may_stand_for_more(make_course: Maker) -> None:
    session, told = made(make_course, "extend weight(e)\n  inherit _ for Neg\n", ALL)
    assert told == []
    assert session.lane("Lock", "values").run("- 3").outcome.text == "1"


@pytest.mark.parametrize(
    ("more", "told"),
    [
        ("extend weigth(e)\n  Neg(e) => 1\n",
         "lock.brix:9:8 nothing_taken_over: no function called weigth"),
        ("extend weight(x)\n  Neg(e) => 1\n",
         "lock.brix:9:8 wrong_number: the parameters of weight are called e"),
        ("extend weight(e)\n  Lit(n) => 1\n  Neg(_) => 2\n",
         "lock.brix:9:8 hides_base: these clauses of weight hide one of the base (line 17 of "
         "sluice.brix)"),
        ("extend value Num\n  Other\n",
         "lock.brix:9:8 unknown_word: no declaration begins with `value` here"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_told_once(make_course: Maker, more: str, told: str) -> None:
    _, found = made(make_course, more)
    assert told in found
    assert len([one for one in found if one.startswith("lock.brix")]) == 1


def test_a_language_without_a_base_widens_nothing(make_course: Maker) -> None:
    text = SLUICE.format(last=PLAIN) + "extend other(e)\n  Lit(n) => 1\n"
    course = make_course(sluice=text)
    assert [one.message for one in course.diagnostics] == [
        "this extends nothing, so there is no function other to take up"
    ]


def test_an_interpreter_widens_functions_of_its_language(make_course: Maker) -> None:
    """By hand: `size_of` of the language counts 1 for a number; the one that is widened counts 10,
    for those who extend it as well; without that it is as the language says."""
    language = """language Tiny
forms Expr
  Lit(n: Number)
  Add(a: Expr, b: Expr)
define size_of(e: Expr) -> Number by e
  Lit(_) => 1
  Add(a, b) => size_of(a) + size_of(b)
define double(e: Expr) -> Number
  2 * size_of(e)
"""
    plain = """interpreter plain for Tiny
main run
define run(p: Expr) -> Number
  double(p)
"""
    wide = (
        plain.replace("plain", "wide")
        + """
replace size_of(e)
  Lit(_) => 10
"""
    )
    wider = """interpreter wider for Tiny extends Tiny.wide
replace size_of(e)
  Add(a, b) => 100 + size_of(a) + size_of(b)
"""
    whole = (
        plain.replace("plain", "whole")
        + """
replace double(e)
  size_of(e)
"""
    )
    course = make_course(tiny=language, plain=plain, wide=wide, wider=wider, whole=whole)
    assert [one.message for one in course.diagnostics] == []
    session = Session(course.folder)
    text = "term: Add(Lit(1), Lit(2))"
    found = {name: session.lane("Tiny", name).run(text).outcome.text
             for name in ("plain", "wide", "wider", "whole")}  # fmt: skip
    assert found == {"plain": "4", "wide": "40", "wider": "240", "whole": "2"}


def test_a_function_of_the_language_is_not_defined_again(make_course: Maker) -> None:
    language = "language Tiny\nforms Expr\n  Lit(n: Number)\ndefine one() -> Number\n  1\n"
    lane = ("interpreter lane for Tiny\nmain run\ndefine run(p: Expr) -> Number\n  one()\n"
            "define one() -> Number\n  2\n")  # fmt: skip
    course = make_course(tiny=language, lane=lane)
    assert [one.code for one in course.diagnostics] == ["declared_twice"]
    missing = lane.replace("define one", "define two") + "replace tree(e)\n  2\n"
    course = make_course(tiny=language, lane=missing)
    assert [one.code for one in course.diagnostics] == ["nothing_taken_over"]
