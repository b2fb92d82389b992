"""Whether a lesson can be given: every stop is there, every answer is what the run gives."""

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
from embrix.text.diagnostic import Findings
from embrix.text.visible import visible
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


def check_lesson(session: Session, lesson: Lesson, findings: Findings) -> None:
    """Report what of a lesson is not as it says; nothing of a language with errors of its own."""
    if not session.course.languages[lesson.language].sound:
        return
    unread: set[str] = set()
    for stop in lesson.stops:
        try:
            _check_stop(session, lesson, stop, findings, unread)
        except BadBinding as bad:
            findings.error("bad_lesson", str(bad), lesson.source, stop.span)
        except NoLane:
            continue  # why it cannot run is reported where it is defined


def _check_stop(
    session: Session, lesson: Lesson, stop: LessonStop, findings: Findings, unread: set[str]
) -> None:
    """`unread` has the programs that have been reported as unreadable: that is said once."""
    played = play(session, lesson, stop)
    refused = next(
        (one.outcome for one in played.results.values()
         if one.outcome.kind in ("rejected", "ambiguous", "gave up")), None,
    )  # fmt: skip
    if refused is not None:
        broken = any(one.severity == "error" and one.source.name.endswith(".brix")
                     for one in session.course.read)  # fmt: skip
        if stop.program in unread or broken:
            return  # it follows from what is wrong in a definition, or has been said
        unread.add(stop.program)
        findings.error(
            "bad_lesson", f"the program of the stop “{stop.name}” cannot be read: {refused.text}",
            lesson.source, stop.span,
        )  # fmt: skip
        return
    # What is still to be written, or wrong, is reported where it stands.
    open_ = {lane for lane, one in played.results.items() if one.outcome.kind == "unfinished"}
    if not played.there and stop.where is not None and stop.lanes[0] not in open_:
        last = len(played.walk) - 1 if played.walk is not None else 0
        findings.error(
            "lost_stop", f"the stop “{stop.name}” is nowhere: this does not happen on "
            f"{stop.lanes[0]}: {stop.where.sentence}", lesson.source, stop.span,
            f"the nearest is step {played.number:,} of {last:,}",
        )  # fmt: skip
    for lane, result in played.results.items():
        wanted = stop.answers.get(lane, stop.answers.get(""))
        if wanted is not None and lane not in open_ and not is_answer(wanted, result):
            findings.error(
                "wrong_answer", f"the answer of the stop “{stop.name}” on {lane} is {wanted}, but "
                f"it gives {visible(answer_of(result))}", lesson.source, stop.span,
            )  # fmt: skip
    for lane in stop.answers:
        if lane and lane not in stop.lanes:
            findings.error(
                "wrong_answer", f"the stop “{stop.name}” has an answer of {lane}, which does not "
                "run there", lesson.source, stop.span,
            )  # fmt: skip
