"""One program on several lanes: how each ends and what it costs, where two of them part, which
parts of the program they evaluate how often."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from embrix.compare.direct import handing_on
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result
from embrix.machine.recorder import NOT_LEFT
from embrix.terms.node import Place, nodes_of
from embrix.text.source import Source
from embrix.text.visible import cut, times, visible
from embrix.trace.walk import Walk

LIMITS = Limits(output=100_000, events=200_000)
ENDLESS = 20_000
"""Calls of a run without end that are compared with those of other lanes."""
MOST_PARTED = 3
"""Parts of a program in which two lanes differ that are shown."""
LONGEST = 40


class Evaluation(Struct, frozen=True):
    """A judgement about a part of the program: where that stands, what it gave (None where it did
    not come to anything), the step at which it was entered."""

    place: Place
    result: str | None
    step: int
    left: int = 0
    """The step at which it was left; behind all others when it was not."""
    own: bool = True
    """Whether the result is what the part itself gives: its function does not hand it on (as in a
    machine, or to a continuation), and the part stands in the program (no clause made it)."""
    made: bool = False
    """Whether a clause made the term, which only took over the place: no form of this kind is
    written there."""

    @property
    def part(self) -> tuple[Place, bool]:
        """What is evaluated: a part of the program, or a term that was made from it."""
        return self.place, self.made


class Side(Struct, frozen=True):
    """One lane."""

    lane: str
    result: Result
    style: str
    evaluations: tuple[Evaluation, ...]
    length: int = 0

    @property
    def evaluated(self) -> Counter[Place]:
        """How often each part of the program was evaluated."""
        return Counter(evaluation.place for evaluation in self.evaluations if not evaluation.made)


class Parted(Struct, frozen=True):
    """Where two lanes part company, in a sentence, with the step of each."""

    first: str
    second: str
    sentence: str
    steps: tuple[int, int]
    more: tuple[str, ...] = ()
    """Further differences that the traces show."""


def side(
    lane: Lane, program: str, given: Mapping[str, str] | None = None,
    lines: Sequence[str] = (), limits: Limits = LIMITS,
) -> Side:  # fmt: skip
    """A lane's run of a program with its record. Raises `BadBinding`."""
    counted = lane.run(program, given, limits=limits, given_input=lines)
    if not lane.records:
        return Side(lane.name, counted, "none", (), 0)
    if counted.outcome.kind == "out of fuel":
        limits = replace(limits, calls=min(limits.calls, ENDLESS))
    traced = lane.trace(program, given, limits=limits, given_input=lines)
    walk = Walk(lane, traced)
    evaluations: list[Evaluation] = []
    if walk.style == "judgements" and traced.term is not None:
        recorder = traced.recorder
        written: set[int] = set()
        forms: set[tuple[Place | None, int]] = set()
        for node in nodes_of(traced.term):
            written.add(id(node))
            forms.add((node[1], node[0]))
        handed_on = handing_on(lane.interpreter)
        unfinished: dict[int, int] = {}
        for step, event in enumerate(recorder.events):
            if event < 0:
                at = unfinished.pop(~event, None)
                if at is not None:
                    evaluations[at] = replace(evaluations[at], left=step)
                continue
            function = walk.function_of(event)
            subject = walk.subject(event)
            if subject is None or subject[1] is None or function.judgement is None:
                continue
            shown = None
            if recorder.results[event] is not NOT_LEFT:
                shown = cut(walk.result_of(event), LONGEST)
            unfinished[event] = len(evaluations)
            own = id(subject) in written and function.name not in handed_on
            made = (subject[1], subject[0]) not in forms
            evaluations.append(Evaluation(subject[1], shown, step, len(recorder.events), own, made))
    return Side(lane.name, counted, walk.style, tuple(evaluations), len(walk))


