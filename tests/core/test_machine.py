"""What definitions do when they run: meaning of each construct, limits, places, variants."""

from __future__ import annotations

import textwrap
import threading
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.checking.laws import try_law
from embrix.course.load import Course
from embrix.machine.lane import BadBinding, Lane, parser_for
from embrix.machine.limits import Limits
from embrix.machine.outcome import Outcome
from embrix.machine.recorder import WholeRecord
from tests.conftest import TINY_LANGUAGE, Maker
from tests.strategies import terms

HEAD = """\
interpreter main for Tiny

data Pair
  Both(a: Number, b: Maybe[Number])
  Other

value Value
  Num(n: Number)     shown "{n}"
  Many(xs: List[Number])

error Bad(v: Number, why: Text)  "bad {v} since {why}"
error Empty  "nothing there"

main run

"""


def lane_of(course: Course) -> Lane:
    assert course.diagnostics == (), [d.message for d in course.diagnostics]
    language = course.languages["Tiny"]
    parser = parser_for(language)
    assert parser is not None
    return Lane(course.interpreters["Tiny"]["main"], parser)


def outcome(make_course: Maker, body: str, program: str = "1", **limits: int) -> Outcome:
    """The outcome of a program on an interpreter whose functions are given."""
    text = HEAD + textwrap.dedent(body)
    lane = lane_of(make_course(tiny=TINY_LANGUAGE, lane=text))
    results = [
        lane.run(program, limits=Limits(**limits), variant=variant).outcome
        for variant in ("plain", "counted")
    ]
    assert results[0] == results[1]
    return results[0]


RUN = "define run(p: Expr) -> Value\n  "

EXPRESSIONS = [
    ("Num(1 + 2 * 3 - 4)", "3"),
    ("Num(if 1 < 2 and not (2 < 1) then 10 else 20)", "10"),
    ("Num(if false or 2 <= 1 then 10 else 20)", "20"),
    ("Num(-(2 / 4))", "-0.5"),
    ("let x = 1\n  let x = x + 1\n  Num(x)", "2"),
    ("let (a, b) = (3, 4)\n  Num(a * b)", "12"),
    ("let Num(n) = Num(7) else v => Num(0)\n  Num(n)", "7"),
    ("let Some(n) = none() else _ => Num(9)\n  Num(n)", "9"),
    ("let Some(n) = none()\n    else _ => Num(9)\n  Num(n)", "9"),
    ("require 1 == 2 else Num(5)\n  Num(6)", "5"),
    ("require 1 == 1 else Num(5)\n  Num(6)", "6"),
    ("Num(none() otherwise 4)", "4"),
    ("Num(some(3) otherwise 4)", "3"),
    ("Num(sum([1, 2, ..[3, 4]]))", "10"),
    ("match [1, 2, 3]\n    [a, _, ..rest] => Num(a + sum(rest))\n    _ => Num(0)", "4"),
    ("match 1, Some(2)\n    0, _ => Num(0)\n    n, Some(m) when m > n => Num(m)\n"
     "    _, _ => Num(9)", "2"),
    ("match (1, true)\n    (n, true) => Num(n)\n    (_, false) => Num(0)", "1"),
    ("Num(pick(Both(1, Some(2)) ))", "3"),
    ("Num(pick(Both(1, None)))", "1"),
    ("Num(pick(Other))", "-1"),
    ("Many([1, 2])", "Many([1, 2])"),
    ("let both = Both(1, None)\n  if both == Both(1, None) then Num(1) else Num(0)", "1"),
    ("if p == p and Lit(1) == Lit(1) and Lit(1) != Lit(2) then Num(1) else Num(0)", "1"),
    ("if \"a\" < \"b\" then Num(1) else Num(0)", "1"),
    ("let n = if 1 < 2 then\n      let y = 5\n      y + 1\n    else\n      0\n  Num(n)", "6"),
    ("Num((match 2\n    1 => 10\n    _ => 20) + 1)", "21"),
    ("Num(count_down(100000, 0))", "100000"),
    ("Num(deep(20000))", "20000"),
]  # fmt: skip

