"""Laws with a condition: examples that meet it, progress and preservation, counterexamples made as
small as they can be."""

from __future__ import annotations

import re

import pytest

from embrix.checking.laws import MADE, TRIES, LawReport, try_law
from embrix.course.load import load_course
from embrix.lanes.session import Session
from tests.conftest import TINY_LANGUAGE, Maker

HOIST = """\
language Hoist
  extension "hoist"
tokens
  number  /[0-9]+/  as Number
  name    /[a-z]+/  as Name
  skip    / +/
forms Kind
  Weight
  Truth
  Way(from: Kind, to: Kind)
forms Expr
  Lit(n: Number)
  Yes
  No
  Var(x: Name)                            uses x
  Add(left: Expr, right: Expr)
  Less(left: Expr, right: Expr)
  If(test: Expr, yes: Expr, no: Expr)
  Fn(x: Name, from: Kind, body: Expr)     binds x in body
  Call(callee: Expr, arg: Expr)
"""
STEPS = """\
interpreter steps for Hoist
error Wrong
  "the kinds do not fit"
main run
define run(e: Expr) -> Expr
  repeat step(e)

define step(e: Expr) -> Expr by e
  final Lit(_)
  final Yes
  final No
  final Fn(_, _, _)
  order Add(left, right) : left, right
  order Less(left, right) : left, right
  order If(test, _, _) : test
  order Call(callee, arg) : callee, arg
  Add(Lit(a), Lit(b)) => Lit(a + b)
  Less(Lit(a), Lit(b)) when a < b => Yes
  Less(Lit(_), Lit(_)) => No
  If(Yes, yes, _) => yes
  If(No, _, no) => no
  Call(Fn(x, _, body), v) => substitute(v, x, body)

define kind(e: Expr, env: Env[Kind]) -> Kind by e
  Lit(_) => Weight
  Yes => Truth
  No => Truth
  Var(x) => env[x] otherwise fail Wrong
  Add(left, right) => both(left, right, Weight, env)
  Less(left, right) =>
    let _ = both(left, right, Weight, env)
    Truth
  If(test, yes, no) =>
    let _ = both(test, test, Truth, env)
    both(yes, no, kind(yes, env), env)
  Fn(x, from, body) => Way(from, kind(body, env with x = from))
  Call(callee, arg) =>
    match kind(callee, env)
      Way(from, to) =>
        let _ = both(arg, arg, from, env)
        to
      _ => fail Wrong

define both(a: Expr, b: Expr, wanted: Kind, env: Env[Kind]) -> Kind
  require kind(a, env) == wanted and kind(b, env) == wanted else fail Wrong
  wanted

define kinded(e: Expr) -> Bool
  let _ = kind(e, empty)
  true

define moves(e: Expr) -> Bool
  let _ = step(e)
  true

define calls(e: Expr) -> Bool by e
  Call(Fn(_, _, _), _) => true
  _ => false

law final(e) or moves(e) when kinded(e)
law kind(step(e), empty) == kind(e, empty) when kinded(e) and not final(e)
law not calls(e) when kinded(e)
"""
PROGRESS, PRESERVATION, NEVER_CALLS = range(3)


def reports(make_course: Maker, *change: str) -> list[LawReport]:
    text = STEPS.replace(*change) if change else STEPS
    assert not change or text != STEPS
    course = make_course(hoist=HOIST, steps=text)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    machine = Session(course.folder).lane("Hoist", "steps").machine
    return [try_law(machine, law) for law in machine.interpreter.laws]


def test_kinded_terms_move_and_keep_their_kind(make_course: Maker) -> None:
    """Progress and preservation are true of the calculus; enough examples meet the condition, also
    the seldom ones: a function that is called."""
    found = reports(make_course)
    for report in found[:2]:
        assert report.counterexample is None
        assert (report.tried, report.untried) == (TRIES, "")
        assert report.made < MADE * TRIES
    assert found[NEVER_CALLS].counterexample is not None