def parted(program: str, one: Side, other: Side) -> Parted:
    """Where two lanes part company, and what else tells them apart."""
    more = list(_repeated(program, one, other))
    ends = f"{one.lane} ends with {_end(one)}, {other.lane} with {_end(other)}"
    if (
        one.style != other.style
        or one.style != "judgements"
        or not (one.evaluations and other.evaluations)
    ):
        same = ends
        if _end(one) == _end(other):
            text = _besides(one, other)
            same = f"both end with {_end(one)}" + (f"; {text}" if text else "")
        return Parted(one.lane, other.lane, same, (0, 0), tuple(more))
    innermost = None
    for left, right in zip(one.evaluations, other.evaluations, strict=False):
        if innermost is not None and innermost[0].left < left.step:
            break
        if left.part != right.part:
            sentence = (
                f"{one.lane} goes on with {_named(program, left)}, "
                f"{other.lane} with {_named(program, right)}"
            )
            steps = (left.step, right.step)
            more = [*_first_result(program, one, other), *more]
            return Parted(one.lane, other.lane, sentence, steps, tuple(more))
        differ = left.result != right.result and left.own and right.own
        if differ and (innermost is None or left.left <= innermost[0].left):
            innermost = left, right
    if innermost is not None:
        left, right = innermost
        sentence = (
            f"{_named(program, left)} gives {_given(left, one)} in {one.lane}, "
            f"{_given(right, other)} in {other.lane}"
        )
        return Parted(one.lane, other.lane, sentence, (left.step, right.step), tuple(more))
    if len(one.evaluations) != len(other.evaluations):
        longer, shorter = (
            (one, other) if len(one.evaluations) > len(other.evaluations) else (other, one)
        )
        extra = longer.evaluations[len(shorter.evaluations)]
        going = f"{longer.lane} goes on with {_named(program, extra)}"
        sentence = f"{going}, where {shorter.lane} is done"
        steps = (extra.step, extra.step)
        return Parted(one.lane, other.lane, sentence, steps, tuple(more))
    complete = all(evaluation.own for evaluation in (*one.evaluations, *other.evaluations))
    ending = "with the same results" if complete else "and end alike"
    same = f"they evaluate the same parts in the same order, {ending}"
    text = _besides(one, other)
    same = f"{same}; {text}" if text else same
    return Parted(one.lane, other.lane, same if _end(one) == _end(other) else ends, (0, 0),
                  tuple(more))  # fmt: skip


def _besides(one: Side, other: Side) -> str:
    """What tells two runs apart that go the same way: what they write, or hold at the end."""
    written = ["".join(side.result.output) for side in (one, other)]
    if written[0] != written[1]:
        first, second = (visible(text) or "nothing" for text in written)
        return f"{one.lane} writes {first}, {other.lane} {second}"
    held = [", ".join(side.result.state) for side in (one, other)]
    if all(held) and held[0] != held[1]:
        return f"at the end {one.lane} holds {held[0]}, {other.lane} {held[1]}"
    return ""


def _first_result(program: str, one: Side, other: Side) -> list[str]:
    """The first part that both evaluate to different results."""
    theirs: dict[tuple[Place, bool], Evaluation] = {}
    for evaluation in other.evaluations:
        theirs.setdefault(evaluation.part, evaluation)
    for evaluation in one.evaluations:
        match = theirs.get(evaluation.part)
        own = match is not None and evaluation.own and match.own
        if match is not None and own and match.result != evaluation.result:
            return [f"{_named(program, evaluation)} gives {_given(evaluation, one)} in {one.lane}, "
                    f"{_given(match, other)} in {other.lane}"]  # fmt: skip
    return []


def _repeated(program: str, one: Side, other: Side) -> list[str]:
    """The largest parts that one lane evaluates more often than the other."""
    if one.style != "judgements" or other.style != "judgements":
        return []
    left, right = one.evaluated, other.evaluated
    places = sorted(
        (place for place in set(left) | set(right) if left[place] != right[place]),
        key=lambda place: (-abs(left[place] - right[place]), place[0] - place[1]),
    )
    rows: list[str] = []
    taken: list[Place] = []
    for place in places:
        if any(a <= place[0] and place[1] <= b for a, b in taken):
            continue
        taken.append(place)
        rows.append(
            f"{one.lane} evaluates {_part(program, place)} {times(left[place])}, "
            f"{other.lane} {times(right[place])}"
        )
        if len(rows) == MOST_PARTED:
            break
    return rows


def _given(evaluation: Evaluation, side: Side) -> str:
    """What a part gives on a lane, or what the lane ended with before it gave anything."""
    if evaluation.result is not None:
        return evaluation.result
    ended = side.result.outcome
    return "nothing" if ended.kind == "value" else f"nothing ({cut(ended.sentence, LONGEST)})"


def _named(program: str, evaluation: Evaluation) -> str:
    part = _part(program, evaluation.place)
    return f"a term made from {part}" if evaluation.made else part


def _end(side: Side) -> str:
    return side.result.outcome.sentence


def _part(program: str, place: Place) -> str:
    line, column = Source("", program).position(place[0])
    text = cut(" ".join(program[place[0] : place[1]].split()), LONGEST)
    return f"`{text}` ({line}:{column})"