LIBRARY = """

define none() -> Maybe[Number]
  None

define some(n: Number) -> Maybe[Number]
  Some(n)

define sum(xs: List[Number]) -> Number by xs
  [] => 0
  [x, ..rest] => x + sum(rest)

define pick(q: Pair) -> Number by q
  Both(a, Some(b)) => a + b
  Both(a, None)    => a
  Other            => -1

define count_down(n: Number, done: Number) -> Number
  if n == 0 then done else count_down(n - 1, done + 1)

define deep(n: Number) -> Number
  if n == 0 then 0 else 1 + deep(n - 1)
"""


@pytest.mark.parametrize(("text", "expected"), EXPRESSIONS)
def test_an_expression_has_the_value_worked_out_by_hand(
    make_course: Maker, text: str, expected: str
) -> None:
    found = outcome(make_course, RUN + text + LIBRARY)
    assert (found.kind, found.text) == ("value", expected)


def test_operands_and_arguments_run_from_left_to_right(make_course: Maker) -> None:
    """Output shows the order, also where a later argument needs statements of its own."""
    body = """
    define run(p: Expr) -> Value
      Num(three(say(1), (match say(2)
        2 => say(3)
        _ => 0), say(4)) + say(5))

    define three(a: Number, b: Number, c: Number) -> Number
      a + b + c

    define say(n: Number) -> Number
      emit "{n}"
      n
    """
    course = make_course(tiny=TINY_LANGUAGE, lane=HEAD + textwrap.dedent(body))
    result = lane_of(course).run("1")
    assert result.output == ("1", "2", "3", "4", "5")
    assert result.outcome.text == "13"


ENDINGS = [
    ('fail Bad(1, "x")', "failure", "bad 1 since x"),
    ("fail Empty", "failure", "nothing there"),
    ('todo "later"', "unfinished", "later"),
    ("Num(1 / 0)", "stuck", "a division by zero that no clause takes care of"),
    ("let Some(n) = none()\n  Num(n)", "stuck", "no pattern in run takes this: None"),
    ("Num(forever(1))", "out of fuel", "more than 5,000 calls"),
    ("Num(deep_for_ever(1))", "out of fuel", "more than 5,000 calls"),
    ("Num(grow(2))", "out of fuel", "a number of more than 65,536 bits"),
]

NO_END = """

define none() -> Maybe[Number]
  None

define forever(n: Number) -> Number
  forever(n)

define deep_for_ever(n: Number) -> Number
  1 + deep_for_ever(n)

define grow(n: Number) -> Number
  grow(n * n)
"""


@pytest.mark.parametrize(("text", "kind", "sentence"), ENDINGS)
def test_every_way_to_end_is_an_outcome(
    make_course: Maker, text: str, kind: str, sentence: str
) -> None:
    meant = 'deliberately partial_let "it is stuck"\n' if text.startswith("let") else ""
    found = outcome(make_course, meant + RUN + text + NO_END, calls=5_000)
    assert (found.kind, found.text) == (kind, sentence)


NOTHING_TAKES = """
define run(p: Expr) -> Value
  Num(eval(p, 400))

define eval(e: Expr, turns: Number) -> Number by e
  _ when turns > 0 => eval(e, turns - 1)
  Lit(0) => own(None)
  Lit(1) => inside(None)
  Lit(2) => taken(None)
  Lit(3) =>
    let Some(n) = none()
    n
  Lit(4) =>
    match e
      Var(_) => 1
  Lit(6) => known(e)
  Lit(7) =>
    match e
      Lit(n) when n == 0 => 0
  Lit(9) => 9
  Add(a, b) => eval(a, 9) + eval(b, 9)

define known(e: Expr) -> Number by e
  Lit(n) when n == 0 => 0
  Var(_) => 1

define own(m: Maybe[Number]) -> Number by m
  Some(n) => n

define inside(m: Maybe[Number]) -> Number
  match m
    Some(n) => n

define taken(m: Maybe[Number]) -> Number
  let Some(n) = m
  n

define none() -> Maybe[Number]
  None
"""


