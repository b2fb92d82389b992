"""What can be wrong with a command line, and which course it means. Nothing of the core is imported
here, so that what needs none of it starts quickly."""

from __future__ import annotations

from pathlib import Path

from embrix.course.finding import COURSE_FILE, find_course
from embrix.course.shipped import shipped_course


class Usage(Exception):
    """The command line asks for something that is not there; the message says what."""


def course_folder(course: Path | None, near: Path | None = None) -> Path:
    """The folder of the course that is meant. Raises `Usage`."""
    if course is not None:
        if not (course / COURSE_FILE).is_file():
            raise Usage(f"{course} is no course: it has no {COURSE_FILE}")
        return course
    for start in (near, Path.cwd()):
        found = find_course(start) if start is not None else None
        if found is not None:
            return found
    return shipped_course()
