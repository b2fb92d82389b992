"""Compiled code does what the core means: each variant is held against an interpreter of the core
that shares none of the compiler's code."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.evaluated import Evaluated
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.recorder import WholeRecord
from embrix.machine.reference import evaluate
from embrix.machine.run import FEW
from embrix.suite.cases import Case
from embrix.terms.node import FIELDS, FRAME, KNOT, Node, same
from embrix.text.diagnostic import Findings
from tests.core.test_variants import LANES
from tests.strategies import terms

LIMITS = Limits(calls=60_000, depth=30_000, output=100_000, events=10**6)
COUNTED = ("lookups", "hops", "allocations", "reads", "writes", "suspensions made",
           "suspensions forced", "suspensions reused")  # fmt: skip


@pytest.fixture(scope="module")
def session(lockside: Course) -> Session:
    return Session(lockside.folder)


def held_against(lane: Lane, term: Node, lines: tuple[str, ...] = ()) -> Evaluated | None:
    """Every variant gives what the core means; None where the run does not come to its end."""
    meant = evaluate(lane.machine, term, given_input=lines, limits=Limits(calls=8_000))
    if meant.kind == "out of fuel":
        return None
    recorder = WholeRecord(10**6)
    ways = (("plain", FEW), ("plain", 0), ("counted", FEW), ("counted", 0), ("traced", FEW))
    for variant, few in ways:
        came = lane.machine.run(
            term, variant=variant, limits=LIMITS, given_input=lines,
            recorder=recorder if variant == "traced" else None, few=few,
        )  # fmt: skip
        assert meant.agrees(came.outcome), (variant, few, meant.kind, meant.name, came.outcome)
        assert list(came.output) == meant.output
        state = came.state.values
        assert len(state) == len(meant.state)
        assert all(map(same, state, meant.state))
        if variant == "counted":
            counts(lane, came.costs, meant)
    names = [function.name for function in lane.interpreter.functions.values()]
    assert [names[number] for number in recorder.functions] == [j.function for j in meant.judged]
    assert recorder.clauses == [one.clause for one in meant.judged]
    for came_args, one in zip(recorder.arguments, meant.judged, strict=True):
        assert all(map(_alike, came_args, one.arguments))
    return meant


def _alike(came: Any, meant: Any) -> bool:
    """Whether two arguments are equal; of functions and of frames that mention their own
    environment only that they are such (and their names) is looked at."""
    pending = [(came, meant)]
    while pending:
        one, other = pending.pop()
        if callable(one):
            if not callable(other):
                return False
        elif not (isinstance(one, tuple) and isinstance(other, tuple)):
            if not same(one, other) and repr(one) != repr(other):  # no NaN is equal to itself
                return False
        elif one and one[0] == KNOT:
            if other[0] != FRAME or one[FIELDS] != other[FIELDS].name:
                return False
            pending.append((one[FIELDS + 2], other[FIELDS + 2]))
        elif one[:1] != other[:1] or len(one) != len(other):
            return False
        else:
            pending += zip(one[FIELDS:], other[FIELDS:], strict=True)
    return True


def counts(lane: Lane, costs: dict[str, int], meant: Evaluated) -> None:
    for name, function in lane.interpreter.functions.items():
        if function.helper:
            continue
        assert costs[f"calls of {name}"] == meant.counts[f"calls of {name}"], name
    for name in COUNTED:
        assert costs.get(name, 0) == meant.counts[name], name
    if "steps" in costs:
        assert costs["steps"] == meant.counts["rounds"]


def cases_and_lanes(session: Session, language: str) -> tuple[list[Case], list[str]]:
    """All cases of a language, and its lanes, those with choices decided otherwise included."""
    cases: list[Case] = []
    lanes = [*session.course.interpreters[language]]
    for path in session.course.suites:
        suite = session.suite(path, Findings())
        if suite is not None and suite.language == language:
            cases += suite.cases
            lanes += suite.decided
    return cases, lanes


@pytest.mark.parametrize("language", ["Drip", "Rill", "Mere", "Weir"])
def test_every_case_of_the_course(session: Session, language: str) -> None:
    """On every lane of the language, choices decided otherwise included."""
    cases, lanes = cases_and_lanes(session, language)
    ended = 0
    for name in lanes:
        lane = session.lane(language, name)
        for case in cases[:: {"Drip": 3, "Mere": 16, "Weir": 40}.get(language, 50)]:
            parsed = lane.parser.parse(case.program)
            if isinstance(parsed, Parsed) and not case.given:
                ended += held_against(lane, parsed.term, tuple(case.input)) is not None
    assert ended > 20


@pytest.mark.parametrize(("language", "name"), LANES)
@given(data=st.data())
@settings(max_examples=15)
def test_programs_that_nobody_wrote(
    session: Session, language: str, name: str, data: st.DataObject
) -> None:
    lane = session.lane(language, name)
    sort = "Stmt" if language == "Weir" else "Expr"
    held_against(lane, data.draw(terms(lane.interpreter.language.signature, sort, 5)), ("3", "x"))
