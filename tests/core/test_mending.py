"""Repairs of what the notes say: each mends its note and makes no other error."""

from __future__ import annotations

from pathlib import Path

import pytest

from embrix.lanes.session import Session
from embrix.services.mending import mended
from embrix.text.diagnostic import Findings
from tests.conftest import Maker

LANGUAGE = """\
language Small
  "s"
  extension "small"
numbers rational
tokens
  number /\\d+/ as Number
  name /[a-z]+/ as Name
  skip / +/
forms Expr
  Lit(n: Number)
  Var(x: Name)   uses x
  Add(left: Expr, right: Expr)
  Neg(arg: Expr)
grammar
  start Expr
  operators Expr : Expr
    left "+" makes Add
    prefix "-" makes Neg
    operand Atom
  Atom : Expr ::= n:number makes Lit | x:name makes Var
"""
LANE = """\
interpreter lane for Small
main run
define run(p: Expr) -> Number
  eval(p, empty)
judgement eval "{env} ⊢ {e} ⇓ {result}"
define eval(e: Expr, env: Env[Number]) -> Number by e
  Lit(n)           => n
  Var(x)           => env[x] otherwise fail Unbound(x)
  Add(left, right) => eval(left, env) + eval(right, env)
  Neg(arg)         => 0 - eval(arg, env)
error Unbound(x: Name) "nothing called {x} is in scope"
"""


MULTI = """  Add(left, right) =>
    let a = eval(left, env)
    a + eval(right, env)
"""


@pytest.mark.parametrize("by", ["    ", " "])
def test_a_clause_goes_where_the_others_stand(make_course: Maker, by: str) -> None:
    good = LANE.replace("  Add(left, right) => eval(left, env) + eval(right, env)\n", MULTI)
    assert MULTI in good
    moved = "".join(by + line for line in MULTI.splitlines(keepends=True))
    wrong = good.replace(MULTI, moved)
    session = Session(make_course(small=LANGUAGE, lane=wrong).folder)
    assert mended(session, "lane.brix", wrong, 9).text == good
    deeper = good.replace("    a + eval", "       a + eval")
    assert mended(session, "lane.brix", deeper, 11).text == good


BOX = """\
value Held
  Box(n: Number)
define boxed(h: Held) -> Number by h
  Box(n) => n
"""


HELD = (
    LANE.replace("=> n\n", "=> match Some(n)\n    Some(m) => boxed(VALUE)\n    None => n\n") + BOX
)