@pytest.mark.parametrize(
    ("old", "new", "broken", "failed", "example"),
    [
        ("  final Yes\n", "", PROGRESS, True, "Yes"),
        ("  If(No, _, no) => no\n", "", PROGRESS, True, None),
        ("when a < b => Yes", "when a < b => Lit(1)", PRESERVATION, False, None),
        ("=> substitute(v, x, body)", "=> body", PRESERVATION, True, None),
        ("Way(from, kind(body, env with x = from))", "Way(from, from)", PRESERVATION, False, None),
    ],
)
def test_a_calculus_that_is_wrong_loses_a_law(
    make_course: Maker, old: str, new: str, broken: int, failed: bool, example: str | None
) -> None:
    """Smallest examples by hand: a truth value that is not final is stuck; a choice of two leaves
    with a test that no clause takes."""
    found = reports(make_course, old, new)[broken]
    assert found.counterexample is not None
    assert found.failed == failed
    if example is not None:
        assert found.counterexample == {"e": example}


def test_counterexamples_have_no_part_that_does_not_matter(make_course: Maker) -> None:
    """By hand: a call, a function, its parameter, and an argument of any kind."""
    found = reports(make_course)[NEVER_CALLS].counterexample
    assert found is not None
    assert found["e"].count("(") <= 4, found


def test_a_condition_that_nothing_meets_is_told(make_course: Maker) -> None:
    report = reports(
        make_course, "law not calls(e) when kinded(e)", "law calls(e) when e == If(e, e, e)"
    )[2]
    assert report.tried == 0
    assert report.untried == (
        f"its condition holds of none of the {MADE * TRIES:,} examples that were made"
    )


def test_without_a_condition_a_failure_is_no_counterexample(make_course: Maker) -> None:
    """`moves` is stuck or fails on most terms: it is true wherever it says anything."""
    report = reports(make_course, "law not calls(e) when kinded(e)", "law moves(e)")[2]
    assert report.counterexample is None
    assert 0 < report.tried < TRIES


def test_the_check_tells_on_how_many_examples_a_law_was_tried(
    make_course: Maker, capsys: pytest.CaptureFixture[str]
) -> None:
    from embrix.cli.main import main

    course = make_course(hoist=HOIST, steps=STEPS)
    assert load_course(course.folder).has_errors is False
    main(["check", "--course", str(course.folder)])
    told = capsys.readouterr().out
    assert "this is false for e = Call(Fn(" in told
    assert f"true for {TRIES} generated examples of" in told


FUNCTIONS = """\
interpreter laws for Tiny
main run
data Box
  Box(f: (Number) -> Number, n: Number)
define run(p: Expr) -> Number
  0
define twice(f: (Number) -> Number, n: Number) -> Number
  f(f(n))
define both(a: Number, b: Number) -> Number
  a - b
define asked(p: (Number) -> Bool, n: Number) -> Bool
  p(n)
define refused(p: (Number) -> Bool, n: Number) -> Bool
  not p(n)
define opened(b: Box) -> Number by b
  Box(f, n)  => f(n)
law twice(f, n) == f(f(n))
law twice(f, n) == f(n)
law map(map(items, f), g) == map(items, fn(x) => g(f(x)))
law map(items, f) == items
law fold(items, n, both) == fold(items, n, fn(a, b) => both(a, b))
law opened(Box(f, n)) == f(n)
law opened(b) == opened(b)
law asked(p, n) == not refused(p, n)
law asked(p, n) == asked(q, n)
"""


def test_laws_over_functions(make_course: Maker) -> None:
    """Those that hold stand, those that do not get an example that can be checked by hand."""
    course = make_course(tiny=TINY_LANGUAGE, laws=FUNCTIONS)
    assert [d.message for d in course.diagnostics if d.severity == "error"] == []
    machine = Session(course.folder).lane("Tiny", "laws").machine
    reports = [try_law(machine, law) for law in machine.interpreter.laws]
    assert [one.counterexample is None for one in reports] == [
        True, False, True, False, True, True, True, True, False,
    ]  # fmt: skip
    assert all(one.tried >= 100 for one in reports)
    found = reports[1].counterexample
    assert found is not None
    assert re.fullmatch(
        r"fn\(x\) => (if x == \d+(/\d+)? then .+ else )?.+|fn\(_\) => .+", found["f"]
    )
