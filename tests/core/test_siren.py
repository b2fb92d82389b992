"""Alarms and ways out by contexts and by continuations, held against each other."""

from __future__ import annotations

import random

import pytest

from embrix.course.load import Course
from embrix.lanes.session import Session
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.terms.generate import Generator, Words
from embrix.terms.node import FIELDS, Node

LIMITS = Limits(calls=60_000)


def ends(lane: Lane, term: Node) -> tuple[str, object]:
    """What comes of a term: a number, that it is a function, or which error."""
    outcome = lane.machine.run(term, variant="plain", limits=LIMITS).outcome
    if outcome.kind != "value":
        return outcome.kind, outcome.name
    maker = lane.interpreter.constructors[outcome.value[0]].name
    return "value", outcome.value[FIELDS] if maker in ("Num", "Lit") else "function"


def forms(lane: Lane, term: Node) -> set[str]:
    found, pending = set(), [term]
    while pending:
        node = pending.pop()
        found.add(lane.interpreter.constructors[node[0]].name)
        pending += [part for part in node[FIELDS:] if isinstance(part, tuple)]
    return found


@pytest.mark.parametrize("seed", [1, 909, 31337])
def test_contexts_failures_and_continuations_agree(lockside: Course, seed: int) -> None:
    session = Session(lockside.folder)
    steps, machine = session.lane("Siren", "rewriting"), session.lane("Siren", "continuations")
    failures = session.lane("Siren", "environment")
    chance = random.Random(seed)
    generator = Generator(
        steps.interpreter.language.signature, chance.randrange, Words(numbers=(0, 1, 5))
    )
    seen: dict[object, int] = {}
    for _ in range(700):
        term = generator.term("Expr", 6)
        expected = ends(machine, term)
        if expected[0] == "out of fuel":
            continue
        assert ends(steps, term) == expected, (seed, term)
        met = forms(machine, term)
        if "Escape" not in met:
            assert ends(failures, term) == expected, (seed, term)
        kinds = [*expected[: 1 + (expected[0] == "failure")], *met & {"Escape", "Guard"}]
        for kind in kinds:
            seen[kind] = seen.get(kind, 0) + 1
    for kind in ("value", "Unheard", "NumberWanted", "FunctionWanted", "Escape", "Guard"):
        assert seen.get(kind, 0) > 5, seen
