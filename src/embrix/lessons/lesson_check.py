"""Whether a lesson can be given: every stop is there, every answer is what the run gives."""

from __future__ import annotations

from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.lessons.lesson import Lesson
from embrix.lessons.stop_reports import report_on_stop
from embrix.text.diagnostic import Findings


def check_lesson(session: Session, lesson: Lesson, findings: Findings) -> None:
    """Report what of a lesson is not as it says; nothing of a language with errors of its own."""
    if not session.course.languages[lesson.language].sound:
        return
    unread: set[str] = set()
    for stop in lesson.stops:
        try:
            report = report_on_stop(session, lesson, stop)
        except NoLane:
            continue  # why it cannot run is reported where it is defined
        if report.unread:
            broken = any(one.severity == "error" and one.source.name.endswith(".brix")
                         for one in session.course.read)  # fmt: skip
            if stop.program in unread or broken:
                continue  # it follows from what is wrong in a definition, or has been said
            unread.add(stop.program)
            text = f"the program of the stop “{stop.name}” cannot be read: {report.unread}"
            findings.error("bad_lesson", text, lesson.source, stop.span)
        for code, text, hint in report.errors:
            findings.error(code, text, lesson.source, stop.span, hint)
