"""What goes out to students: handouts and starters."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

from embrix.cli.lessons import sound_lesson
from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder, new_file
from embrix.documents.handout import HandoutPart, Selection, handout
from embrix.documents.handout_files import ENDINGS, write_handout
from embrix.documents.lesson_handout import lesson_parts
from embrix.documents.pictures import NoPicture
from embrix.documents.starter import NoStarter, make_starter, write_files
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.text.plural import counted
from embrix.text.refusal import refusal
from embrix.text.source import Unreadable, read_source


def give_handout(arguments: argparse.Namespace) -> int:
    """Write the handout of a course, of some languages, of a selection, or of a lesson."""
    near = arguments.lesson.resolve().parent if arguments.lesson is not None else None
    session = Session(course_folder(arguments.course, near))
    languages = arguments.languages or list(session.course.languages)
    for language in languages:
        _language(session, language)
    target: Path = arguments.to
    if target.suffix not in ENDINGS[:2]:
        raise Usage("the name of the file ends in .html or .pdf")
    new_file(target, replace=arguments.replace)
    if len(languages) > 1 and (arguments.lanes or arguments.programs):
        raise Usage("lanes and programs are those of one language: name it with --language")
    if arguments.at and not (arguments.programs and arguments.lanes):
        raise Usage("--at marks steps of a run: --program and --with say of which")
    if arguments.lesson is not None:
        return _write(arguments, _of_lesson(session, arguments.lesson))
    try:
        notes = read_source(arguments.notes).text if arguments.notes is not None else ""
        programs = tuple((path.name, read_source(path).text) for path in arguments.programs)
        chosen = Selection(
            tuple(languages), tuple(arguments.lanes or ()), programs or None,
            tuple(arguments.at), tuple(arguments.tags), notes,
            written=arguments.grammar_as == "text",
        )  # fmt: skip
        parts = handout(session, chosen)
    except (Unreadable, NoPicture) as nothing:
        raise Usage(str(nothing)) from nothing
    except NoLane as wrong:
        raise Usage(str(wrong)) from wrong
    return _write(arguments, parts)


def _of_lesson(session: Session, path: Path) -> Sequence[HandoutPart]:
    """The parts of the handout of a lesson. Raises `Usage` where it cannot be given."""
    try:
        return lesson_parts(session, sound_lesson(session, path))
    except (NoPicture, NoLane) as nothing:
        raise Usage(str(nothing)) from nothing


def _write(arguments: argparse.Namespace, parts: Sequence[HandoutPart]) -> int:
    target: Path = arguments.to
    try:
        write_handout(parts, target)
    except OSError as fault:
        raise Usage(f"{target} cannot be written: {refusal(fault)}") from fault
    if arguments.json:
        print_answer("handout", {"files": [str(target)]})
        return 0
    print(f"written to {target}")
    return 0


def give_starter(arguments: argparse.Namespace) -> int:
    """Write a starter: definitions in which chosen clauses are still to be written."""
    session = Session(course_folder(arguments.course))
    language = _language(session, arguments.language)
    forms = [form.strip() for form in arguments.without.split(",") if form.strip()]
    if not forms:
        raise Usage("--without names forms: --without Add,Let")
    folder: Path = arguments.to
    try:
        starter = make_starter(session.course, language, arguments.lane, forms, arguments.hint)
        write_files(starter.files, folder)
    except NoStarter as wrong:
        raise Usage(str(wrong)) from wrong
    except OSError as fault:
        raise Usage(f"{folder} cannot be written: {refusal(fault)}") from fault
    if arguments.json:
        left_out = [f"{one.function}: {one.form}" for one in starter.removed]
        files = [str(folder / name) for name in starter.files]
        print_answer("starter", {"files": files, "left_out": left_out})
        return 0
    for one in starter.removed:
        print(f"{one.function}: the clauses for {one.form} are to be written")
    print(f"written to {folder}: {counted(len(starter.files), 'file')}")
    return 0


def _language(session: Session, name: str | None) -> str:
    known = session.course.languages
    if name is None and len(known) == 1:
        return next(iter(known))
    if name not in known:
        raise Usage(f"--language says which language is meant; there are: {', '.join(known)}")
    return str(name)
