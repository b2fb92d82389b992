"""Holding a case against a lane."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal, TypeAlias

from embrix.grammar.parser import Parsed
from embrix.machine.lane import BadBinding, Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Outcome
from embrix.suite.model import Case, Expectation
from embrix.text.source import Source
from embrix.text.visible import visible
from embrix.trace.walk import Walk

State: TypeAlias = Literal["passed", "failed", "left out"]


@dataclass(frozen=True, slots=True)
class Verdict:
    """How a case came out on a lane. `expected` and `actual` are sentences for people; for steps
    they tell of the first step that differs."""

    case: str
    lane: str
    state: State
    expected: str = ""
    actual: str = ""


def check_case(case: Case, lane: Lane, limits: Limits | None = None) -> Verdict:
    """Run one case on one lane. A case that does not speak of the lane is left out."""
    if not case.applies_to(lane.name):
        return Verdict(case.name, lane.name, "left out")
    expected = case.expectation_for(lane.name)
    output = case.output_for(lane.name)
    try:
        if expected is not None or output is not None:
            result = lane.run(
                case.program, case.given, limits=limits, variant="plain", given_input=case.input
            )
            outcome = result.outcome
            written = "".join(result.output)
            if output is not None and written != output:
                return Verdict(
                    case.name, lane.name, "failed", f"output {visible(output)}",
                    f"output {visible(written)}" if written else "no output: nothing was emitted",
                )  # fmt: skip
            if expected is None and outcome.kind != "value":
                return Verdict(
                    case.name, lane.name, "failed", "an end without failure",
                    describe(outcome, case.program, place=True),
                )  # fmt: skip
            if expected is not None and not fits(expected, outcome, case.program):
                return Verdict(
                    case.name, lane.name, "failed", expected.sentence,
                    describe(outcome, case.program, place=expected.at is not None,
                             says=bool(expected.says)),
                )  # fmt: skip
        if lane.name in case.steps:
            return _steps(case, lane, limits)
    except BadBinding as bad:
        wanted = expected.sentence if expected else "steps"
        return Verdict(case.name, lane.name, "failed", wanted, str(bad))
    return Verdict(case.name, lane.name, "passed")


def fits(expected: Expectation, outcome: Outcome, program: str) -> bool:
    """Whether an outcome is the expected one."""
    if expected.at is not None:
        if outcome.place is None:
            return False
        if Source("", program).position(outcome.place[0]) != expected.at:
            return False
    if expected.kind == "value":
        return outcome.kind == "value" and outcome.text == expected.text
    if expected.kind == "error":
        said = not expected.says or outcome.text == expected.says
        return outcome.kind == "failure" and outcome.name == expected.text and said
    if expected.kind == "accepted":
        return outcome.kind not in ("rejected", "ambiguous", "gave up")
    return outcome.kind == "rejected" and outcome.name == expected.text


def describe(outcome: Outcome, program: str, *, place: bool, says: bool = False) -> str:
    """What came, worded like what was expected."""
    text = outcome.text
    if outcome.kind == "failure":
        text = f"error {outcome.name}" + (f" “{outcome.text}”" if says else "")
    elif outcome.kind == "rejected":
        text = f"rejected by the {outcome.name}: {outcome.text}"
    elif outcome.kind != "value":
        text = outcome.sentence
    if place and outcome.place is not None:
        line, column = Source("", program).position(outcome.place[0])
        text += f" at {line}:{column}"
    return text


def _steps(case: Case, lane: Lane, limits: Limits | None) -> Verdict:
    wanted = case.steps[lane.name]
    found = Walk(
        lane, lane.trace(case.program, case.given, limits=limits, given_input=case.input)
    ).lines()
    for number in range(max(len(wanted), len(found))):
        left = wanted[number] if number < len(wanted) else "no further step"
        right = found[number] if number < len(found) else "no further step"
        if left != right:
            return Verdict(
                case.name, lane.name, "failed", f"step {number}: {left}", f"step {number}: {right}"
            )
    return Verdict(case.name, lane.name, "passed")


def translated(case: Case, own: Lane, other: Lane) -> Case | None:
    """A case with its program written in another grammar of the language; None when the program
    cannot be read. Places and steps belong to the text as it was, and are not looked at."""
    printer = other.machine.printer
    if printer is None:
        return None

    def across(text: str) -> str | None:
        parsed = own.parser.parse(text)
        return printer.show(parsed.term).text if isinstance(parsed, Parsed) else None

    program = across(case.program)
    given = {name: across(text) for name, text in case.given.items()}
    if program is None or None in given.values():
        return None

    def unplaced(expected: Expectation | None) -> Expectation | None:
        return replace(expected, at=None) if expected is not None else None

    instead = {lane: replace(expected, at=None) for lane, expected in case.instead.items()}
    names = {name: text for name, text in given.items() if text is not None}
    return replace(
        case, program=program, given=names, expected=unplaced(case.expected), instead=instead,
        steps={},
    )  # fmt: skip
