"""How long a case may run on a lane, worked out by hand for made-up lanes, and on real ones."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from embrix.checking.case_calls import ALL_CALLS, TIMES, in_good_time
from embrix.checking.verdicts import check_suite
from embrix.lanes.session import Session
from embrix.suite.cases import FIRST_CALLS
from embrix.suite.check import Verdict


def told(needs: dict[str, int], lane: str, calls: int = 0) -> tuple[str, int]:
    """The state of a lane and the calls it was allowed in the end, where each lane needs so many;
    one that needs none fails at once."""
    allowed: dict[str, int] = {}

    def judge(one: Any, calls: int) -> Verdict:
        allowed[one] = calls
        if needs[one] == 0:
            return Verdict("case", one, "failed", spent=7)
        if needs[one] > calls:
            return Verdict("case", one, "failed", spent=calls + 1, cut=True)
        return Verdict("case", one, "passed", spent=needs[one])

    lanes: Any = list(needs)
    one: Any = lane
    verdict = in_good_time(one, lanes, judge, calls)
    return verdict.state, verdict.spent


ENDLESS = 10**9


@pytest.mark.parametrize(
    ("needs", "lane", "calls", "state", "spent"),
    [
        ({"a": 50, "b": 70}, "b", 0, "passed", 70),
        # `a` makes 10 calls: a hundred times as many is less than any lane may make.
        ({"a": 10, "b": ENDLESS}, "b", 0, "failed", 20_001),
        # 2,000 calls, a hundred times: 200,000.
        ({"a": 2_000, "b": 150_000}, "b", 0, "passed", 150_000),
        ({"a": 2_000, "b": 250_000}, "b", 0, "failed", 200_001),
        # Never more than on the command line.
        ({"a": 15_000, "b": ENDLESS}, "b", 0, "failed", 400_001),
        # The first lane that passes counts, also behind the one that is asked for.
        ({"a": ENDLESS, "b": 0, "c": 2_000}, "a", 0, "failed", 200_001),
        # None passes with few: the case has to say that it takes more.
        ({"a": ENDLESS, "b": 300_000, "c": 350_000}, "c", 0, "failed", 20_001),
        ({"a": ENDLESS, "b": 300_000, "c": 350_000}, "c", 350_000, "passed", 350_000),
        ({"a": ENDLESS, "b": 300_000, "c": 350_000}, "a", 350_000, "failed", 350_001),
        # What a case says holds also where it is less.
        ({"a": 50, "b": 70}, "b", 60, "failed", 61),
        ({"a": ENDLESS, "b": ENDLESS, "c": ENDLESS}, "a", 0, "failed", 20_001),
        ({"a": 0, "b": 0}, "b", 0, "failed", 7),
    ],
)
def test_calls_that_a_lane_may_make(
    needs: dict[str, int], lane: str, calls: int, state: str, spent: int
) -> None:
    assert (FIRST_CALLS, TIMES, ALL_CALLS) == (20_000, 100, 400_000)
    assert told(needs, lane, calls) == (state, spent)


SUITE = """\
language = "Rill"
[[case]]
name = "without end"
program = "let loop of n = 1 + loop n in loop 1"
value = "7"
[[case]]
name = "longer than a hundred thousand calls"
calls = 300000
program = "let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum 9000"
value = "40504500"
lanes = ["environment", "by_need"]
"""


def test_a_case_without_end_is_told_early_and_a_long_one_runs(course_copy: Path) -> None:
    path = course_copy / "rill" / "rill.suite.toml"
    path.write_text(SUITE)
    report = check_suite(Session(course_copy), path)
    endless, long = report.cases
    assert {v.actual for v in endless.verdicts if v.lane != "rewriting"} == {
        "out of fuel: more than 20,000 calls; `calls = …` in the case allows more"
    }
    assert [v.state for v in long.verdicts if v.state != "left out"] == ["passed", "passed"]


def test_a_verdict_is_the_same_whichever_lanes_are_asked_for(course_copy: Path) -> None:
    path = course_copy / "rill" / "rill.suite.toml"
    path.write_text(SUITE)
    session = Session(course_copy)
    whole = check_suite(session, path)
    for lane in whole.lanes:
        alone = check_suite(Session(course_copy), path, wanted=[lane])
        for case, other in zip(whole.cases, alone.cases, strict=True):
            assert [v for v in case.verdicts if v.lane == lane] == other.verdicts


@pytest.mark.parametrize("calls", ["0", "-5", "true", '"many"', "2.5", "10000001"])
def test_calls_are_a_whole_number(course_copy: Path, calls: str) -> None:
    path = course_copy / "rill" / "rill.suite.toml"
    path.write_text(SUITE.replace("calls = 300000", f"calls = {calls}"))
    report = check_suite(Session(course_copy), path)
    (note,) = report.diagnostics
    assert "`calls` must be a whole number from 1 to 10,000,000" in note.message
    assert note.line == 8
    assert [case.name for case in report.cases] == ["without end"]


def test_a_program_that_diverges_is_tried_with_the_calls_that_any_case_may_make(
    course_copy: Path,
) -> None:
    path = course_copy / "rill" / "rill.suite.toml"
    longest = "let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum"
    path.write_text(f"""\
language = "Rill"
[[case]]
name = "it has no end"
program = "let loop of n = loop n in loop 1"
diverges = true
[[case]]
name = "it has one, after 20,000 calls"
program = "{longest} 3000"
diverges = true
[[case]]
name = "it has one, before"
program = "{longest} 300"
diverges = true
""")
    report = check_suite(Session(course_copy), path, wanted=["environment"])
    (endless,), (long,), (short,) = (case.verdicts for case in report.cases)
    assert (endless.state, long.state) == ("passed", "passed")
    assert (short.state, short.actual) == ("failed", "45150")
