"""What a lesson would be with a stop more, or with its stops in another order."""

from __future__ import annotations

from pathlib import Path

from embrix.course.naming import plain_name
from embrix.lanes.session import Session
from embrix.lessons.changing import CannotChange, moved, where_of, with_stop
from embrix.lessons.lesson_reader import lesson_of
from embrix.lessons.playing import LIMITS
from embrix.machine.lane import BadBinding
from embrix.messages.replies_on_writing import TextChange
from embrix.messages.requests import AddStop, MoveStop
from embrix.text.diagnostic import Findings
from embrix.text.line_difference import difference
from embrix.trace.walk import Walk


def stop_added(session: Session, request: AddStop) -> TextChange:
    """A lesson with a step of a run as its last stop; a new one where there is no lesson yet."""
    path = Path(request.lesson)
    lane = session.lane(request.language, plain_name(request.lane))
    try:
        traced = lane.trace(
            request.text, request.given, limits=LIMITS, given_input=request.input,
            ways=request.ways,
        )  # fmt: skip
    except BadBinding as bad:
        return TextChange(str(bad))
    where = None
    if traced.term is not None:
        where = where_of(Walk(lane, traced), request.step, request.text)
    old = ""
    if path.exists():
        lesson = lesson_of(session, path, Findings())
        if lesson is None:
            return TextChange(f"{path.name} cannot be read: mend it first")
        if lesson.language != request.language:
            return TextChange(f"{path.name} is a lesson on {lesson.language}")
        old = lesson.source.text
    entries = {
        "name": request.name or (where.sentence if where is not None else "the beginning"),
        **_program(path, request), "lanes": [lane.name], "given": dict(request.given),
        "input": list(request.input), "ways": [way + 1 for way in request.ways],
    }  # fmt: skip
    head = old or f'title = "{path.name.partition(".")[0]}"\nlanguage = "{request.language}"\n'
    new = with_stop(head, entries, where)
    return TextChange("", old, new, list(difference(old, new, around=2)))


def _program(path: Path, request: AddStop) -> dict[str, str]:
    """The file of a program where it is saved as it stands, in the folder of the lesson; else its
    text."""
    file = Path(request.file) if request.file else None
    if file is not None and file.is_file() and file.read_text() == request.text:
        folder = path.parent.resolve()
        if folder in file.resolve().parents:
            return {"file": file.resolve().relative_to(folder).as_posix()}
    return {"program": request.text}


def stop_moved(session: Session, request: MoveStop) -> TextChange:
    """A lesson with a stop in another place."""
    lesson = lesson_of(session, Path(request.lesson), Findings())
    if lesson is None:
        return TextChange("the lesson cannot be read")
    try:
        new = moved(lesson, request.number, request.by)
    except CannotChange as wrong:
        return TextChange(str(wrong))
    old = lesson.source.text
    return TextChange("", old, new, list(difference(old, new, around=2)))
