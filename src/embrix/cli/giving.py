"""What goes out to students: handouts and starters."""

from __future__ import annotations

import argparse
from pathlib import Path

from embrix.cli.usage import Usage, course_folder
from embrix.course.starter import NoStarter, make_starter, write_files
from embrix.runs.handout import handout, write_html, write_pdf
from embrix.runs.pictures import NoPicture
from embrix.runs.session import Session, Undecided
from embrix.runs.versions import NoVersion
from embrix.text.saving import save_bytes, save_text
from embrix.text.source import Unreadable, read_source


def give_handout(arguments: argparse.Namespace) -> int:
    """Write the handout of a language."""
    session = Session(course_folder(arguments.course))
    language = _language(session, arguments.language)
    target: Path = arguments.to
    if target.suffix not in (".html", ".pdf"):
        raise Usage("the name of the file ends in .html or .pdf")
    notes = ""
    if arguments.notes is not None:
        try:
            notes = read_source(arguments.notes).text
        except Unreadable as fault:
            raise Usage(str(fault)) from fault
    try:
        parts = handout(session, language, arguments.lanes or (), arguments.programs, notes)
    except NoPicture as nothing:
        raise Usage(str(nothing)) from nothing
    except (Undecided, NoVersion) as wrong:
        raise Usage(str(wrong.args[0])) from wrong
    except KeyError as wrong:
        raise Usage(f"{language} has no lane called {wrong.args[0]}") from wrong
    try:
        if target.suffix == ".html":
            save_text(target, write_html(parts))
        else:
            save_bytes(target, write_pdf(parts))
    except OSError as fault:
        raise Usage(f"{target} cannot be written: {fault.strerror or fault}") from fault
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
        raise Usage(f"{folder} cannot be written: {fault.strerror or fault}") from fault
    for one in starter.removed:
        print(f"{one.function}: the clauses for {one.form} are to be written")
    print(f"written to {folder}: {len(starter.files)} files")
    return 0


def _language(session: Session, name: str | None) -> str:
    known = session.course.languages
    if name is None and len(known) == 1:
        return next(iter(known))
    if name not in known:
        raise Usage(f"--language says which language is meant; there are: {', '.join(known)}")
    return str(name)
