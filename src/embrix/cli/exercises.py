"""Worksheets: a sheet with gaps, and its key in a file beside it."""

from __future__ import annotations

import argparse
from pathlib import Path

from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder, new_file
from embrix.documents.handout_files import ENDINGS
from embrix.documents.worksheet_files import key_beside, write_worksheet
from embrix.documents.worksheets import NoExercise, WorksheetWish
from embrix.draw.kinds import EXERCISES
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.lessons.lesson_reader import lesson_of
from embrix.machine.lane import BadBinding
from embrix.text.diagnostic import Findings
from embrix.text.plural import counted
from embrix.text.refusal import refusal
from embrix.text.source import Unreadable, read_source
from embrix.text.suggest import did_you_mean


def make_worksheet(arguments: argparse.Namespace) -> int:
    """Write a worksheet and its key."""
    kind = next((one for one in EXERCISES if one == arguments.kind), None)
    if kind is None:
        hint = did_you_mean(arguments.kind, EXERCISES, "there are: " + ", ".join(EXERCISES))
        raise Usage(f"there are no exercises called {arguments.kind}; {hint}")
    if not 1 <= arguments.gaps <= 200:
        raise Usage("--gaps is a number from 1 to 200")
    target: Path = arguments.to
    if target.suffix not in ENDINGS:
        raise Usage("the name of the file ends in .html, .pdf or .tex")
    key = key_beside(target)
    near = (arguments.lesson or next(iter(arguments.programs), None)) or None
    session = Session(course_folder(arguments.course, near.resolve().parent if near else None))
    language, programs = _programs(session, arguments)
    lanes = arguments.lanes or list(session.course.interpreters.get(language, {}))
    for path in (target, key):
        new_file(path, replace=arguments.replace)
    try:
        wish = WorksheetWish(kind, language, tuple(lanes), programs, arguments.gaps, arguments.seed)
        gaps = write_worksheet(session, wish, target)
    except (NoExercise, NoLane, BadBinding) as nothing:
        raise Usage(str(nothing)) from nothing
    except OSError as fault:
        raise Usage(f"{target} cannot be written: {refusal(fault)}") from fault
    if arguments.json:
        print_answer("worksheet", {"files": [str(target), str(key)]})
    else:
        print(f"written to {target}: {counted(gaps, 'gap')}")
        print(f"and the answers to {key}")
    return 0


def _programs(
    session: Session, arguments: argparse.Namespace
) -> tuple[str, tuple[tuple[str, str], ...]]:
    """The language, and the programs that are named or that a lesson shows."""
    course = session.course
    if arguments.lesson is not None:
        findings = Findings()
        lesson = lesson_of(session, arguments.lesson.resolve(), findings)
        if lesson is None:
            raise Usage(f"{arguments.lesson} is no lesson that can be read")
        named = {stop.program: Path(stop.file).name or stop.name for stop in lesson.stops}
        return lesson.language, tuple((name, text) for text, name in named.items())
    try:
        found = tuple((path.name, read_source(path).text) for path in arguments.programs)
    except Unreadable as fault:
        raise Usage(str(fault)) from fault
    language = arguments.language
    if language is None and arguments.programs:
        owner = course.language_of(arguments.programs[0])
        language = owner.name if owner is not None else None
    if language is None and len(course.languages) == 1:
        language = next(iter(course.languages))
    if language not in course.languages:
        known = ", ".join(course.languages)
        raise Usage(f"--language says which language is meant; there are: {known}")
    return language, found
