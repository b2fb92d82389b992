"""Runs of small steps without end: what comes back to where it was is told soon, everything else
goes as far as it did."""

from __future__ import annotations

import pytest

from embrix.course.load import Course
from embrix.lanes.session import Session
from embrix.machine.lane import MANY

SUM = "let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum 80"


@pytest.mark.parametrize("lane", ["applicative", "by_value", "cek"])
def test_a_run_that_comes_back_is_not_repeated(lockside: Course, lane: str) -> None:
    result = Session(lockside.folder).lane("Eddy", lane).run("first same (turn turn)")
    assert result.outcome.kind == "cycle"
    assert "and so on for ever" in result.outcome.text
    assert result.costs["calls"] <= MANY + 1


def test_its_walk_ends_soon_and_says_so(lockside: Course) -> None:
    traced = Session(lockside.folder).lane("Eddy", "by_value").trace("first same (turn turn)")
    assert traced.result.outcome.kind == "cycle"
    assert len(traced.recorder.functions) <= MANY + 1
    long = Session(lockside.folder).lane("Rill", "rewriting").trace(SUM)
    assert long.result.outcome.text == "3240"
    assert len(long.recorder.functions) > MANY


def test_a_run_that_grows_goes_on_to_its_limit(lockside: Course) -> None:
    """Each step puts one call more around the term: no two are alike."""
    text = "(given x: x x x) (given x: x x x)"
    result = Session(lockside.folder).lane("Eddy", "weak_head").run(text)
    assert (result.outcome.kind, result.outcome.name) == ("out of fuel", "calls")
    assert "400,000" in result.outcome.text


def test_a_long_run_gives_what_it_gave(lockside: Course) -> None:
    """By hand: the sum of 1 to 80 is 3,240; that takes more calls than are looked at first."""
    result = Session(lockside.folder).lane("Rill", "rewriting").run(SUM)
    assert (result.outcome.kind, result.outcome.text) == ("value", "3240")
    assert result.costs["calls"] > MANY