@pytest.mark.parametrize(
    ("wrong", "right", "line"),
    [
        # A name that is misspelt, two arguments the wrong way round, a form misspelt.
        (LANE.replace("eval(left, env) +", "eval(lift, env) +"), LANE, 9),
        (LANE.replace("eval(right, env)", "eval(env, right)"), LANE, 9),
        (LANE.replace("Neg(arg)  ", "Nag(arg)  "), LANE, 10),
        # Two clauses are missing: both are written, behind the others.
        (
            "".join(row for row in LANE.splitlines(True) if "Add(" not in row and "Neg" not in row),
            LANE.replace(
                "  Add(left, right) => eval(left, env) + eval(right, env)\n"
                "  Neg(arg)         => 0 - eval(arg, env)\n",
                '  Add(left, right) => todo "what Add gives"\n'
                '  Neg(arg) => todo "what Neg gives"\n',
            ), 6,
        ),
        # A name that nothing uses.
        (
            LANE.replace("  eval(p, empty)\n", "  let q = p\n  eval(p, empty)\n"),
            LANE.replace("  eval(p, empty)\n", "  let _ = p\n  eval(p, empty)\n"), 4,
        ),
        # An Int where a number is wanted, a number where a value is.
        (
            LANE.replace("0 - eval(arg, env)", "size([arg])"),
            LANE.replace("0 - eval(arg, env)", "number(size([arg]))"), 10,
        ),
        (HELD.replace("VALUE", "m"), HELD.replace("VALUE", "Box(m)"), 8),
        # A field of a form, an argument, and one too much.
        (LANE.replace("Add(left, right) =>", "Add(left) =>"), LANE, 9),
        (LANE.replace("eval(right, env)", "eval(right)"), LANE, 9),
        (LANE.replace("eval(right, env)", "eval(right, env, 2)"), LANE, 9),
        # A bracket left open, before a comment, an operator or a comma.
        (LANE.replace("eval(right, env)", "eval(right, env"), LANE, 9),
        (
            LANE.replace("eval(right, env)", "eval(right, env   # both"),
            LANE.replace("eval(right, env)", "eval(right, env)   # both"), 9,
        ),
        (LANE.replace("eval(right, env)", "eval(right, env +"), LANE, 9),
        (
            LANE.replace("eval(right, env)", "number(size([eval(right, env +"),
            LANE.replace("eval(right, env)", "number(size([eval(right, env)]))"), 9,
        ),
        (LANE.replace("eval(right, env)", "eval(right, env,"), LANE, 9),
        # A warning that is meant.
        (
            LANE.replace("0 - eval(arg, env)", "eval(arg, env) - eval(arg, env)"),
            LANE.replace("0 - eval(arg, env)", "eval(arg, env) - eval(arg, env)").replace(
                "  Neg(arg)", '  deliberately evaluated_twice "say here why this is meant"\n'
                "  Neg(arg)",
            ), 10,
        ),
    ],
    ids=["name", "arguments", "form", "clauses", "unused", "whole number", "constructor", "field",
         "argument", "too much", "bracket", "before a comment", "operator", "several",
         "comma", "meant"],
)  # fmt: skip
def test_a_note_is_mended(make_course: Maker, wrong: str, right: str, line: int) -> None:
    """What comes out is written by hand above."""
    course = make_course(small=LANGUAGE, lane=wrong)
    change = mended(Session(course.folder), "lane.brix", wrong, line)
    assert change.refused == ""
    assert change.text == right
    old, new = (set(text.splitlines()) for text in (wrong, right))
    assert {line[1:] for line in change.changes if line[:1] == "-"} >= old - new
    assert {line[1:] for line in change.changes if line[:1] == "+"} >= new - old


ROWS = {
    '    left "*" makes Mul\n': "Mul(left: Expr, right: Expr)",
    '    prefix "!" makes Not\n': "Not(arg: Expr)",
    '    right a "?" b:Expr ":" c makes Cond\n': "Cond(a: Expr, b: Expr, c: Expr)",
    '    postfix "[" at:Atom "]" makes Item\n': "Item(arg: Expr, at: Expr)",
}


@pytest.mark.parametrize("row", ROWS)
def test_a_form_that_an_operator_makes_is_declared(make_course: Maker, row: str) -> None:
    wrong = LANGUAGE.replace('    prefix "-"', row + '    prefix "-"')
    right = wrong.replace("  Neg(arg: Expr)\n", f"  Neg(arg: Expr)\n  {ROWS[row]}\n")
    course = make_course(small=wrong, lane=LANE)
    change = mended(Session(course.folder), "small.brix", wrong, 18)
    assert (change.refused, change.text) == ("", right)
    (course.folder / "small.brix").write_text(right)
    codes = {(one.code, one.severity) for one in Session(course.folder).course.diagnostics}
    assert codes == {("missing_clause", "warning")}  # and the next repair writes the clauses


CHOICES = {
    ' | "let" x:name "=" e:Expr "end" makes Let': "Let(x: Name, e: Expr)",
    ' | "sum" "(" all:Expr*"," ")" makes Sum': "Sum(all: List[Expr])",
    ' | "maybe" e:number? makes May': "May(e: Maybe[Number])",
    ' | "nil" makes Nil': "Nil",
}


