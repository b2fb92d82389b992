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
from embrix.trace.walk import Walk

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


@pytest.mark.parametrize(
    ("program", "rewritten"),
    [
        # In each term the part that the step rewrites, worked out by hand.
        ("1 + (2 + (alarm 3 + 0) + 4)", ["3 + 0", "alarm 3"]),
        ("10 + (2 * 3)", ["2 * 3", "10 + 6"]),
        ("1 + (escape out: 5 + out 2)",
         ["escape out: 5 + out 2", "(given out: ‹Leave(Add(Lit(1), Var(out)))›) 2",
          "‹Leave(Add(Lit(1), Lit(2)))›", "1 + 2"]),
        # The guard and the alarm in it are one: both go at once.
        ("5 + (guard 1 + (alarm 2) else given x: x)",
         ["guard 1 + (alarm 2) else given x: x", "(given x: x) 2", "5 + 2"]),
    ],
)  # fmt: skip
def test_the_walk_marks_what_stands_in_the_context(
    lockside: Course, program: str, rewritten: list[str]
) -> None:
    lane = Session(lockside.folder).lane("Siren", "rewriting")
    walk = Walk(lane, lane.trace(program))
    steps = [walk.step(number) for number in range(len(walk))]
    found = [one.text[one.focus.start : one.focus.end] for one in steps if one.focus is not None]
    assert [" ".join(text.split()) for text in found] == rewritten
