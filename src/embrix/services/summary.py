"""What a course holds."""

from __future__ import annotations

import re
from pathlib import Path

from embrix.brix.core import Language
from embrix.checking.diagnostics import note_of
from embrix.course.load import Course
from embrix.course.needed_files import Unread
from embrix.documents.skeleton import STRATEGIES
from embrix.lanes.session import Session
from embrix.messages.replies import ChoiceSummary, CourseSummary, LaneSummary, LanguageSummary
from embrix.text.source import Unreadable, read_source
from embrix.text.toml_places import key_place


def summary(session: Session) -> CourseSummary:
    """Languages, lanes, programs, suites and what is wrong."""
    course = session.course
    return CourseSummary(
        title=course.title,
        about=course.about,
        folder=str(course.folder),
        languages={
            **{name: _language(session, one) for name, one in course.languages.items()},
            **{one.name: _unread(course, one) for one in course.unread},
        },
        suites={str(path): _language_of_suite(path) for path in course.suites},
        wrong=[note_of(finding) for finding in course.wrong],
        lessons=[str(path) for path in course.lessons],
        strategies=STRATEGIES,
        whole=course.whole,
    )


def _language(session: Session, language: Language) -> LanguageSummary:
    course = session.course
    lanes = course.interpreters.get(language.name, {})
    return LanguageSummary(
        doc=language.doc,
        extension=language.extension,
        usable=language.grammar is not None or not language.syntax.grammars,
        starts=list(language.grammar.starts) if language.grammar else [],
        rules=list(language.grammar.entry) if language.grammar else [],
        file=language.source.name,
        lanes=[
            LaneSummary(
                name, lane.doc, lane.steps is not None,
                {
                    choice.name: ChoiceSummary(choice.alternatives, choice.default)
                    for choice in lane.choices.values()
                },
                course.faulty.get(language.name, {}).get(name, 0),
            )
            for name, lane in lanes.items()
        ],
        broken=list(course.broken.get(language.name, ())),
        outside=[lane.name for lane in session.outside(language.name)],
        not_allowed=session.not_allowed(language.name),
        programs=[str(path) for path in course.programs.get(language.name, ())],
    )  # fmt: skip


def _unread(course: Course, language: Unread) -> LanguageSummary:
    programs = [str(path) for path in language.programs]
    file = language.file.relative_to(course.folder).as_posix()
    return LanguageSummary(
        "", language.extension, True, [], [], file, [], [], [], [], programs, read=False
    )


def _language_of_suite(path: Path) -> str:
    """The language that a suite says it is for; nothing where it says none."""
    try:
        text = read_source(path).text
    except Unreadable:
        return ""
    at = key_place(text, "language")
    found = re.match(r"""language["']?\s*=\s*["']([^"']*)["']""", text[max(0, at) :])
    return found.group(1) if found else ""
