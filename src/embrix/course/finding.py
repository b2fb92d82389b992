"""Where a course is."""

from __future__ import annotations

import os
from pathlib import Path

COURSE_FILE = "course.toml"


COURSE_FILES = (".brix", ".suite.toml", ".lesson.toml")
DEEPEST, MOST = 2, 2_000
"""How far into a folder files of a course are looked for, and how many entries are looked at."""


def holds_course_files(folder: Path) -> bool:
    """Whether a folder holds definitions or suites, itself or in folders inside it that are no
    courses of their own."""
    looked_at = 0
    for place, folders, files in os.walk(folder):
        deep = len(Path(place).relative_to(folder).parts)
        if deep and COURSE_FILE in files:
            folders.clear()  # a course of its own
            continue
        folders[:] = [name for name in folders if not name.startswith(".")] * (deep < DEEPEST)
        if any(name.endswith(COURSE_FILES) for name in files):
            return True
        looked_at += len(files) + len(folders)
        if looked_at > MOST:
            return False
    return False


def files_of(folder: Path) -> list[Path]:
    """The files that make up a course: `course.toml`, definitions and suites, in their order."""
    found: list[Path] = []
    looked_at = 0
    for place, folders, files in os.walk(folder):
        if Path(place) != folder and COURSE_FILE in files:
            folders.clear()  # a course of its own
            continue
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        looked_at += len(files) + len(folders)
        if looked_at > MOST:
            break
        own = (name for name in files if name == COURSE_FILE or name.endswith(COURSE_FILES))
        found += [Path(place) / name for name in sorted(own)]
    return [path for path in found if path.is_file()]


def is_empty(folder: Path) -> bool:
    """Whether a folder holds nothing but hidden files."""
    return all(path.name.startswith(".") for path in folder.iterdir())


def find_course(start: Path) -> Path | None:
    """The nearest folder at or above `start` that is a course."""
    start = start.resolve()
    for folder in (start, *start.parents):
        if (folder / COURSE_FILE).is_file():
            return folder
    return None
