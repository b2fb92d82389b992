"""What can be wrong with a command line, and which course it means. Nothing of the core is imported
here, so that what needs none of it starts quickly."""

from __future__ import annotations

import sys
from pathlib import Path

from embrix.course.finding import COURSE_FILE, find_course, holds_course_files
from embrix.course.shipped import shipped_course
from embrix.text.visible import visible


class Usage(Exception):
    """The command line asks for something that is not there; the message says what."""


class Faulty(Exception):
    """A definition has errors and cannot be used; the message says which."""


def folder_given(path: Path | str) -> str:
    """What is said where a folder is given that a command does nothing with."""
    return f"{visible(str(path))} is a folder; a course is named by --course FOLDER"


def new_file(path: Path, *, replace: bool) -> Path:
    """A file that may be written. Raises `Usage` for one that exists, unless it may be replaced,
    and where there is no folder for it."""
    if not path.parent.is_dir():
        raise Usage(f"{path} cannot be written: there is no folder {path.parent}")
    if not replace and (path.exists() or path.is_symlink()):
        raise Usage(f"{path} exists already; --replace writes over it")
    return path


def here() -> Path:
    """The folder that the user is in. Raises `Usage`."""
    try:
        return Path.cwd()
    except OSError as gone:
        raise Usage("the folder you are in is gone; go to another one, or name --course") from gone


def course_folder(course: Path | None, near: Path | None = None, *, about: bool = False) -> Path:
    """The folder of the course that is meant: the one named, the nearest one with a `course.toml`,
    a folder that holds definitions or suites, or the shipped one. A command that is `about` the
    course says so when it is the shipped one. Raises `Usage`."""
    if course is not None:
        if not course.is_dir():
            raise Usage(f"{course} is no course: there is no such folder")
        if not (course / COURSE_FILE).is_file() and not holds_course_files(course):
            raise Usage(f"{course} is no course: it has no {COURSE_FILE}")
        return course
    starts = [near, here()] if near is not None else [here()]
    for start in starts:
        found = find_course(start)
        if found is not None:
            return found
    for start in starts:
        if holds_course_files(start):
            said = f"{start.name or start} has no {COURSE_FILE}: working with the files in it"
            print(f"embrix: {said}", file=sys.stderr)
            return start
    if about:
        print("embrix: there is no course here: this is about the shipped one", file=sys.stderr)
    return shipped_course()
