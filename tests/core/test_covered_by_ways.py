"""What a suite covers where a lane leaves open which way a run takes: every way counts."""

from __future__ import annotations

import pytest

from embrix.checking.suite_coverage import uncovered
from embrix.lanes.session import Session
from tests.conftest import TINY_LANGUAGE, Maker

TOSS = """\
interpreter toss for Tiny
main run
error Low(n: Number)  "{n} is low"
judgement run "{e} ⇓ {result}"
define run(e: Expr) -> Number by e
  Lit(n)           => n
  Var(_)           => 0
  Add(left, right) => any of
    run(left)
    high(right)
  Let(_, _, body)  => run(body)
judgement high "{e} is high: {result}"
define high(e: Expr) -> Number by e
  Lit(n) => if n > 4 then n else fail Low(n)
  _      => 7
"""
SUITE = """\
language = "Tiny"
[[case]]
name = "either"
program = "1 + 9"
outcomes = [1, 9]
[[case]]
name = "names"
program = "let x = 1 in x"
value = 0
"""


@pytest.fixture
def session(make_course: Maker) -> Session:
    course = make_course(tiny=TINY_LANGUAGE, toss=TOSS)
    assert [one.message for one in course.diagnostics] == []
    (course.folder / "tiny.suite.toml").write_text(SUITE)
    return Session(course.folder)


def left_out(session: Session) -> set[tuple[str, str]]:
    return {
        (one.what, one.text.split("  ")[0])
        for one in uncovered(session)
        if one.what in ("clause", "branch", "error")
    }


def test_what_only_another_way_comes_to_is_met(session: Session) -> None:
    """By the first way a run of `1 + 9` never comes to `high`; by the second one it comes to its
    first clause and to `then`, not to `else`, to the error or to the other clause."""
    kinds = sorted(kind for kind, _ in left_out(session))
    assert kinds == ["branch", "clause", "error"]


def test_what_all_ways_come_to_is_met(session: Session) -> None:
    (session.course.folder / "tiny.suite.toml").write_text(
        SUITE.replace("1 + 9", "1 + (9 + 3)").replace("[1, 9]", "[1, 7]")
        + '[[case]]\nname = "low"\nprogram = "1 + 2"\noutcomes = [1, "error Low"]\n'
        + '[[case]]\nname = "high"\nprogram = "1 + 8"\noutcomes = [1, 8]\n'
    )
    assert left_out(Session(session.course.folder)) == set()