@pytest.mark.parametrize(
    ("program", "text"),
    [
        ("0", "no clause of own takes this: None"),
        ("1", "no pattern in inside takes this: None"),
        ("2", "no pattern in taken takes this: None"),
        ("3", "no pattern in eval takes this: None"),
        ("4", "no pattern in eval takes this: Lit(4)"),
        ("5", "no clause of eval takes this: Lit(5)"),
        ("6", "no clause of known takes this: Lit(6)"),
        ("7", "no pattern in eval takes this: Lit(7)"),
    ],
)
def test_what_takes_nothing_is_told_apart(
    make_course: Maker, monkeypatch: pytest.MonkeyPatch, program: str, text: str
) -> None:
    """The clauses of a function, and a `match` or a `let` in it, wherever they are written out."""
    monkeypatch.setattr("embrix.machine.staging.OFTEN", 5)
    course = make_course(tiny=TINY_LANGUAGE, lane=HEAD + NOTHING_TAKES)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    lane = Lane(course.interpreters["Tiny"]["main"], parser_for(course.languages["Tiny"]))
    found = [
        lane.run(written, variant=variant, few=few).outcome
        for written in (program, f"9 + {program}")
        for variant in ("plain", "counted")
        for few in (0, 1_000_000)  # as a residual program, or never as one
    ]
    assert {(one.kind, one.text) for one in found} == {("stuck", text)}


def test_depth_memory_output_and_texts_are_limited(make_course: Maker) -> None:
    """Each limit is named when it ends a run."""
    body = """
    define run(p: Expr) -> Value by p
      Lit(1) => Num(down(1000000))
      Lit(2) => Num(shout(1))
      _      => Num(widen("ab"))

    define down(n: Number) -> Number
      if n == 0 then 0 else 1 + down(n - 1)

    define shout(n: Number) -> Number
      emit "all gates closed\\n"
      shout(n)

    define widen(t: Text) -> Number
      widen("{t}{t}")
    """
    course = make_course(tiny=TINY_LANGUAGE, lane=HEAD + textwrap.dedent(body))
    lane = lane_of(course)
    limits = Limits(calls=3_000_000, depth=50_000, output=5_000, text=10_000)
    names = [lane.run(str(n), limits=limits).outcome.name for n in (1, 2, 3)]
    assert names == ["depth", "output", "text"]


def test_big_step_recursion_reaches_a_hundred_thousand_levels(drip_lanes: dict[str, Lane]) -> None:
    """Signs nested 100,000 deep are evaluated, counted and traced."""
    lane = drip_lanes["environment"]
    names = lane.interpreter.language.signature.by_name
    term = (names["Lit"].tag, None, 1)
    for _ in range(100_000):
        term = (names["Neg"].tag, None, term)
    for variant in ("plain", "counted"):
        assert lane.machine.run(term, variant=variant).outcome.text == "1"  # type: ignore[arg-type]
    recorder = WholeRecord(10**7)
    assert lane.machine.run(term, variant="traced", recorder=recorder).outcome.text == "1"
    assert len(recorder.events) == 200_002


def test_rewriting_survives_deep_terms(drip_lanes: dict[str, Lane]) -> None:
    """Two thousand levels are walked down at each step without harm."""
    lane = drip_lanes["rewriting"]
    names = lane.interpreter.language.signature.by_name
    term = (names["Lit"].tag, None, 1)
    for _ in range(2_000):
        term = (names["Add"].tag, None, term, (names["Lit"].tag, None, 1))
    assert (
        lane.machine.run(term, variant="plain", limits=Limits(calls=10**7)).outcome.text == "2001"
    )


def test_a_run_is_stopped_from_another_thread(make_course: Maker) -> None:
    """What a run tells on its start stops it, long before its fuel is spent."""
    body = RUN + "Num(forever(1))" + NO_END
    lane = lane_of(make_course(tiny=TINY_LANGUAGE, lane=HEAD + textwrap.dedent(body)))
    timers: list[threading.Timer] = []

    def on_start(stop: object) -> None:
        timer = threading.Timer(0.05, stop)  # type: ignore[arg-type]
        timers.append(timer)
        timer.start()

    begin = time.monotonic()
    found = lane.run("1", limits=Limits(calls=10**12), on_start=on_start)
    assert found.outcome.kind == "out of fuel"
    assert time.monotonic() - begin < 30
    timers[0].join()


def test_names_of_the_host_language_are_harmless(make_course: Maker) -> None:
    """An author may call things as Python calls its words, builtins and special names."""
    body = """
    define run(p: Expr) -> Value
      Num(lambda(1) + class(2) + __import__(3) + fuel(4))

    define lambda(none_: Number) -> Number
      none_

    define class(self: Number) -> Number
      let def = self
      def

    define __import__(__class__: Number) -> Number
      __class__

    define fuel(link: Number) -> Number
      let stop = link
      stop
    """
    assert outcome(make_course, body).text == "10"