@pytest.mark.parametrize("choice", CHOICES)
def test_a_form_that_a_choice_makes_is_declared(make_course: Maker, choice: str) -> None:
    wrong = LANGUAGE.rstrip("\n") + choice + "\n"
    right = wrong.replace("  Neg(arg: Expr)\n", f"  Neg(arg: Expr)\n  {CHOICES[choice]}\n")
    course = make_course(small=wrong)
    change = mended(Session(course.folder), "small.brix", wrong, wrong.count("\n"))
    assert (change.refused, change.text) == ("", right)


def test_the_first_form_of_a_sort_is_declared(make_course: Maker) -> None:
    wrong = LANGUAGE + '  Order ::= "do" e:Expr makes Do\n'
    wrong = wrong.replace("  Order ::=", "  Order : Cmd ::=").replace("start Expr", "start Order")
    course = make_course(small=wrong)
    change = mended(Session(course.folder), "small.brix", wrong, wrong.count("\n"))
    assert change.text == wrong.replace("grammar\n", "forms Cmd\n  Do(e: Expr)\n\ngrammar\n", 1)
    one = wrong.replace("grammar\n", "forms Cmd\n  Stop\n\ngrammar\n", 1)
    change = mended(Session(course.folder), "small.brix", one, one.count("\n"))
    assert change.text == one.replace("  Stop\n", "  Stop\n  Do(e: Expr)\n")


def test_a_field_that_nothing_fills_is_captured(make_course: Maker) -> None:
    right = LANGUAGE.replace(
        "  Atom : Expr ::= n:number makes Lit",
        '  Atom : Expr ::=\n    | "(" "-" arg:Expr ")" makes Neg\n    | n:number makes Lit\n    ',
    )
    wrong = right.replace("arg:Expr", "Expr")
    course = make_course(small=wrong)
    line = wrong.split("\n").index('    | "(" "-" Expr ")" makes Neg') + 1
    change = mended(Session(course.folder), "small.brix", wrong, line)
    assert (change.refused, change.text) == ("", right)


def test_an_error_is_declared(make_course: Maker) -> None:
    wrong = LANE.replace('error Unbound(x: Name) "nothing called {x} is in scope"\n', "")
    wrong = wrong.replace("Unbound(x)", "Gone")
    course = make_course(small=LANGUAGE, lane=wrong)
    change = mended(Session(course.folder), "lane.brix", wrong, 8)
    assert change.text == wrong.replace("main run", 'error Gone "…"\n\nmain run')


def test_what_cannot_be_mended_is_said(make_course: Maker) -> None:
    wrong = LANE.replace("=> n\n", '=> "n"\n')
    session = Session(make_course(small=LANGUAGE, lane=wrong).folder)
    assert "no repair is known" in mended(session, "lane.brix", wrong, 7).refused
    assert "no error or warning on this line" in mended(session, "lane.brix", wrong, 2).refused


def test_a_guess_that_mends_nothing_is_not_offered(make_course: Maker) -> None:
    """`Lit` is the nearest name, but a form of two fields is wanted."""
    wrong = LANE.replace("  Neg(arg)         => 0 - eval(arg, env)", "  Lot(a, b)        => 1")
    session = Session(make_course(small=LANGUAGE, lane=wrong).folder)
    change = mended(session, "lane.brix", wrong, 10)
    assert change.refused
    assert change.text == ""


def test_an_entry_of_a_suite_is_mended_and_told_once(make_course: Maker, tmp_path: Path) -> None:
    suite = 'language = "Small"\n[[case]]\nname = "one"\nprogram = "1"\nvalu = 1\n'
    (tmp_path / "small.suite.toml").write_text(suite)
    course = make_course(small=LANGUAGE, values="interpreter values for Small\n")
    session = Session(course.folder)
    found = Findings()
    session.suite(tmp_path / "small.suite.toml", found)
    assert [one.code for one in found.sorted()] == ["unknown_word"]
    change = mended(session, "small.suite.toml", suite, 5)
    assert change.text == suite.replace("valu =", "value =")
