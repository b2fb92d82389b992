"""Nothing becomes wrong for being fast: generated programs of all languages give the same outcome,
output, state and costs in every variant of the compiled code."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.recorder import Recorder
from embrix.runs.session import Session
from tests.strategies import terms

LIMITS = Limits(calls=20_000, depth=30_000, output=2_000, moments=10**6)
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
    """Run in every variant; what they must have in common is asserted."""
    recorder = Recorder(10**6)
    machine = lane.machine
    plain = machine.run(term, variant="plain", limits=LIMITS, given_input=given_input)
    counted = machine.run(term, variant="counted", limits=LIMITS, given_input=given_input)
    traced = machine.run(
        term, variant="traced", limits=LIMITS, recorder=recorder, given_input=given_input
    )
    for one in (counted, traced):
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
