"""Lanes beside each other: where they part, how costs grow, the smallest program that tells them
apart."""

from __future__ import annotations

import math
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.compare.alignment import aligned, first_parting
from embrix.compare.applied import EvaluatedRun
from embrix.compare.growth import best, described, fits
from embrix.compare.search import Hunt, NoPrograms, hunt
from embrix.compare.sides import ENDLESS, Parted, parted, side
from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.services.found_case import answer_for
from embrix.suite.cases import Case
from embrix.terms.node import Node, without_places
from embrix.trace.walk import Walk
from tests.conftest import TINY_LANGUAGE, Maker


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
    assert found.steps == (17, 17)
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
    assert refused.sentence.startswith("both end with rejected: ")


def test_lanes_that_only_hold_or_write_something_else(session: Session) -> None:
    """The allocation on the right of the assignment is lost; so is the assignment there."""
    lanes = [session.lane("Weir", name) for name in ("store_passing", "stale_store")]
    for text, ends in (
        ("new x := 0; x := let y = 7 in y",
         "at the end store_passing holds @0 ↦ 7, @1 ↦ 7, stale_store @0 ↦ 7"),
        ("new x := 0; new y := 0; y := begin x := 5 give 2; show 1",
         "at the end store_passing holds @0 ↦ 5, @1 ↦ 2, stale_store @0 ↦ 0, @1 ↦ 2"),
    ):  # fmt: skip
        found = parted(text, side(lanes[0], text), side(lanes[1], text))
        assert found.sentence == (
            f"they evaluate the same parts in the same order, with the same results; {ends}"
        )


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
    assert described(points).startswith("cannot be told apart: ")
    assert described([(1, 2.0)]) == "constant (2, no residual)"
    assert described([(1, 2.0), (2, 9.0)]) == "too few points to say how it grows"
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


@pytest.mark.parametrize(
    ("language", "one", "other"),
    [
        ("Rill", "environment", "by_name"),
        ("Rill", "environment", "dynamic_scope"),
        ("Weir", "store_passing", "stale_store"),
    ],
)
def test_the_smallest_difference(session: Session, language: str, one: str, other: str) -> None:
    lanes = session.lane(language, one), session.lane(language, other)
    found = hunt(*lanes, most=2_000, seed=1)
    assert found.program
    assert found.nodes <= 12
    assert isinstance(lanes[0].parser.parse(found.program), Parsed)
    ends = [lane.run(found.program) for lane in lanes]
    told = [(end.outcome.sentence, list(end.state)) for end in ends]
    assert told[0] != told[1]
    assert found.ends[0] != found.ends[1]
    assert all(end.startswith(one[0]) for end, one in zip(found.ends, told, strict=True))


@pytest.mark.well_taught
def test_programs_that_are_made_up_mostly_make_sense(session: Session) -> None:
    """At least half end in a value, a third apply a function to an argument that is used, no
    program is tried twice; the same seed gives the same."""
    one, other = session.lane("Rill", "environment"), session.lane("Rill", "store_passing")
    nothing = hunt(one, other, most=150, seed=7)
    assert nothing.program == ""
    assert nothing.sentence == "no difference in 150 programs (seed 7)"
    assert nothing.ended["value"] >= nothing.tried / 2
    assert nothing.applying >= nothing.looked_at / 3
    again = hunt(one, other, most=150, seed=7)
    assert (again.tried, again.ended, again.applying) == (150, nothing.ended, nothing.applying)
    assert "apply a function to an argument that is used" in nothing.distribution


def test_what_it_is_to_use_an_argument(session: Session) -> None:
    lane = session.lane("Rill", "environment")
    for text, used in (
        ("(given x: x + 1) 2", True),
        ("(given x: 1) 2", False),
        ("let x = 1 in x", False),
        ("given x: x", False),
        ("let f of k = k in f 2", True),
        ("(given x: given y: x) 2", False),
        ("(given x: when false then x else 1) 2", False),
    ):
        traced = lane.trace(text)
        found = EvaluatedRun(traced.recorder, lane.interpreter).uses_an_argument
        assert found is used, text


def test_a_hunt_can_be_stopped_and_keeps_what_there_is(session: Session) -> None:
    one, other = session.lane("Rill", "environment"), session.lane("Rill", "store_passing")
    told = []

    def progress(so_far: Hunt) -> None:
        told.append(so_far.tried)
        if so_far.tried == 200:
            raise InterruptedError

    done = hunt(one, other, most=5_000, seed=7, progress=progress)
    assert told[-2:] == [100, 200]
    none = "on none of these the lanes differ"
    assert done.sentence == f"stopped after 200 of 5,000 programs (seed 7); {none}"
    other = session.lane("Rill", "substitution")
    told.clear()

    def at_once(so_far: Hunt) -> None:
        raise InterruptedError

    assert hunt(other, one, most=5_000, seed=7, progress=at_once).sentence == (
        "stopped after 0 of 5,000 programs (seed 7); on none of these the lanes differ"
    )
    with pytest.raises(NoPrograms, match="store_passing Weir"):
        hunt(one, session.lane("Weir", "store_passing"))