def test_a_failure_points_at_the_node_that_was_being_evaluated(make_course: Maker) -> None:
    """Helpers keep their caller's node; `at` chooses another."""
    body = """
    define run(p: Expr) -> Value
      eval(p)

    define eval(e: Expr) -> Value by e
      Lit(n)           => helper(n)
      Var(_)           => Num(0)
      Add(left, right) =>
        require left != Lit(1) else fail Empty at right
        both(eval(left), eval(right))
      Let(_, _, body)  => eval(body)

    define both(a: Value, b: Value) -> Value
      a

    define helper(n: Number) -> Value
      if n == 7 then fail Empty else Num(n)
    """
    assert outcome(make_course, body, "2 + (3 + 7)").place == (9, 10)
    assert outcome(make_course, body, "let x = 2 in 1 + (2 + 3)").place == (18, 23)


@given(data=st.data())
def test_plain_counted_and_traced_runs_agree(
    drip_lanes: dict[str, Lane], data: st.DataObject
) -> None:
    """Three variants of one compiler give one outcome; counting and tracing see the same calls."""
    lane = drip_lanes[data.draw(st.sampled_from(sorted(drip_lanes)))]
    term = data.draw(terms(lane.interpreter.language.signature, "Expr", 5))
    recorder = WholeRecord(10**6)
    plain = lane.machine.run(term, variant="plain")
    counted = lane.machine.run(term, variant="counted")
    traced = lane.machine.run(term, variant="traced", recorder=recorder)
    assert plain.outcome == counted.outcome == traced.outcome
    judged = "step" if "steps" in counted.costs else "eval"
    assert counted.costs[f"calls of {judged}"] == len(recorder.functions)


def test_costs_are_those_counted_by_hand(drip_lanes: dict[str, Lane]) -> None:
    """let x = 2 in let y = 3 in x + x * y, worked out on paper."""
    costs = drip_lanes["environment"].run("let x = 2 in let y = 3 in x + x * y").costs
    assert costs["judgements"] == 9
    assert costs["lookups"] == 3
    assert costs["hops"] == 2
    assert drip_lanes["rewriting"].run("let x = 2 in let y = 3 in x + x * y").costs["steps"] == 4


def test_bindings_by_hand_reach_every_lane(drip_lanes: dict[str, Lane]) -> None:
    for lane in drip_lanes.values():
        assert lane.run("x * y", {"x": "1 + 2", "y": "4"}).outcome.text == "12"
        for given_names in ({"X": "1"}, {"x": "1 +"}, {"let": "1"}):
            with pytest.raises(BadBinding):
                lane.run("1", given_names)


def test_a_law_is_held_against_made_up_terms(make_course: Maker, lockside: Course) -> None:
    """The shipped substitution keeps its law; one that forgets shadowing loses it."""
    rewriting = lockside.interpreters["Drip"]["rewriting"]
    parser = parser_for(lockside.languages["Drip"])
    assert parser is not None
    right = try_law(Lane(rewriting, parser).machine, rewriting.laws[0])
    assert right.counterexample is None
    assert right.tried > 100
    naive = rewriting.source.text.replace(
        "  Let(y, bound, body) when y == x  => Let(y, put(v, x, bound), body)\n", ""
    )
    course = make_course(drip=lockside.languages["Drip"].source.text, rewriting=naive)
    wrong = course.interpreters["Drip"]["rewriting"]
    found = try_law(Lane(wrong, parser).machine, wrong.laws[0]).counterexample
    assert found is not None
    assert "let" in found["e"]


def test_substitution_uses_fuel(drip_lanes: dict[str, Lane]) -> None:
    """A walk over a large term is work: thousands of lets cannot make a run endless."""
    program = "".join(f"let x{n} = 1 in " for n in range(2_000)) + "x0"
    found = drip_lanes["by_name"].run(program, limits=Limits(calls=80_000)).outcome
    assert (found.kind, found.name) == ("out of fuel", "calls")
    assert drip_lanes["environment"].run(program).outcome.text == "1"
