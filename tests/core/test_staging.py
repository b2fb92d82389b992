"""Parts of programs that are turned into Python while they run do what they did before."""

from __future__ import annotations

from pathlib import Path

import pytest

from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine import run as run_module
from embrix.machine import staging
from embrix.machine.compiler import Compiled
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result
from embrix.machine.unit import Variant
from tests.conftest import Maker
from tests.core.test_strategies import CONTINUATIONS, FAILURES, LANGUAGE

BOTH: tuple[Variant, ...] = ("plain", "counted")
NEVER = 10**9


def run(lane: Lane, text: str, often: int, variant: Variant, limits: Limits) -> Result:
    parsed = lane.parser.parse(text)
    assert isinstance(parsed, Parsed), text
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(staging, "OFTEN", often)
        given = ("4", "5", "6")
        return lane.machine.run(
            parsed.term,
            variant=variant,
            limits=limits,
            given_input=given,
            few=0,
            residual=False,
        )


def agrees(lane: Lane, text: str, limits: Limits, often: int = 2) -> Result:
    """Turned into Python early and never: the same, in both variants."""
    results = [run(lane, text, when, v, limits) for v in BOTH for when in (often, NEVER)]
    for one in results[1:]:
        assert one.outcome == results[0].outcome, text
        assert one.outcome.place == results[0].outcome.place, text
        assert one.output == results[0].output, text
        assert one.state == results[0].state, text
    if results[0].outcome.kind != "out of fuel":
        assert results[2].costs == results[3].costs, text
    return results[0]


SMALL = [
    "let f of n = when n then n + f (n - 1) else 0 in f 40",
    "let loop of n = when n then loop (n - 1) else 7 in loop 60",
    "let apply = given f: given x: f (f x) in let inc = given y: y + 1 in "
    "let go of n = when n then go (n - 1) + apply inc n else n in go 12",
    "let even of p = given n: when n then (p p) (n - 1) else 1 in even even 3",
    "let f of n = when n then when n - 1 then f (n - 2) else 5 else 6 in f 9 + f 10",
    "let f of n = when n then let n = n - 1 in let m = n in f m else n in f 20",
    "let f of n = when n then f (n - 1) + missing else missing in f 5",
    "let f of n = when n then f (n - 1) else given x: x in (f 8) + 1",
]
GUARDED = """\
interpreter guarded for Small extends Small.failures
replace eval(e, env)
  Sub(left, right) when number(eval(right, env)) == 0 => eval(left, env)
  Sub(left, _) =>
    let right = eval(left, env)
    Num(number(right) - 1)
  When(test, yes, no) when number(eval(test, env)) == 1 => eval(yes, env)
  When(test, yes, _) when number(eval(test, env)) == 2 =>
    let no = eval(yes, env)
    Num(number(no) + 1)
  When(_, _, no) => eval(no, env)
"""
ESCAPING = [
    *SMALL,
    "let f of n = when n then (mark j in 1 + j n) + f (n - 1) else 0 in f 20",
    "let f of n = when n then leave n else 0 in f 3 + f 4 + f 0",
    "let f of n = when n then (mark j in let g of m = when m then g (m - 1) else j 2 in g n) "
    "+ f (n - 1) else 0 in f 7",
]
RAISING = [
    *SMALL,
    "let f of n = when n then (try raise n catch x in x + 1) + f (n - 1) else 0 in f 20",
    "let f of n = when n then try f (n - 1) catch x in raise x + n else raise 1 in f 9",
    "let f of n = when n then try (given y: raise y) n + 1 catch n in n + n else 0 in f 3 + f 4",
]


@pytest.mark.parametrize("often", [1, 2, 5])
def test_continuations_and_exceptions(make_course: Maker, often: int) -> None:
    course = make_course(
        small=LANGUAGE, continuations=CONTINUATIONS, failures=FAILURES, guarded=GUARDED
    )
    session = Session(course.folder)
    own = ["let f of n = when n - 1 then n - n else n - 0 in f 1 + f 2 + f 3 + f 4 + f 5"]
    lanes = (("continuations", ESCAPING), ("failures", RAISING), ("guarded", own))
    for name, texts in lanes:
        lane = session.lane("Small", name)
        for text in texts:
            agrees(lane, text, Limits(calls=20_000), often)


@pytest.mark.parametrize("often", [2, 50])
def test_programs_of_the_course(lockside: Course, often: int) -> None:
    session = Session(lockside.folder)
    limits = Limits(calls=30_000, depth=100_000)
    for name, language in lockside.languages.items():
        lanes = [session.lane(name, lane) for lane in lockside.interpreters[name]]
        for path in sorted(Path(language.source.name).parent.glob("programs/*")):
            for lane in lanes:
                agrees(lane, path.read_text(encoding="utf-8"), limits, often)


