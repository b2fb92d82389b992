"""Carrying out the stops of a lesson."""

from __future__ import annotations

from msgspec import Struct

from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.lessons.lesson import Lesson, LessonStop
from embrix.lessons.where import found
from embrix.machine.lane import BadBinding, Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result
from embrix.suite.all_ways import is_written, word_of
from embrix.trace.walk import Walk

LIMITS = Limits(calls=400_000, depth=20_000, output=100_000, events=200_000)


class Played(Struct, frozen=True):
    """A stop as it is given: what each lane gives, the walk of the first, and where it stands.
    `there` is whether the step that is meant is there; otherwise `number` is the nearest."""

    stop: LessonStop
    results: dict[str, Result]
    walk: Walk | None
    number: int
    there: bool


def play(session: Session, lesson: Lesson, stop: LessonStop) -> Played:
    """Carry out a stop. Raises `BadBinding`, and `NoLane` where a lane cannot run."""
    results: dict[str, Result] = {}
    walk: Walk | None = None
    for name in stop.lanes:
        lane = session.lane(lesson.language, name)
        results[name] = lane.run(
            stop.program, stop.given, limits=LIMITS, variant="plain", given_input=stop.input,
            ways=stop.ways,
        )  # fmt: skip
        if walk is None:
            walk = _walk(lane, stop)
    number, there = found(walk, stop.where) if walk is not None else (0, stop.where is None)
    return Played(stop, results, walk, number, there)


def played_if_it_can_be(session: Session, lesson: Lesson, stop: LessonStop) -> tuple[Played, str]:
    """A stop carried out, or nothing of it where a lane cannot run or a name cannot be supplied;
    why not, unless checking the lesson tells it."""
    try:
        return play(session, lesson, stop), ""
    except BadBinding:
        return Played(stop, {}, None, 0, True), ""
    except NoLane as broken:
        return Played(stop, {}, None, 0, True), str(broken)


def _walk(lane: Lane, stop: LessonStop) -> Walk | None:
    traced = lane.trace(
        stop.program, stop.given, limits=LIMITS, given_input=stop.input, ways=stop.ways
    )
    return Walk(lane, traced) if traced.term is not None else None


def answer_of(result: Result) -> str:
    """What a lane gives, as a lesson writes it; of a program without a value what it writes, line
    by line."""
    lines = [line for line in "".join(result.output).split("\n") if line]
    if result.outcome.kind == "value" and result.outcome.text == "()" and lines:
        return ", ".join(lines)
    return word_of(result.outcome)


def is_answer(wanted: str, result: Result) -> bool:
    return wanted == answer_of(result) or is_written(wanted, result.outcome)
