"""What the workbench was at when it was left, for each course: in a file of the user's state."""

from __future__ import annotations

from pathlib import Path

from msgspec import field

from embrix.course.records import Record, name_for, read_record, write_record
from embrix.text.user_folders import state_folder

MOST_SUPPLIED, MOST_MARKED, LONGEST = 50, 50, 20_000
"""Programs whose supplies and marks are kept, and the characters of one that has marks."""


class Supply(Record):
    """What a program was given by hand; the program as a path inside the course."""

    program: str
    names: dict[str, str] = field(default_factory=dict)
    input: list[str] = field(default_factory=list)


class MarkedSteps(Record):
    """Marked steps of the run of a text on a lane."""

    text: str
    lane: str
    steps: list[int] = field(default_factory=list)


class LastTime(Record):
    """The program is a path inside the course, or empty for the text without a name; the cursor is
    a line and a column from zero, `lanes` are those with choices decided otherwise, by language."""

    program: str = ""
    language: str = ""
    cursor: tuple[int, int] = (0, 0)
    lane: str = ""
    step: int = 0
    lanes: dict[str, list[str]] = field(default_factory=dict)
    supplies: list[Supply] = field(default_factory=list)
    marks: list[MarkedSteps] = field(default_factory=list)
    theme: str = ""
    arrangement: str = ""
    sizes: dict[str, int] = field(default_factory=dict)
    """What panes were made to take by hand, in ten-thousandths, by layout and pane."""
    pictured: bool = False
    """Whether frames and store are drawn beside the walk."""
    version: int = 1


def last_time(folder: Path) -> LastTime | None:
    """What is remembered of a course. Raises `Damaged`."""
    return read_record(_file(folder), LastTime)


def remember(folder: Path, now: LastTime) -> None:
    """Keep what the workbench is at. Raises OSError."""
    write_record(_file(folder), now)


def _file(folder: Path) -> Path:
    folders = state_folder() / "courses"
    return folders / f"{name_for(str(folder.resolve()))}.json"
