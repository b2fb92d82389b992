"""Two lanes held against each other at every judgement: what an expression gives in its environment
on one lane equals what the other lane gives of the expression with the environment put in."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Literal

from msgspec import Struct, field

from embrix.compare.direct import handing_on
from embrix.compare.put_back import NotSayable, PutBack
from embrix.compare.shown_apart import surely_apart
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Outcome
from embrix.machine.recorder import NOT_LEFT
from embrix.terms.binding import alike
from embrix.terms.keys import key_of
from embrix.terms.node import Place
from embrix.terms.types import Con, settle
from embrix.trace.walk import Walk

LIMITS = Limits(output=100_000, events=100_000)
MOST_PARTS = 2_000
"""Judgements of a run that are looked at."""
FOR_ONE = Limits(calls=20_000)
"""For the run of one part on the other lane."""
ENOUGH = 2_000_000
"""Calls of all these runs together."""


class PartHeld(Struct, frozen=True):
    """An expression that gives something else on the other lane: the step at which it is entered,
    its place, the term with the environment put in, and what each lane gives."""

    step: int
    place: Place | None
    term: str
    left: str
    right: str


class EveryPart(Struct):
    """What came of holding two lanes against each other: how many parts were compared, why others
    were not (and how many of them), the first that differs. `refused` says why nothing could be."""

    left: str
    right: str
    compared: int = 0
    apart: PartHeld | None = None
    left_out: Counter[str] = field(default_factory=Counter)
    refused: str = ""

    @property
    def sentence(self) -> str:
        if self.refused:
            return self.refused
        parts = "one part" if self.compared == 1 else f"{self.compared:,} parts"
        if self.apart is None:
            return f"{self.left} and {self.right} agree on {parts} of the run"
        found = self.apart
        return f"{found.term} gives {found.left} on {self.left}, {found.right} on {self.right}"


def hold_every_part(
    left: Lane,
    right: Lane,
    text: str,
    given: Mapping[str, str] | None = None,
    given_input: Sequence[str] = (),
) -> EveryPart:
    """Hold two lanes of a language against each other at every part that the first evaluates in an
    environment, in the order in which these come to an end. Raises `BadBinding`."""
    found = EveryPart(left.name, right.name)
    if not (left.records and right.records):
        found.refused = "an interpreter outside does not tell of its judgements"
        return found
    judging = _judging(left)
    if not judging:
        found.refused = (
            f"no function of {left.name} gives values of expressions from an environment alone"
        )
        return found
    walk = Walk(left, left.trace(text, given, limits=LIMITS, given_input=given_input))
    if walk.traced.term is None:
        found.refused = walk.traced.result.outcome.sentence
        return found
    if walk.traced.last is not None:
        found.left_out["the rest of the run, which is not recorded"] += 1
    back = PutBack(left)
    outcomes: dict[object, Outcome] = {}
    spent = 0
    for step, instance in _ended(walk):
        if walk.function_of(instance).name not in judging:
            continue
        if found.compared + found.left_out.total() >= MOST_PARTS or spent > ENOUGH:
            found.left_out["the run has more parts than are looked at"] += 1
            continue
        subject, environment = walk.subject(instance), walk.environment_of(instance)
        assert subject is not None
        assert environment is not None
        try:
            term = back.closed(subject, environment)
        except NotSayable as why:
            found.left_out[str(why)] += 1
            continue
        guessed = back.guessed
        key = key_of(term)
        if key not in outcomes:
            result = right.run_term(term, limits=FOR_ONE)
            outcomes[key] = result.outcome
            spent += result.spent
        other = outcomes[key]
        if other.kind in ("out of fuel", "unfinished", "cycle"):
            found.left_out[f"{right.name} ends with {other.kind}"] += 1
            continue
        here = _here(walk, instance)
        if guessed and here != _told(left.run_term(term, limits=FOR_ONE).outcome):
            found.left_out[f"{left.name} gives something else with the environment put in"] += 1
            continue
        verdict = _verdict(back, walk, instance, right, other)
        if verdict == "open":
            found.left_out["functions, and what waits, are shown by each lane in its own way"] += 1
            continue
        found.compared += 1
        if verdict == "apart":
            shown = left.machine.display.show(term)
            found.apart = PartHeld(step, subject[1], shown, here, _told(other))
            break
    return found


def _verdict(
    back: PutBack, walk: Walk, instance: int, right: Lane, other: Outcome
) -> Literal["same", "apart", "open"]:
    """Whether a judgement gave what the other lane gives. Code, and what is still to be evaluated,
    is shown by each lane in its own way: where that cannot be held against each other it is open,
    save that what holds code is no value without any that has no parts."""
    result = walk.traced.recorder.results[instance]
    if _here(walk, instance) == _told(other):
        return "same"
    if result is NOT_LEFT or other.kind != "value":
        return "apart"
    signature = walk.lane.interpreter.language.signature
    if isinstance(other.value, tuple) and signature.form_of(other.value) is not None:
        term = back.value(result)
        if term is not None and alike(signature, term, other.value):
            return "same"
    apart = surely_apart(walk.lane.interpreter, result, right.interpreter, other.value)
    return "apart" if apart else "open"


def _told(outcome: Outcome) -> str:
    return outcome.text if outcome.kind == "value" else outcome.name or outcome.kind


def _here(walk: Walk, instance: int) -> str:
    """What a judgement gave, or how the run ended in it."""
    result = walk.traced.recorder.results[instance]
    if result is NOT_LEFT:
        return _told(walk.traced.result.outcome)
    return walk.lane.machine.display.outcome(result)


def _ended(walk: Walk) -> Iterator[tuple[int, int]]:
    """The judgements of a run with the steps at which they are entered, in the order in which they
    end; what has failed comes last, the innermost first. Of a run that is not recorded whole nobody
    knows what was open when it failed."""
    entered: dict[int, int] = {}
    recorder = walk.traced.recorder
    for step, event in enumerate(recorder.events):
        if event >= 0:
            entered[event] = step
        elif recorder.results[~event] is not NOT_LEFT:
            yield entered.pop(~event), ~event
        else:
            entered.pop(~event)  # a failure that was caught
    whole = walk.traced.last is None
    if whole and walk.traced.result.outcome.kind in ("failure", "stuck"):
        yield from ((step, instance) for instance, step in reversed(entered.items()))


def _judging(lane: Lane) -> frozenset[str]:
    """The functions that give the value of an expression, as `main` gives that of a program, from
    an environment and nothing else."""
    interpreter = lane.interpreter
    value = settle(interpreter.functions[interpreter.main].result)
    handed_on = handing_on(interpreter)
    found = set()
    for name, function in interpreter.functions.items():
        others = [settle(kind) for at, kind in enumerate(function.types) if at != function.subject]
        alone = len(others) == 1 and isinstance(others[0], Con) and others[0].name == "Env"
        if function.subject is None or not alone or name in handed_on:
            continue
        if function.judgement is not None and settle(function.result) == value:
            found.add(name)
    return frozenset(found)
