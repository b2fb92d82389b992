"""Text that has not been saved yet, kept outside the course so that nothing is lost.

A draft is one JSON file in the user's state folder. Its name says which program it belongs to and
which workbench keeps it, so that two workbenches on one program do not take each other's text.
"""

from __future__ import annotations

import logging
import os
import uuid
from collections.abc import Iterator
from pathlib import Path

from msgspec import Struct

from embrix.course.records import Damaged, Record, name_for, read_record, write_record
from embrix.text.saving import alive
from embrix.text.user_folders import state_folder

OWNER = uuid.uuid4().hex[:12]
"""This workbench, among others that may be open."""

MOST_DRAFTS = 500
"""Drafts that are looked through in search of those of a course."""


class Kept(Record):
    """What the file of a draft holds."""

    program: str
    text: str
    process: int = 0
    version: int = 2


class Draft(Struct, frozen=True):
    """Unsaved text of a program, and the file that it is kept in."""

    program: Path
    text: str
    file: Path
    process: int
    """The process that keeps it."""

    @property
    def orphaned(self) -> bool:
        """Whether nobody keeps it any more."""
        return self.process != os.getpid() and not alive(self.process)


def unnamed(folder: Path) -> Path:
    """What stands for the file of a text in a course that has not been given a name."""
    return folder.resolve() / "\x00"


def is_unnamed(program: Path) -> bool:
    """Whether a program has not been given a name."""
    return program.name == "\x00"


def keep_draft(program: Path, text: str) -> None:
    """Remember unsaved text of a program. Raises OSError."""
    target = _file(program, OWNER)
    write_record(target, Kept(_full(program), text, os.getpid()))


def find_draft(program: Path) -> Draft | None:
    """The unsaved text of a program that was kept last, if there is any."""
    found = [draft for file in _folder().glob(f"{_stem(program)}*.json") if (draft := _read(file))]
    return max(found, key=lambda draft: _time(draft.file), default=None)


def drop_draft(program: Path, taken_over: Draft | None = None) -> None:
    """Forget what this workbench keeps of a program, and a draft that it has taken over; what other
    workbenches keep stays."""
    _file(program, OWNER).unlink(missing_ok=True)
    if taken_over is not None and taken_over.orphaned:
        taken_over.file.unlink(missing_ok=True)


def drafts_below(folder: Path) -> Iterator[Draft]:
    """The unsaved texts of programs in a folder, the newest first, one for each program."""
    inside = str(folder.resolve()) + os.sep
    seen: set[Path] = set()
    files = sorted(_folder().glob("*.json"), key=_time, reverse=True)[:MOST_DRAFTS]
    for file in files:
        draft = _read(file)
        if draft is not None and str(draft.program).startswith(inside):
            if draft.program not in seen:
                yield draft
            seen.add(draft.program)


def _folder() -> Path:
    return state_folder() / "drafts"


def _full(program: Path) -> str:
    return str(program if is_unnamed(program) else program.resolve())


def _stem(program: Path) -> str:
    return name_for(_full(program))


def _file(program: Path, owner: str) -> Path:
    return _folder() / f"{_stem(program)}-{owner}.json"


def _time(file: Path) -> float:
    try:
        return file.stat().st_mtime
    except OSError:
        return 0.0


def _read(file: Path) -> Draft | None:
    """A draft in a file; None for a file that is damaged, too large, or something else."""
    try:
        found = read_record(file, Kept)
    except Damaged as bad:
        logging.getLogger(__name__).warning("%s", bad)
        return None
    if found is None:
        return None
    return Draft(Path(found.program), found.text, file, found.process)
