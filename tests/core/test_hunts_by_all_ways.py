"""Hunts where a lane leaves open which way a run takes: all that a program can come to counts."""

from __future__ import annotations

import tracemalloc
from pathlib import Path

import pytest

from embrix.compare.search import hunt
from embrix.course.shipped import shipped_course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.exploring import explore
from tests.conftest import TINY_LANGUAGE, Maker

TOSS = """\
interpreter toss for Tiny
main run
define run(e: Expr) -> Number by e
  Lit(n)           => n
  Var(_)           => 0
  Add(left, right) => any of
    run(left)
    run(right)
  Let(_, _, body)  => run(body)
"""
FIRST = """\
interpreter first for Tiny
main run
define run(e: Expr) -> Number by e
  Lit(n)           => n
  Var(_)           => 0
  Add(left, _)     => run(left)
  Let(_, _, body)  => run(body)
"""
OTHERWISE = TOSS.replace("toss", "otherwise").replace(
    "    run(left)\n    run(right)\n", "    run(right)\n    run(left)\n"
)
WRITING = TOSS.replace("toss", "writing").replace("Lit(n)           => n", """\
Lit(n) =>
    emit "{n}"
    0""")  # fmt: skip
SILENT = WRITING.replace("writing", "silent").replace('emit "{n}"', 'emit "."')


@pytest.fixture
def session(make_course: Maker) -> Session:
    course = make_course(
        tiny=TINY_LANGUAGE, toss=TOSS, first=FIRST, otherwise=OTHERWISE, writing=WRITING,
        silent=SILENT,
    )  # fmt: skip
    assert [one.message for one in course.diagnostics] == []
    return Session(course.folder)


@pytest.mark.parametrize("names", [("toss", "first"), ("first", "toss")])
def test_what_only_another_way_leads_to_is_a_difference(
    session: Session, names: tuple[str, str]
) -> None:
    """The first way of `toss` is what `first` does: only the second one tells them apart. The
    smallest sum of two numbers that differ has three nodes."""
    one, other = (session.lane("Tiny", name) for name in names)
    found = hunt(one, other, most=500)
    assert found.nodes == 3
    assert found.program.split(" + ")[0] != found.program.split(" + ")[1]
    sides = dict(zip(names, found.ends, strict=True))
    assert set(sides["toss"].split(", ")) == set(found.program.split(" + "))
    assert sides["first"] == found.program.split(" + ")[0]


def test_the_order_of_ways_is_no_difference(session: Session) -> None:
    found = hunt(session.lane("Tiny", "toss"), session.lane("Tiny", "otherwise"), most=300)
    assert found.program == ""
    assert found.tried == 300


def test_what_is_written_by_some_way_counts(session: Session) -> None:
    found = hunt(session.lane("Tiny", "writing"), session.lane("Tiny", "silent"), most=300)
    assert found.nodes == 1
    assert found.ends == (f"0  writes {found.program}", "0  writes .")


def test_a_program_of_which_not_all_is_known_says_nothing(make_course: Maker) -> None:
    """Both go on for ever by their first way; what they could give by others is not compared."""
    text = TOSS.replace("Var(_)           => 0", "Var(x) => run(Var(x))")
    course = make_course(tiny=TINY_LANGUAGE, toss=text, first=text.replace("toss", "first"))
    session = Session(course.folder)
    found = hunt(session.lane("Tiny", "toss"), session.lane("Tiny", "first"), most=200)
    assert found.program == ""


def test_an_endless_program_is_explored_in_little_memory() -> None:
    """It has 20,000 places in each run at which another way is open. Each of them kept all ways
    that lead there: gigabytes."""
    lane = Session(Path(shipped_course())).lane("Race", "interleaving")
    text = "at once {while 10 do rest beside while 0 * 1 do {rest beside rest}} give 2"
    parsed = lane.parser.parse(text)
    assert isinstance(parsed, Parsed)
    tracemalloc.start()
    try:
        found = explore(lane.machine, parsed.term, most_runs=5, most_states=10**6)
        _, most = tracemalloc.get_traced_memory()
    finally:
        tracemalloc.stop()
    assert not found.whole
    assert found.runs == 5
    assert most < 100_000_000