def test_costs_count_when_asked_for(session: Session) -> None:
    one, two = session.lane("Rill", "by_need"), session.lane("Rill", "by_name")
    assert hunt(one, two, most=80, seed=3).program == ""
    assert hunt(one, two, most=80, seed=3, costs=True).program


PAIRS = """\
language Pairs
  extension "pairs"

tokens
  number  /[0-9]+/   as Number
  skip    / +/

forms Expr
  Lit(n: Number)
  Pair(a: Expr, b: Expr)

grammar
  start Expr
  Expr ::= Item | a:Item "," b:Item makes Pair
  Item : Expr ::= n:number makes Lit
"""


def test_only_programs_that_can_be_written_are_found(make_course: Maker) -> None:
    """A pair of pairs, the only thing on which these differ, cannot be written; no program is
    tried twice."""
    interpreter = """\
interpreter {name} for Pairs

judgement eval "{{e}} ⇓ {{result}}"
main eval

define eval(e: Expr) -> Number by e
  Lit(n)              => n
  Pair(Pair(_, _), b) => {given}
  Pair(a, b)          => eval(a) + eval(b)
"""
    course = make_course(
        pairs=PAIRS, one=interpreter.format(name="one", given="1"),
        two=interpreter.format(name="two", given="2"),
    )  # fmt: skip
    assert not course.has_errors, course.diagnostics
    session = Session(course.folder)
    one, other = session.lane("Pairs", "one"), session.lane("Pairs", "two")
    ran = []
    plainly = one.machine.run

    def run(term: Node, *args: Any, **named: Any) -> Any:
        if named.get("variant") == "plain":
            ran.append(term)
        return plainly(term, *args, **named)

    one.machine.run = run  # type: ignore[method-assign]
    found = hunt(one, other, most=150, seed=1)
    assert found.program == ""
    assert len(ran) > 40
    looked = [without_places(term) for term in ran]
    assert len(set(looked)) == len(looked)


PASSING = """\
interpreter passing for Tiny
main run
define run(p: Expr) -> Number
  eval(p, empty, fn(n) => n)
judgement eval  "{env} ⊢ {e} ⇓ {result}"
define eval(e: Expr, env: Env[Number], k: (Number) -> Number) -> Number by e
  Lit(n) => k(n)
  Var(x) => k(env[x])
  Add(l, r) => eval(l, env, fn(a) => eval(r, env, fn(b) => k(a + b)))
  Let(x, bound, body) => eval(bound, env, fn(v) => eval(body, env with x = v, k))
"""


def test_nothing_is_said_of_results_that_are_not_those_of_a_part(make_course: Maker) -> None:
    """In continuation-passing style the judgement about `1` gives what the whole program gives:
    never is it said that `1` gives 10."""
    course = make_course(
        tiny=TINY_LANGUAGE, one=PASSING,
        two=PASSING.replace("passing for", "other for").replace("k(a + b)", "k(a + b + 7)"),
    )  # fmt: skip
    assert not course.has_errors, [d.message for d in course.diagnostics]
    session = Session(course.folder)
    text = "1 + 2"
    sides = [side(session.lane("Tiny", name), text) for name in ("passing", "other")]
    found = parted(text, *sides)
    assert "`1`" not in found.sentence
    assert not any("`1` (1:1) gives" in line for line in found.more)


def test_a_run_without_end_is_compared_as_far_as_its_beginning(lockside: Course) -> None:
    """How it ends is told of the whole run; the judgements that are compared are bounded."""
    lane = Session(lockside.folder).lane("Rill", "environment")
    one = side(lane, "let f of x = f (x + 1) in f 0")
    assert one.result.outcome.kind == "out of fuel"
    assert "400,000 calls" in one.result.outcome.text
    assert 1_000 < len(one.evaluations) <= ENDLESS + 1


ON_A_STACK = """\
interpreter stacked for Tiny
data Frame
  Right(r: Expr, env: Env[Number])
  Sum(a: Number)
  In(x: Name, body: Expr, env: Env[Number])
main run
define run(p: Expr) -> Number
  eval(p, empty, [])
judgement eval  "{env} ⊢ {e} ⇓ {result}"
define eval(e: Expr, env: Env[Number], stack: List[Frame]) -> Number by e
  Lit(n) => back(n, stack)
  Var(x) => back(env[x], stack)
  Add(l, r) => eval(l, env, [Right(r, env), ..stack])
  Let(x, bound, body) => eval(bound, env, [In(x, body, env), ..stack])
define back(v: Number, stack: List[Frame]) -> Number by stack
  [] => v
  [Right(r, env), ..rest] => eval(r, env, [Sum(v), ..rest])
  [Sum(a), ..rest] => back(a + v, rest)
  [In(x, body, env), ..rest] => eval(body, env with x = v, rest)
"""
DIRECT = """\
interpreter direct for Tiny
main run
define run(p: Expr) -> Number
  eval(p, empty)
judgement eval  "{env} ⊢ {e} ⇓ {result}"
define eval(e: Expr, env: Env[Number]) -> Number by e
  Lit(n) => n
  Var(x) => env[x]
  Add(l, r) => eval(l, env) + eval(r, env)
  Let(x, bound, body) => eval(body, env with x = eval(bound, env))
"""


