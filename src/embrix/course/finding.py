"""Where a course is."""

from __future__ import annotations

from pathlib import Path

COURSE_FILE = "course.toml"


def find_course(start: Path) -> Path | None:
    """The nearest folder at or above `start` that is a course."""
    start = start.resolve()
    for folder in (start, *start.parents):
        if (folder / COURSE_FILE).is_file():
            return folder
    return None