def test_fuel_ends_a_run_at_the_same_call(lockside: Course) -> None:
    """What has been printed when the fuel is gone tells where that was."""
    lane = Session(lockside.folder).lane("Weir", "store_passing")
    text = """new i := 0;
    new down := 0;
    down := given n: when n < 1 then 0 else 1 + down (n - 1);
    while i < 6 do { show down i; i := i + 1 }"""
    ends = set()
    for calls in range(1, 700, 17):
        result = agrees(lane, text, Limits(calls=calls))
        ends.add((result.outcome.kind, len(result.output)))
    assert len(ends) > 3


def test_loops_need_no_depth(make_course: Maker, lockside: Course) -> None:
    """Loops through parts that are Python by now, alone, in turns, and through functions that
    are values; each part first runs often without being turned."""
    rill = Session(lockside.folder).lane("Rill", "environment")
    course = make_course(small=LANGUAGE, continuations=CONTINUATIONS)
    small = Session(course.folder).lane("Small", "continuations")
    limits = Limits(depth=6_000)
    alone = "let loop of n = when n is 0 then 7 else loop (n - 1) in loop 30000"
    turns = (
        "let even of odd = given n: when n is 0 then true else odd odd even (n - 1) in "
        "let odd = given odd: given even: given n: when n is 0 then false else even odd (n - 1) "
        "in even odd 20000"
    )
    for often in (2, 3_000):
        for variant in BOTH:
            assert run(rill, alone, often, variant, limits).outcome.text == "7"
            assert run(rill, turns, often, variant, limits).outcome.text == "true"
            text = "let loop of n = when n then loop (n - 1) else 7 in loop 30000"
            assert run(small, text, often, variant, limits).outcome.text == "7"


def test_large_and_deep_bodies(lockside: Course) -> None:
    """More than is written out in one part: the rest is entered by itself."""
    lane = Session(lockside.folder).lane("Rill", "environment")
    wide = " + ".join(["n"] * 700)
    deep = "(" * 80 + "n" + " + 1)" * 80
    nested = "".join(f"let a{i} = n + {i} in " for i in range(120)) + "a0 + a119"
    for body in (wide, deep, nested):
        text = f"let f of n = when n < 1 then 0 else ({body}) + f (n - 1) in f 6"
        agrees(lane, text, Limits())


def test_what_is_remembered_is_bounded(lockside: Course, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(staging, "MOST_PARTS", 2)
    lane = Session(lockside.folder).lane("Rill", "environment")
    functions = "".join(f"let f{i} = given x: x + {i} in " for i in range(5))
    calls = " + ".join(f"f{i} n" for i in range(5))
    text = f"{functions} let go of n = when n < 1 then 0 else {calls} + go (n - 1) in go 9"
    agrees(lane, text, Limits())


@pytest.mark.parametrize("name", ["environment", "by_need", "by_name", "store_passing"])
def test_costs_are_counted_to_the_last_call(lockside: Course, name: str) -> None:
    lane = Session(lockside.folder).lane("Rill", name)
    for text in (
        "let f of n = when n < 1 then 0 else n + f (n - 1) in f 6",
        "let f of n = when n is 0 then 0 else f (n - 1) + 1 in f 6",
        "let f of n = when n < 1 and true then true else f (n - 1) or false in f 6",
        "let f of n = when n < 1 then n / 0 else 1 + f (n - 1) in f 6",
    ):
        agrees(lane, text, Limits())


def test_only_what_is_entered_often_is_turned(lockside: Course) -> None:
    made: list[str] = []
    turned = staging.Stages.turned

    def watched(self: staging.Stages, name: str, node: staging.Node) -> object:
        made.append(name)
        return turned(self, name, node)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(staging.Stages, "turned", watched)
        lane = Session(lockside.folder).lane("Rill", "environment")
        text = "let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum 20"
        run(lane, text, 30, "plain", Limits())
        assert made == []
        run(lane, text, 5, "plain", Limits())
    assert made == ["eval"]


@pytest.mark.parametrize("lane", ["heap", "rewriting", "substitution", "dynamic_scope"])
@pytest.mark.parametrize("variant", BOTH)
def test_lanes_that_make_their_own_terms_stay_on_the_code_they_begin_on(
    lockside: Course, lane: str, variant: Variant
) -> None:
    """What a long run has done is thrown away only where fast code gains something."""
    one = Session(lockside.folder).lane("Rill", lane)
    parsed = one.parser.parse("let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum 150")
    assert isinstance(parsed, Parsed)
    made: list[bool] = []
    compiled = one.machine.compiled

    def watched(variant: Variant, *, brief: bool) -> Compiled:
        made.append(brief)
        return compiled(variant, brief=brief)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(one.machine, "compiled", watched)
        patch.setattr(run_module, "FEW", 1_000)
        patch.setattr(run_module, "SOON", 500)
        assert one.machine.run(parsed.term, variant=variant).outcome.text == "11325"
    assert (False in made) == (lane == "dynamic_scope")
