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
MISSING, UNREACHABLE = "missing_clause", "unreachable_clause"
FOUND = [
    ("match m\n    Some(n) => n", [(MISSING, 0, "this `match` has no clause for None")]),
    ("match m\n    Some(n) => n\n    None => 0", []),
    ("match xs\n    [a] => a\n    [] => 0",
     [(MISSING, 0, "this `match` has no clause for [_, ..[_, .._]]")]),
    ("match xs\n    [a, ..rest] => a + number(size(rest))\n    [] => 0", []),
    ("match v, m\n    Num(n), _ => n\n    Flag(true), None => 1\n    Flag(_), Some(k) => k",
     [(MISSING, 0, "this `match` has no clause for Flag(false), None")]),
    ("match v\n    _ => 1\n    Num(n) => n",
     [(UNREACHABLE, 2, "nothing gets here: what this clause takes is taken above")]),
    ("match v\n    Num(n) when n > 1 => n\n    Flag(_) => 0",
     [(MISSING, 0, "this `match` has no clause for Num(_)")]),
    ("match v\n    Num(n) when side is left => n\n    Num(n) when side is right => 0 - n\n"
     "    Flag(_) => 0", []),
    ("let Num(n) = v else Flag(_) => 0\n  n", []),
    ("let Num(n) = v else Flag(true) => 0\n  n",
     [(MISSING, 0, "this `let` has no clause for Flag(false)")]),
    ("let n = v else _ => 0\n  if n == v then 1 else 2",
     [(UNREACHABLE, 0, "nothing gets here: what this clause takes is taken above")]),
    ("let Num(n) = v\n  n", []),
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
        if one.code in (MISSING, UNREACHABLE)
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


def test_a_partial_match_is_meant_where_that_is_said(make_course: Maker) -> None:
    body = "  match m\n    Some(n) => n\n"
    lane = LANE.replace("define looked", f'deliberately {MISSING} "m is there"\ndefine looked')
    course = make_course(tiny=TINY_LANGUAGE, lane=lane + body)
    assert [one.code for one in course.diagnostics] == []
