"""What is wrong with a stop of a lesson.

A stop is carried out once: where it and the definitions of its lanes say the same, the same comes
of it in every later process.
"""

from __future__ import annotations

from functools import partial

from msgspec import Struct
from msgspec.structs import replace

from embrix.course.checked import MEMORY
from embrix.lanes.session import Session
from embrix.lessons.lesson import Lesson, LessonStop
from embrix.lessons.playing import LIMITS, answer_of, is_answer, play
from embrix.machine.lane import BadBinding, Lane
from embrix.text.digests import makers
from embrix.text.found_again import found_again
from embrix.text.source import Span
from embrix.text.visible import visible

MAKERS = (
    "brix", "course", "grammar", "lanes", "lessons", "machine", "suite", "terms", "text", "trace",
)  # fmt: skip
"""The packages that have a say in what comes of a stop."""

_NOWHERE = Span(0, 0)


class StopReport(Struct, frozen=True):
    """What is wrong with a stop: errors by code, sentence and hint; `unread` is why its program
    cannot be read, and then there is nothing else."""

    unread: str = ""
    errors: tuple[tuple[str, str, str], ...] = ()


def report_on_stop(session: Session, lesson: Lesson, stop: LessonStop) -> StopReport:
    """What is wrong with a stop, found in this process or in another one. Raises `NoLane`."""
    lanes = [session.lane(lesson.language, name) for name in stop.lanes]
    interpreters = [lane.interpreter for lane in lanes]
    said = repr(replace(stop, span=_NOWHERE))
    names = tuple((one.lane, one.language.chosen or "") for one in interpreters)
    clauses = _texts(lanes[0]) if stop.where and stop.where.happening == "applies" else ()
    meanings = tuple(one.meaning for one in interpreters)
    carry_out = partial(_report, session, lesson, stop)
    rests_on = (*(one.digest() for one in meanings), names, said, clauses, repr(LIMITS),
                makers(MAKERS))  # fmt: skip
    report, _ = MEMORY.recall(
        ("stop", lesson.language, names, said, clauses), meanings,
        lambda _: found_again("stops", rests_on, StopReport, carry_out),
    )  # fmt: skip
    return report


def _texts(lane: Lane) -> tuple[str, ...]:
    """The texts in which the clauses of a lane stand: a stop may mean one of them by its text,
    which has more to it than what it says."""
    functions = lane.interpreter.functions.values()
    return tuple(sorted({one.span.source.text for one in functions if one.span.source}))


def _report(session: Session, lesson: Lesson, stop: LessonStop) -> StopReport:
    try:
        played = play(session, lesson, stop)
    except BadBinding as bad:
        return StopReport(errors=(("bad_lesson", str(bad), ""),))
    for one in played.results.values():
        if one.outcome.kind in ("rejected", "ambiguous", "gave up"):
            return StopReport(unread=one.outcome.text)
    errors: list[tuple[str, str, str]] = []
    # What is still to be written, or wrong, is reported where it stands.
    open_ = {lane for lane, one in played.results.items() if one.outcome.kind == "unfinished"}
    if not played.there and stop.where is not None and stop.lanes[0] not in open_:
        last = len(played.walk) - 1 if played.walk is not None else 0
        errors.append((
            "lost_stop", f"the stop “{stop.name}” is nowhere: this does not happen on "
            f"{stop.lanes[0]}: {stop.where.sentence}",
            f"the nearest is step {played.number:,} of {last:,}",
        ))  # fmt: skip
    for lane, result in played.results.items():
        wanted = stop.answers.get(lane, stop.answers.get(""))
        if wanted is not None and lane not in open_ and not is_answer(wanted, result):
            errors.append((
                "wrong_answer", f"the answer of the stop “{stop.name}” on {lane} is {wanted}, but "
                f"it gives {visible(answer_of(result))}", "",
            ))  # fmt: skip
    errors += [
        ("wrong_answer", f"the stop “{stop.name}” has an answer of {lane}, which does not run "
         "there", "")
        for lane in stop.answers if lane and lane not in stop.lanes
    ]  # fmt: skip
    return StopReport(errors=tuple(errors))
