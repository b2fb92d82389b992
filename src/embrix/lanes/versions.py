"""Lanes that are another version of an interpreter: `environment@FILE`, `environment@FOLDER`,
`environment@saved` or `environment@draft`, beside the one of the course.

What a file defines stands in the place of what the course defines under the same name; a folder is
another course; `saved` is the course as its files are, `draft` with what the workbench keeps
unsaved.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import Path

from embrix.brix.parted import definition_at, definitions_of
from embrix.course.drafts import find_draft
from embrix.course.finding import COURSE_FILE
from embrix.course.load import Course
from embrix.lanes.names import NoVersion
from embrix.text.source import Source, Unreadable, read_source

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
    texts: dict[Path, str] = {}
    for one in definitions_of(source):
        path = _place_of(course, one.text, version)
        whole = texts.get(path) or course.sources[path.relative_to(folder).as_posix()].text
        texts[path] = _with_definition(whole, one.text)
    return folder, texts


def _with_definition(text: str, definition: str) -> str:
    """A text in which a definition stands for that of the same name."""
    parts = list(definitions_of(Source("", text)))
    if len(parts) == 1:
        return definition
    head = _HEAD.search(definition)
    assert head is not None
    place = next(
        found.start() for part in parts
        if (found := _HEAD.search(part.text)) is not None and found.groups() == head.groups()
    )  # fmt: skip
    alone, whole = definition_at(text, place)
    before = len(alone) - len(alone.lstrip())
    return whole(alone[:before] + definition.strip() + "\n\n")


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
