"""Nothing becomes wrong for being fast: generated programs of all languages give the same outcome,
output, state and costs in every variant of the compiled code."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine import staging
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result
from embrix.machine.recorder import WholeRecord
from embrix.machine.unit import Variant
from tests.conftest import TINY_LANGUAGE, Maker
from tests.strategies import terms

LIMITS = Limits(calls=20_000, depth=30_000, output=2_000, events=10**6)
LANES = [
    ("Drip", "by_name"), ("Drip", "environment"), ("Drip", "rewriting"),
    ("Rill", "by_name"), ("Rill", "by_need"), ("Rill", "dynamic_scope"), ("Rill", "environment"),
    ("Rill", "rewriting"), ("Rill", "store_passing"), ("Rill", "substitution"),
    ("Rill", "environment[first=right, checking=at_once]"),
    ("Rill", "environment[truth=zero_is_false, division=gives_zero]"),
    ("Weir", "store_passing"), ("Weir", "rewriting"),
    ("Weir", "rewriting[assignment=old_value, loop=rounds, arithmetic=binary]"),
    ("Mere", "environment"), ("Mere", "by_name"), ("Mere", "by_need[point=only_if_needed]"),
]  # fmt: skip


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def differs(lane: Lane, term: object, given_input: tuple[str, ...]) -> None:
    """Run in every variant, on brief code and on fast code; what they must have in common is
    asserted."""
    recorder = WholeRecord(10**6)
    machine = lane.machine
    plain = machine.run(term, variant="plain", limits=LIMITS, given_input=given_input)
    counted = machine.run(term, variant="counted", limits=LIMITS, given_input=given_input)
    traced = machine.run(
        term, variant="traced", limits=LIMITS, recorder=recorder, given_input=given_input
    )

    def fast(variant: Variant) -> Result:
        return machine.run(term, variant=variant, limits=LIMITS, given_input=given_input, few=0)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(staging, "OFTEN", 2)
        hot, hot_counted = fast("plain"), fast("counted")
    cool, cool_counted = fast("plain"), fast("counted")
    assert hot_counted.costs == cool_counted.costs == counted.costs
    for one in (counted, traced, hot, hot_counted, cool, cool_counted):
        assert one.outcome == plain.outcome
        assert one.outcome.place == plain.outcome.place
        assert one.output == plain.output
        assert one.state == plain.state
    if plain.outcome.kind == "out of fuel":
        return  # where exactly a run is cut off is not counted
    functions = list(lane.interpreter.functions.values())
    seen: dict[str, int] = {}
    for number in recorder.functions:
        seen[functions[number].name] = seen.get(functions[number].name, 0) + 1
    for name, count in seen.items():
        assert counted.costs[f"calls of {name}"] == count, name
    calls = sum(n for name, n in counted.costs.items() if name.startswith("calls of "))
    assert counted.costs["calls"] == calls


@pytest.mark.parametrize(("language", "name"), LANES)
@given(data=st.data())
@settings(max_examples=25)
def test_all_variants_agree(
    session: Session, language: str, name: str, data: st.DataObject
) -> None:
    lane = session.lane(language, name)
    sort = "Stmt" if language == "Weir" else "Expr"
    term = data.draw(terms(lane.interpreter.language.signature, sort, 5))
    differs(lane, term, ("3", "no number"))


@pytest.mark.parametrize(("language", "name"), [one for one in LANES if "[" in one[1]])
@given(data=st.data())
@settings(max_examples=15)
def test_what_serves_all_decisions_gives_the_same(
    session: Session, language: str, name: str, data: st.DataObject
) -> None:
    """Lanes share what is compiled first; choices are looked at while they run."""
    lane = session.lane(language, name)
    sort = "Stmt" if language == "Weir" else "Expr"
    term = data.draw(terms(lane.interpreter.language.signature, sort, 5))
    for variant in ("plain", "counted"):
        one, other = (
            lane.machine.run(
                term, variant=variant, limits=LIMITS, given_input=("3", "no number"), few=few
            )
            for few in (0, LIMITS.calls)
        )
        assert one.outcome == other.outcome
        assert (one.output, one.state, one.costs) == (other.output, other.state, other.costs)


def test_ways_of_deciding_share_what_is_compiled(session: Session) -> None:
    names = ("environment[truth=zero_is_false]", "environment[division=gives_zero]")
    one, other = (session.lane("Rill", name) for name in names)
    assert one.run("when 0 then 1 else 2").outcome.text == "2"
    assert other.run("1 / 0").outcome.text == "0"
    assert one.run("1 / 0").outcome.name == "DivisionByZero"
    brief = one.machine.compiled("counted", brief=True)
    assert brief is other.machine.compiled("counted", brief=True)
    plain = session.lane("Rill", "environment")
    assert plain.machine.compiled("counted", brief=True) is brief
    assert plain.machine.compiled("counted", brief=False) is not brief


def test_kinds_of_numbers_share_what_is_compiled(session: Session) -> None:
    names = ("store_passing", "store_passing[arithmetic=whole]", "store_passing[arithmetic=binary]")
    lanes = [session.lane("Weir", name) for name in names]
    assert len({id(lane.machine.compiled("plain", brief=True)) for lane in lanes}) == 1
    shown = ["".join(lane.run("show 7 / 2", variant="plain").output) for lane in lanes]
    assert shown == ["3.5\n", "3\n", "3.5\n"]
    tenths = ["".join(lane.run("show 0.1 + 0.2", variant="plain").output)
              for lane in (lanes[0], lanes[2])]  # fmt: skip
    assert tenths == ["0.3\n", "0.30000000000000004\n"]
    # Sums that Python carries out itself would be whole where the language has floats.
    unit = lanes[0].machine.compiled("plain", brief=True).unit
    assert not unit.quick
    assert session.lane("Weir", "store_passing").machine.compiled("plain", brief=False).unit.quick


HELPING = """\
interpreter helping for Tiny
value Value
  Num(n: Number)  shown Lit(n)
error Nothing     "zero is not allowed"
judgement eval "{e} ⇓ {result}"
main eval
define eval(e: Expr) -> Value by e
  Lit(n)           => Num(n)
  Add(left, right) =>
    let a = amount(left)
    Num(a + amount(right))
  _                => todo "names"
define amount(e: Expr) -> Number by e
  Lit(n)  => if n == 0 then fail Nothing else n
  _       => plain(eval(e))
define plain(v: Value) -> Number by v
  Num(n)  => n
"""


@pytest.mark.parametrize("variant", ["plain", "counted", "traced"])
def test_a_function_written_out_keeps_its_own_place(make_course: Maker, variant: Variant) -> None:
    """A failure points at the term that the innermost function takes apart."""
    course = make_course(tiny=TINY_LANGUAGE, helping=HELPING)
    lane = Session(course.folder).lane("Tiny", "helping")
    for text, place in (("5 + 0", (4, 5)), ("1 + 2 + 0", (8, 9)), ("(1 + 0) + 2", (5, 6))):
        parsed = lane.parser.parse(text)
        assert isinstance(parsed, Parsed)
        recorder = WholeRecord(1000) if variant == "traced" else None
        result = lane.machine.run(parsed.term, variant=variant, recorder=recorder)
        assert (result.outcome.name, result.outcome.place) == ("Nothing", place), text
