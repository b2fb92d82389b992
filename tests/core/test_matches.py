"""The clauses of `match` and `let … else` are looked at as those of functions are."""

from __future__ import annotations

import pytest

from embrix.lanes.session import Session
from embrix.services.mending import mended
from tests.conftest import TINY_LANGUAGE, Maker

LANE = """\
interpreter lane for Tiny
main run
value Value
  Num(n: Number)
  Flag(on: Bool)
choice side "Which side?"
  left   "this"  default
  right  "that"
define run(p: Expr) -> Number
  looked(Num(1), lookup([1, 2], 5), [1, 2])
define looked(v: Value, m: Maybe[Number], xs: List[Number]) -> Number
"""
LINE = LANE.count("\n") + 1
MISSING, UNREACHABLE, PARTIAL = "missing_clause", "unreachable_clause", "partial_let"
FOUND = [
    ("match m\n    Some(n) => n", [(MISSING, 0, "this `match` has no clause for None")]),
    ("match m\n    Some(n) => n\n    None => 0", []),
    ("match xs\n    [a] => a\n    [] => 0",
     [(MISSING, 0, "this `match` has no clause for [_, ..[_, .._]]")]),
    ("match xs\n    [a, ..rest] => a + number(size(rest))\n    [] => 0", []),
    ("match v, m\n    Num(n), _ => n\n    Flag(true), None => 1\n    Flag(_), Some(k) => k",
     [(MISSING, 0, "this `match` has no clause for Flag(false), None")]),
    ("match v\n    _ => 1\n    Num(n) => n",
     [(UNREACHABLE, 2, "unreachable: earlier clauses match everything that this one matches")]),
    ("match v\n    Num(n) when n > 1 => n\n    Flag(_) => 0",
     [(MISSING, 0, "this `match` has no clause for Num(_)")]),
    ("match v\n    Num(n) when side is left => n\n    Num(n) when side is right => 0 - n\n"
     "    Flag(_) => 0", []),
    ("let Num(n) = v else Flag(_) => 0\n  n", []),
    ("let Num(n) = v else Flag(true) => 0\n  n",
     [(MISSING, 0, "this `let` has no clause for Flag(false)")]),
    ("let n = v else _ => 0\n  if n == v then 1 else 2",
     [(UNREACHABLE, 0, "unreachable: earlier clauses match everything that this one matches")]),
    ("let Num(n) = v\n  n",
     [(PARTIAL, 0, "this `let` does not match Flag(_): a run gets stuck there")]),
    ("let Some(n) = m\n  let [a, ..rest] = xs\n  n + a + number(size(rest))",
     [(PARTIAL, 0, "this `let` does not match None: a run gets stuck there"),
      (PARTIAL, 1, "this `let` does not match []: a run gets stuck there")]),
    ("let (n, Flag(true)) = (1, v)\n  n",
     [(PARTIAL, 0, "this `let` does not match (_, Num(_)), (_, Flag(false)): "
      "a run gets stuck there")]),
    ("let (n, (_, k)) = (1, (v, 2))\n  n + k", []),
    ("let n = 1\n  n", []),
    # The type of what is taken apart is told by what comes after it.
    ("let f = fn(one) => (match one\n    Some(n) => n)\n  f(m)", None),
]  # fmt: skip


@pytest.mark.parametrize(("body", "found"), FOUND)
def test_what_is_missing_and_what_is_never_reached(
    make_course: Maker, body: str, found: list[tuple[str, int, str]] | None
) -> None:
    course = make_course(tiny=TINY_LANGUAGE, lane=f"{LANE}  {body}\n")
    told = [
        (one.code, one.source.position(one.span.start)[0] - LINE, one.message)
        for one in course.diagnostics
        if one.code in (MISSING, UNREACHABLE, PARTIAL)
    ]
    if found is None:
        assert [code for code, _, _ in told] in ([], [MISSING])
    else:
        assert told == found


def test_what_extends_a_lane_is_not_told_of_its_matches_again(make_course: Maker) -> None:
    course = make_course(
        tiny=TINY_LANGUAGE,
        lane=f"{LANE}  match m\n    Some(n) => n\n",
        more="interpreter more for Tiny extends lane\n",
    )
    assert [one.code for one in course.diagnostics].count(MISSING) == 1
    # What is warned about is what a run comes to.
    for name in ("lane", "more"):
        assert Session(course.folder).lane("Tiny", name).run("1").outcome.kind == "stuck"


def test_the_missing_clause_of_a_match_is_written_where_it_belongs(make_course: Maker) -> None:
    wrong = f"{LANE}  match m\n    Some(n) => n\ndefine other(n: Number) -> Number\n  n\n"
    session = Session(make_course(tiny=TINY_LANGUAGE, lane=wrong).folder)
    change = mended(session, "lane.brix", wrong, LINE)
    right = wrong.replace(
        "    Some(n) => n\n", '    Some(n) => n\n    None => todo "what None gives"\n'
    )
    assert (change.refused, change.text) == ("", right)


def test_a_partial_let_gets_its_else(make_course: Maker) -> None:
    wrong = f"{LANE}  let Num(n) = v\n  n\n"
    session = Session(make_course(tiny=TINY_LANGUAGE, lane=wrong).folder)
    change = mended(session, "lane.brix", wrong, LINE)
    right = wrong.replace("= v\n", '= v else _ => todo "what is given then"\n')
    assert (change.refused, change.text) == ("", right)


def test_what_a_relation_ends_with_is_taken_for_what_it_is(make_course: Maker) -> None:
    """And a wider type makes a `let` of the base no matter of whoever widened it, where its value
    is made in place."""
    down = (
        "interpreter down for Tiny\nmain run\nvalue State\n  Going(n: Number)\n  Done(n: Number)\n"
        "define step(s: State) -> State by s\n  final Done(_)\n"
        "  Going(n) => if n > 0 then Going(n - 1) else Done(n)\n"
        "define run(p: Expr) -> Number\n  let Done(n) = repeat step(Going(3))\n"
        "  match repeat step(Going(n))\n    Done(m) => m\n"
    )
    lane = f"{LANE}  let Num(n) = v else Flag(_) => 0\n  let Box(k) = Box(n)\n  k\n"
    lane = lane.replace("choice side", "data Box\n  Box(n: Number)\nchoice side")
    more = "interpreter more for Tiny extends lane\nextend data Box\n  Bag(n: Number)\n"
    course = make_course(tiny=TINY_LANGUAGE, lane=lane, more=more, down=down)
    assert [one.code for one in course.diagnostics] == []


def test_a_partial_match_is_meant_where_that_is_said(make_course: Maker) -> None:
    body = "  match m\n    Some(n) => n\n"
    lane = LANE.replace("define looked", f'deliberately {MISSING} "m is there"\ndefine looked')
    course = make_course(tiny=TINY_LANGUAGE, lane=lane + body)
    assert [one.code for one in course.diagnostics] == []