@pytest.mark.parametrize("handing", [PASSING, ON_A_STACK], ids=["continuations", "a stack"])
def test_the_last_part_of_a_run_is_not_said_to_give_what_the_program_gives(
    make_course: Maker, handing: str
) -> None:
    """Nothing is evaluated after `2`, and still it does not give 3."""
    name = handing.split()[1]
    course = make_course(
        tiny=TINY_LANGUAGE, one=handing,
        two=DIRECT.replace("env) + eval(r, env)", "env) + eval(r, env) + 7"),
    )  # fmt: skip
    assert not course.has_errors, [d.message for d in course.diagnostics]
    session = Session(course.folder)
    text = "1 + 2"
    lanes = [session.lane("Tiny", which) for which in (name, "direct")]
    found = parted(text, *(side(lane, text) for lane in lanes))
    assert found.sentence == f"{name} ends with 3, direct with 10"
    assert not any("gives" in line for line in found.more)
    walks = [Walk(lane, lane.trace(text)) for lane in lanes]
    assert not any(row.parts for row in aligned(*walks))


def test_two_lanes_part_at_the_innermost_part_that_gives_something_else(
    make_course: Maker,
) -> None:
    """Worked out by hand: `1` and `2` give the same, `1 + 2` is the first sum that is left."""
    course = make_course(
        tiny=TINY_LANGUAGE, one=DIRECT,
        two=DIRECT.replace("direct for", "other for").replace("r, env)\n", "r, env) + 7\n"),
    )  # fmt: skip
    session = Session(course.folder)
    text = "let x = 1 + 2 in x + 4"
    sides = [side(session.lane("Tiny", name), text) for name in ("direct", "other")]
    found = parted(text, *sides)
    assert found.sentence == "`1 + 2` (1:9) gives 3 in direct, 10 in other"


def test_what_a_program_writes_is_part_of_its_case(session: Session) -> None:
    """Two lanes end alike and write the same."""
    lanes = [session.lane("Weir", name) for name in ("store_passing", "rewriting")]
    answer = answer_for(Case("", "show 1 + 2; show 4", None), lanes, 1)
    assert answer["output"] == "3\n4\n"
    assert "for" not in answer


REPLACING = """\
interpreter replacing for Tiny
main eval
judgement eval  "{e} ⇓ {result}"
define eval(e: Expr) -> Expr by e
  Lit(n) => Lit(n)
  Var(x) => Var(x)
  Add(l, r) =>
    let Lit(a) = eval(l)
    let Lit(b) = eval(r)
    Lit(a + b)
  Let(x, bound, body) => eval(substitute(eval(bound), x, body))
"""


def test_a_term_that_a_clause_made_is_no_part_of_the_program(make_course: Maker) -> None:
    """The 4 that stands for `b` has the place of `a + 1`; that sum is evaluated once on both."""
    course = make_course(tiny=TINY_LANGUAGE, one=DIRECT, two=REPLACING)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    session = Session(course.folder)
    text = "let a = 3 in let b = a + 1 in b + a"
    one, other = (side(session.lane("Tiny", name), text) for name in ("direct", "replacing"))
    place = text.index("a + 1"), text.index("a + 1") + len("a + 1")
    assert (one.evaluated[place], other.evaluated[place]) == (1, 1)
    assert [one.made for one in other.evaluations if one.place == place] == [False, True]
    found = parted(text, one, other)
    assert not any("`a + 1`" in line for line in found.more)


def test_what_gave_nothing_is_told_with_what_ended_the_run(make_course: Maker) -> None:
    broken = DIRECT.replace("direct for", "broken for").replace("+ eval(r, env)", "+ oops(r)")
    course = make_course(tiny=TINY_LANGUAGE, one=DIRECT, two=broken)
    session = Session(course.folder)
    text = "let x = 1 in x + 2"
    one, other = (side(session.lane("Tiny", name), text) for name in ("direct", "broken"))
    told = " ".join([(found := parted(text, one, other)).sentence, *found.more])
    assert "in direct, nothing (unfinished: " in told


def test_only_a_row_that_concludes_something_else_on_each_side_differs(lockside: Course) -> None:
    """By hand, for `let x = 1 in 2`: by name the 1 is not evaluated, so one side alone has its row;
    terms of a reduction sequence conclude nothing."""
    session = Session(lockside.folder)
    walks = {
        name: Walk(lane, lane.trace("let x = 1 in 2"))
        for name in ("environment", "by_name", "rewriting")
        for lane in (session.lane("Drip", name),)
    }
    rows = aligned(walks["environment"], walks["by_name"])
    assert [row.alone for row in rows] == [False, True, False]
    assert not any(row.parts for row in rows)
    assert first_parting(rows) == 1
    rows = aligned(walks["environment"], walks["rewriting"])
    assert any(row.alone for row in rows)
    assert not any(row.parts for row in rows)
