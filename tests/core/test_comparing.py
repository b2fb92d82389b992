"""Lanes beside each other: where they part, how costs grow, the smallest program that tells them
apart."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.compare.growth import best, fits, told
from embrix.compare.hunting import hunt
from embrix.compare.lanes import Parted, parted, side
from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.runs.session import Session


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def parting(session: Session, text: str, one: str, other: str) -> Parted:
    lanes = [session.lane("Rill", name) for name in (one, other)]
    return parted(text, side(lanes[0], text), side(lanes[1], text))


# ---------------------------------------------------------------------- where lanes part

SCOPE = "let rate = 2 in let toll = given tons: tons * rate in let rate = 10 in toll 3"


def test_lanes_part_where_a_name_is_looked_up(session: Session) -> None:
    found = parting(session, SCOPE, "environment", "dynamic_scope")
    column = SCOPE.index("rate in let rate") + 1
    assert found.sentence == (f"`rate` (1:{column}) gives 2 in environment, 10 in dynamic_scope")
    assert found.stations == (17, 17)
    assert found.more == ()


def test_lanes_part_where_one_waits(session: Session) -> None:
    """By hand: three uses of the parameter, so by name its argument is evaluated three times."""
    text = "let toll = given x: x + x + x in toll (1 + 2)"
    found = parting(session, text, "by_need", "by_name")
    at = text.index("1 + 2") + 1
    assert f"by_need evaluates `1 + 2` (1:{at}) once, by_name 3 times" in found.more
    early = parting(session, "(given x: 7) (1 + 2)", "environment", "by_name")
    assert early.sentence == "environment goes on with `1 + 2` (1:15), by_name with `7` (1:11)"
    assert "environment evaluates `1 + 2` (1:15) once, by_name never" in early.more


def test_lanes_that_do_the_same(session: Session) -> None:
    found = parting(session, "1 + 2", "environment", "store_passing")
    assert found.sentence == (
        "they evaluate the same parts in the same order, with the same results"
    )
    assert parting(session, "1 + 2", "environment", "rewriting").sentence == "both end with 3"
    ends = parting(session, "(given x: 7) (1 / 0)", "rewriting", "by_name")
    assert ends.sentence.startswith("rewriting ends with DivisionByZero")
    refused = parting(session, "1 +", "environment", "by_name")
    assert refused.more == ()


# ---------------------------------------------------------------------- growth

SIZES = range(1, 21)


@pytest.mark.parametrize(
    ("name", "cost"),
    [
        ("constant", lambda n: 7),
        ("logarithmic", lambda n: 3 + 5 * math.log(n)),
        ("linear", lambda n: 4 * n + 3),
        ("n log n", lambda n: 2 * n * math.log(n) + n + 1),
        ("quadratic", lambda n: 3 * n * n + 2 * n + 1),
        ("cubic", lambda n: n**3 - n + 5),
        ("exponential", lambda n: 3 * 2**n + 4),
        ("exponential", lambda n: round((1 + 5**0.5) ** n / 2**n)),
    ],
)
def test_growth_is_named(name: str, cost: object) -> None:
    points = [(n, cost(n)) for n in SIZES]  # type: ignore[operator]
    assert [fit.name for fit in best(points)][:1] == [name]


@given(
    st.integers(0, 3), st.integers(1, 50), st.integers(0, 50), st.integers(0, 50),
    st.integers(7, 30),
)  # fmt: skip
def test_polynomials_are_found_exactly(degree: int, a: int, b: int, c: int, last: int) -> None:
    def cost(n: int) -> int:
        return a * n**degree + (b * n if degree > 1 else 0) + c

    (fit,) = best([(n, cost(n)) for n in range(1, last + 1)])
    assert fit.name == ("constant", "linear", "quadratic", "cubic")[degree]
    assert fit.rest < 1e-6


def test_growths_that_cannot_be_told_apart_are_both_named() -> None:
    """Four noisy points between n and n log n."""
    points = [(10, 33.0), (20, 92.0), (30, 140.0), (40, 225.0), (50, 270.0), (60, 360.0)]
    names = [fit.name for fit in best(points)]
    assert len(names) > 1
    assert "linear" in names
    assert told(points).startswith("cannot be told apart: ")
    assert told([(1, 2.0)]) == "constant (2, nothing left over)"
    assert told([(1, 2.0), (2, 9.0)]) == "too few points to say how it grows"
    assert all(fit.rest >= 0 for fit in fits(points))


def test_growth_of_a_real_program(session: Session) -> None:
    """Fibonacci's function calls itself as often as its value grows: 1.618 to the n."""
    lane = session.lane("Rill", "environment")
    text = "let fib of k = when k < 2 then k else fib (k - 1) + fib (k - 2) in fib n"
    points = []
    for n in range(1, 15):
        costs = lane.run(text, {"n": str(n)}).costs
        points.append((n, costs["calls"]))
    (fit,) = best(points)
    assert fit.name == "exponential"
    assert "1.62ⁿ" in fit.formula


# ---------------------------------------------------------------------- hunting


@pytest.mark.parametrize("other", ["by_name", "dynamic_scope"])
def test_the_smallest_difference(session: Session, other: str) -> None:
    one, two = session.lane("Rill", "environment"), session.lane("Rill", other)
    found = hunt(one, two, most=6_000, seed=1)
    assert found.program
    assert found.nodes <= 12
    parsed = one.parser.parse(found.program)
    assert isinstance(parsed, Parsed)
    ends = [lane.run(found.program).outcome.sentence for lane in (one, two)]
    assert tuple(ends) == found.ends
    assert ends[0] != ends[1]
    assert found.ended["value"] >= found.tried / 2


def test_a_hunt_is_reproducible_and_finds_nothing_where_nothing_is(session: Session) -> None:
    one, two = session.lane("Rill", "environment"), session.lane("Rill", "by_name")
    first, second = hunt(one, two, most=100, seed=7), hunt(one, two, most=100, seed=7)
    assert (first.program, first.tried, first.ended) == (second.program, second.tried, second.ended)
    nothing = hunt(one, session.lane("Rill", "store_passing"), most=100, seed=7)
    assert nothing.program == ""
    assert nothing.sentence == f"no difference in {nothing.tried} programs (seed 7)"
    assert nothing.tried >= 90


def test_costs_count_when_asked_for(session: Session) -> None:
    one, two = session.lane("Rill", "by_need"), session.lane("Rill", "by_name")
    assert hunt(one, two, most=150, seed=3).program == ""
    assert hunt(one, two, most=150, seed=3, costs=True).program
