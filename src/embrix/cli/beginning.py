"""`embrix new`: files to begin with."""

from __future__ import annotations

import argparse
from pathlib import Path

from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder, here
from embrix.course.finding import find_course, holds_course_files
from embrix.course.load import Course, load_course
from embrix.documents.beginnings import (
    NotBegun,
    begin_course,
    begin_interpreter,
    begin_language,
    begin_program,
    begin_suite,
    write_new,
)
from embrix.text.refusal import refusal
from embrix.text.suggest import did_you_mean
from embrix.text.visible import visible


def begin(arguments: argparse.Namespace) -> int:
    """Write the files of what is begun, and name them."""
    try:
        files = _files(arguments)
        written = write_new(files)
    except NotBegun as wrong:
        raise Usage(str(wrong)) from wrong
    except OSError as fault:
        raise Usage(f"{fault.filename or ''}: {refusal(fault)}") from fault
    start = here()
    shown = [str(p.relative_to(start)) if p.is_relative_to(start) else str(p) for p in written]
    if arguments.json:
        print_answer("new", {"files": shown})
        return 0
    for name in shown:
        print(f"written: {visible(name)}")
    return 0


def _files(arguments: argparse.Namespace) -> dict[Path, str]:
    name: str = arguments.name
    if arguments.kind == "course":
        folder = here() / name
        return begin_course(folder, folder.resolve().name)
    course = _course(arguments)
    if arguments.kind == "language":
        return begin_language(course, name, arguments.extends)
    language = _language(course, arguments.language)
    if arguments.kind == "interpreter":
        return begin_interpreter(course, language, name, arguments.strategy)
    make = begin_suite if arguments.kind == "suite" else begin_program
    return make(course, language, name)


def _course(arguments: argparse.Namespace) -> Course:
    """The course that is written to: never the shipped one."""
    if arguments.course is None and find_course(here()) is None and not holds_course_files(here()):
        raise Usage("there is no course here: embrix new course FOLDER begins one")
    return load_course(course_folder(arguments.course))


def _language(course: Course, name: str | None) -> str:
    known = course.languages
    if name is None and len(known) == 1:
        return next(iter(known))
    text = "there are: " + (", ".join(known) or "none")
    if name is None:
        raise Usage(f"say of which language, with --language ({text})")
    if name not in known:
        raise Usage(f"there is no language called {name}; {did_you_mean(name, known, text)}")
    return name
