"""Lanes that are another version of an interpreter: `environment@FILE`, `environment@FOLDER`,
`environment@saved` or `environment@draft`, beside the one of the course.

A file stands in the place of the file of the course that defines the same; a folder is another
course; `saved` is the course as its files are, `draft` with what the workbench keeps unsaved.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import Path

from embrix.course.drafts import find_draft
from embrix.course.finding import COURSE_FILE
from embrix.course.load import Course
from embrix.lanes.names import NoVersion
from embrix.text.source import Unreadable, read_source

DRAFT, SAVED = "draft", "saved"
_HEAD = re.compile(r"^(language|interpreter)\s+(\w+)(?:\s+for\s+(\w+))?", re.MULTILINE)


def unsaved_of(course: Course, version: str) -> tuple[Path, dict[Path, str]]:
    """The folder of a version, and the texts in it that stand for its files. Raises
    `NoVersion`."""
    folder = course.folder
    if version == DRAFT:
        found = drafts_of(course)
        if not found:
            raise NoVersion("no definition has been changed without being saved")
        return folder, found
    if version == SAVED:
        return folder, {}
    path = _found(version, folder)
    if path.is_dir():
        if not (path / COURSE_FILE).is_file():
            raise NoVersion(f"{version} is no course: it has no {COURSE_FILE}")
        return path, {}
    try:
        source = read_source(path, version)
    except Unreadable as fault:
        raise NoVersion(str(fault)) from fault
    return folder, {_place_of(course, source.text, version): source.text}


def drafts_of(course: Course) -> dict[Path, str]:
    """The definitions of a course that have been changed and not saved."""
    found: dict[Path, str] = {}
    for source in course.sources.values():
        if source.path is not None and source.path.suffix == ".brix":
            draft = find_draft(source.path)
            if draft is not None and draft.text != source.text:
                found[source.path] = draft.text
    return found


def _found(version: str, folder: Path) -> Path:
    for start in (Path(), folder):
        if version and (start / version).exists():
            return start / version
    raise NoVersion(f"there is no version {version or '(nothing stands behind @)'}: "
                    f"name a .brix file, the folder of a course, {SAVED} or {DRAFT}")  # fmt: skip


def _place_of(course: Course, text: str, version: str) -> Path:
    """The file of the course that defines what a text defines."""
    head = _HEAD.search(text)
    if head is None:
        raise NoVersion(f"{version} defines neither a language nor an interpreter")
    kind, name, language = head.groups()
    known: Iterable[tuple[str, Path | None]]
    if kind == "language":
        known = [(one, own.source.path) for one, own in course.languages.items()]
    else:
        lanes = course.interpreters.get(language or "", {})
        known = [(one, own.source.path) for one, own in lanes.items()]
    for one, path in known:
        if one == name and path is not None:
            return path
    what = f"a language {name}" if kind == "language" else f"an interpreter {name} of {language}"
    raise NoVersion(f"{version} defines {what}, which the course does not have")
