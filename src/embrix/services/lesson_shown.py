"""A lesson as plain data, fit to be shown."""

from __future__ import annotations

from pathlib import Path

from embrix.documents.pictures import NoPicture
from embrix.documents.stop_pictures import stop_picture
from embrix.lanes.results import ending
from embrix.lanes.session import Session
from embrix.lessons.lesson import Lesson
from embrix.lessons.lesson_check import check_lesson
from embrix.lessons.lesson_reader import lesson_of
from embrix.lessons.playing import Played, played_if_it_can_be
from embrix.messages.replies_on_lessons import HeldHere, LessonShown, StopShown
from embrix.text.diagnostic import Findings
from embrix.text.visible import cut

LONGEST = 2_000
"""Characters of a text that is shown."""


def lesson_shown(session: Session, path: Path) -> LessonShown:
    """All stops of a lesson, carried out; what is wrong with it is reported as well."""
    findings = Findings()
    lesson = lesson_of(session, path, findings)
    stops: list[StopShown] = []
    unable = ""
    if lesson is not None:
        check_lesson(session, lesson, findings)
        for stop in lesson.stops:
            played, why = played_if_it_can_be(session, lesson, stop)
            unable = why or unable
            stops.append(_shown(session, lesson, played))
    wrong = [one.message for one in findings.sorted() if one.severity == "error"]
    wrong += [unable] if unable else []
    if lesson is None:
        return LessonShown(wrong=wrong)
    return LessonShown(lesson.title, lesson.language, lesson.about, stops, wrong)


def _shown(session: Session, lesson: Lesson, played: Played) -> StopShown:
    stop, walk = played.stop, played.walk
    lanes = []
    for lane, result in played.results.items():
        lines = [line for line in "".join(result.output).split("\n") if line]
        written = f"  ▤ {' ▤ '.join(lines)}" if lines else ""
        lanes.append((lane, cut(ending(result) + written, LONGEST)))
    shown = StopShown(
        stop.name, stop.program, stop.file, stop.lanes[0] if played.results else "", lanes,
        (0, 0), -1, 0, "", (0, 0), [], [], "", "", stop.notes, stop.question,
        list(stop.covered), dict(stop.given), list(stop.input), list(stop.ways),
    )  # fmt: skip
    grammar = session.course.languages[lesson.language].grammar
    if grammar is not None:
        shown.comments = grammar.tokens.cut(stop.program).comments(stop.program)
    if stop.shown != "walk" and played.results:
        shown.picture = _picture(session, lesson, played)
    if walk is None or not len(walk) or stop.where is None:
        return shown
    step = walk.step(played.number)
    shown.step, shown.length = played.number, len(walk)
    shown.text = cut(step.text, LONGEST)
    if step.focus is not None and step.focus.end <= len(shown.text):
        shown.focus = (step.focus.start, step.focus.end)
    shown.place = step.place or (0, 0)
    shown.names = [(one.name, cut(one.value, LONGEST)) for one in step.bindings
                   if not one.shadowed]  # fmt: skip
    shown.store = [HeldHere(one.location, cut(one.value, LONGEST), one.location in step.changed)
                   for one in step.store]  # fmt: skip
    clause = step.clause
    if clause is not None and clause.source is not None:
        shown.clause = clause.source.text[clause.start : clause.end]
    return shown


def _picture(session: Session, lesson: Lesson, played: Played) -> str:
    try:
        return stop_picture(session, lesson, played).text
    except NoPicture as nothing:
        return str(nothing)
