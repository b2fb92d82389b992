"""Holding a case against a lane."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, TypeAlias

from msgspec import Struct
from msgspec.structs import replace

from embrix.grammar.parser import Parsed
from embrix.machine.lane import BadBinding, Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Outcome, Result
from embrix.machine.run import FEW
from embrix.machine.unit import Variant
from embrix.suite.all_ways import SEVERAL, missed
from embrix.suite.cases import Case, Expectation, Steps
from embrix.suite.expected_steps import Alike, parting, reads_like
from embrix.terms.binding import alike
from embrix.text.source import Source
from embrix.text.visible import visible
from embrix.text.way_numbers import ways_text
from embrix.trace.walk import Walk

State: TypeAlias = Literal["passed", "failed", "left out"]

What: TypeAlias = Literal["", "outcome", "output", "state", "costs", "tokens", "term", "steps"]


class Verdict(Struct, frozen=True):
    """How a case came out on a lane. `expected` and `actual` are sentences for people, `what` is
    what they are about; for steps they tell of the first that differs, and `step` is where it
    stands in the walk."""

    case: str
    lane: str
    state: State
    expected: str = ""
    actual: str = ""
    what: What = ""
    step: int = -1
    spent: int = 0
    """The calls that the run made, where one run was looked at."""
    cut: bool = False
    """Whether that run came to the number of calls that it was allowed."""


class _Miss(Struct, frozen=True):
    what: What
    expected: str
    actual: str
    step: int = -1


def check_case(case: Case, lane: Lane, limits: Limits | None = None) -> Verdict:
    """Run one case on one lane. A case that does not speak of the lane is left out."""
    if not case.applies_to(lane.role):
        return Verdict(case.name, lane.name, "left out")
    runs: list[Result] = []
    try:
        found = next(_misses(case, lane, limits or Limits(), runs), None)
    except BadBinding as bad:
        expected = case.expectation_for(lane.role)
        wanted = expected.sentence if expected else "steps"
        return Verdict(case.name, lane.name, "failed", wanted, str(bad), "outcome")
    spent, cut = 0, False
    if runs:
        spent, cut = runs[0].spent, runs[0].outcome.name == "calls"
    if found is None:
        return Verdict(case.name, lane.name, "passed", spent=spent)
    return Verdict(
        case.name, lane.name, "failed", found.expected, found.actual, found.what, found.step,
        spent, cut,
    )  # fmt: skip


def run_case(case: Case, lane: Lane, limits: Limits | None = None) -> Result:
    """The run that a case asks for, counted when its costs matter. Raises `BadBinding`."""
    expected = case.expectation_for(lane.role)
    endless = expected is not None and expected.kind == "diverges"
    if endless and expected is not None:
        limits = replace(limits or Limits(), calls=int(expected.text))

    def carried_out(variant: Variant) -> Result:
        return lane.run(
            case.program, case.given, limits=limits, given_input=case.input, variant=variant,
            few=FEW,
        )  # fmt: skip

    if case.costs_for(lane.role):
        return carried_out("counted")
    result = carried_out("plain")
    if endless and result.outcome.name == "depth":
        return carried_out("counted")  # which finds out whether steps come back to a term
    return result


def _misses(case: Case, lane: Lane, limits: Limits, runs: list[Result]) -> Iterator[_Miss]:
    """What is not as it should be, in the order in which it happens. A run that is looked at is
    added to the `runs`."""
    yield from _reading(case, lane)
    expected, output = case.expectation_for(lane.role), case.output_for(lane.role)
    state, bounds = case.state_for(lane.role), case.costs_for(lane.role)
    several = expected is not None and expected.kind in SEVERAL
    if expected is None and output is None and state is None and not bounds:
        pass  # nothing is said of how it ends
    elif several or (lane.records and lane.several):
        yield from _all_ways(case, lane, limits)
    else:
        runs.append(run_case(case, lane, limits))
        yield from _run_misses(case, lane, runs[0])
    if lane.role in case.steps:
        yield from _steps(case, lane, case.steps[lane.role], limits)


def _all_ways(case: Case, lane: Lane, limits: Limits | None) -> Iterator[_Miss]:
    """What is not as it should be, whichever ways a program takes. A case that names one outcome
    says that there is no other."""
    explored = lane.explore(case.program, case.given, given_input=case.input)
    expected = case.expectation_for(lane.role)
    if expected is not None and expected.kind in SEVERAL:
        for wanted, came in missed(expected, explored):
            yield _Miss("outcome", wanted, came)
        expected = Expectation("accepted", "")
    elif expected is not None and expected.kind == "diverges":
        if not explored.endless:
            yield _Miss("outcome", expected.sentence, "every run ends")
        return
    elif expected is not None and expected.kind in ("accepted", "rejected"):
        pass  # that is said of the text, however its runs end
    elif explored.endless or not explored.whole:
        wanted = expected.sentence if expected is not None else "an end without failure"
        came = "some run never ends" if explored.endless else "not all runs could be tried"
        yield _Miss("outcome", wanted, came)
    one = replace(case, expected=expected, instead={})
    for found in explored.outcomes:
        if found.outcome.kind == "out of fuel":
            continue
        result = Result(found.outcome, found.output, {}, found.left)
        ways = ways_text(found.ways)
        for miss in _run_misses(replace(one, costs={}), lane, result):
            yield replace(miss, actual=f"{miss.actual}, by the ways {ways}") if ways else miss
    if case.costs_for(lane.role):
        yield from _bounds(case, lane, run_case(case, lane, limits))


def _run_misses(case: Case, lane: Lane, result: Result) -> Iterator[_Miss]:
    """What is not as it should be in a run."""
    expected, output = case.expectation_for(lane.role), case.output_for(lane.role)
    state = case.state_for(lane.role)
    outcome, written = result.outcome, "".join(result.output)
    misses: list[_Miss] = []
    if output is not None and written != output:
        text = f"output {visible(written)}" if written else "no output: nothing was emitted"
        misses.append(_Miss("output", f"output {visible(output)}", text))
    if expected is None and outcome.kind != "value":
        text = describe(outcome, case.program, place=True)
        misses.append(_Miss("outcome", "an end without failure", text))
    if expected is not None and not fits(expected, outcome, case.program):
        text = describe(outcome, case.program, place=expected.at is not None,
                        says=bool(expected.says))  # fmt: skip
        if expected.kind == "value" and outcome.structure and expected.text.endswith(")"):
            text = outcome.structure
        misses.append(_Miss("outcome", expected.sentence, text))
    # Where the run has ended too early, that is why output is missing.
    early = outcome.kind != "value" and output is not None and output.startswith(written)
    yield from reversed(misses) if early else misses
    found = ", ".join(result.state) if state is not None else ""
    if state is not None and found != ", ".join(state):
        found = found or "none"
        yield _Miss("state", f"state {', '.join(state)}", f"state {visible(found)}")
    yield from _bounds(case, lane, result)


def _bounds(case: Case, lane: Lane, result: Result) -> Iterator[_Miss]:
    for bound in case.costs_for(lane.role):
        count = result.costs.get(bound.cost, 0)
        if not bound.holds(count):
            yield _Miss("costs", bound.sentence, f"{bound.cost} {count:,}")


def _reading(case: Case, lane: Lane) -> Iterator[_Miss]:
    """How the program is read."""
    if case.tokens is None and not case.term:
        return
    grammar = lane.interpreter.language.grammar
    if case.tokens is not None and grammar is not None:
        found = tuple(token_texts(lane, case.program))
        for number in range(max(len(found), len(case.tokens))):
            wanted = case.tokens[number] if number < len(case.tokens) else "no further token"
            came = found[number] if number < len(found) else "no further token"
            if wanted not in (came, came.partition(" ")[0], came.partition(" ")[2]):
                which = f"token {number + 1}: "
                yield _Miss("tokens", which + wanted, which + visible(came))
                break
    if case.term:
        parsed = lane.parser.parse(case.program)
        came = "a program that is refused"
        if isinstance(parsed, Parsed):
            came = lane.machine.display.structure(parsed.term)
        wanted = "".join(case.term.split())
        # A text in a term may stand in quotes, as it does in a definition.
        if "".join(came.split()) not in (wanted, wanted.replace('"', "")):
            yield _Miss("term", f"term {case.term}", f"term {came}")


def token_texts(lane: Lane, program: str) -> Iterator[str]:
    """The tokens of a program: kind and text, a literal by its text alone."""
    grammar = lane.interpreter.language.grammar
    assert grammar is not None
    for token in grammar.tokens.cut(program).tokens:
        kind = grammar.tokens.kind_of(token.terminal)
        text = program[token.start : token.end]
        yield f"{kind.name} {text}" if kind is not None else text


def fits(expected: Expectation, outcome: Outcome, program: str) -> bool:
    """Whether an outcome is the expected one."""
    if expected.at is not None:
        if outcome.place is None:
            return False
        if Source("", program).position(outcome.place[0]) != expected.at:
            return False
    if expected.kind in ("value", "shows"):
        built = expected.kind == "value" and outcome.structure == expected.text
        return outcome.kind == "value" and (built or outcome.text == expected.text)
    if expected.kind == "error":
        said = not expected.says or outcome.text == expected.says
        return outcome.kind == "failure" and outcome.name == expected.text and said
    if expected.kind == "accepted":
        return outcome.kind not in ("rejected", "ambiguous", "gave up")
    if expected.kind == "diverges":
        return outcome.kind == "cycle" or (outcome.kind, outcome.name) == ("out of fuel", "calls")
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


def steps_of(
    case: Case, lane: Lane, wanted: Steps, limits: Limits | None = None
) -> list[tuple[int, str]]:
    """What happened, as far as the steps of a case look at it: the number of each step and its
    line. Raises `BadBinding`."""
    traced = lane.trace(case.program, case.given, limits=limits, given_input=case.input)
    walk = Walk(lane, traced)
    return walk.numbered(
        only=frozenset(wanted.only), deep=wanted.deep,
        begins=(lambda line: reads_like(wanted.under, line)) if wanted.under else None,
    )  # fmt: skip


def _steps(case: Case, lane: Lane, wanted: Steps, limits: Limits | None) -> Iterator[_Miss]:
    found = steps_of(case, lane, wanted, limits)
    if wanted.under and not found:
        yield _Miss("steps", f"a step that begins with {wanted.under}", "none does")
        return
    same = _renamed(lane) if wanted.renaming else reads_like
    parted = parting(wanted.lines, [line for _, line in found], same)
    if parted is None:
        return
    number = parted.number
    step = found[min(number, len(found) - 1)][0] if found else 0
    yield _Miss("steps", f"step {number}: {parted.expected}", f"step {number}: {parted.actual}",
                step)  # fmt: skip


def _renamed(lane: Lane) -> Alike:
    """Lines that are the same term up to the names that it binds."""
    signature = lane.interpreter.language.signature

    def same(wanted: str, found: str) -> bool:
        if reads_like(wanted, found):
            return True
        left, right = lane.parser.parse(wanted), lane.parser.parse(found)
        if not isinstance(left, Parsed) or not isinstance(right, Parsed):
            return False
        return alike(signature, left.term, right.term)

    return same


def translated(case: Case, own: Lane, other: Lane) -> Case | None:
    """A case with its program written in another grammar of the language; None when the program
    cannot be read. Places, tokens and steps belong to the text as it was, and are not looked at."""
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
        steps={}, tokens=None,
    )  # fmt: skip
