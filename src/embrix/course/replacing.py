"""Replacing a file of the course that somebody may be writing at the same time, with a way back."""

from __future__ import annotations

from pathlib import Path

from embrix.course.records import Damaged, Record, alone, name_for, read_record, write_record
from embrix.text.saving import save_text
from embrix.text.source import Unreadable, read_source
from embrix.text.user_folders import state_folder

MOST_BACK = 20
"""Texts of one file that can be gone back to."""


class Changed(Exception):
    """The file is no longer what it was when the new text was made."""


class Earlier(Record):
    """Replacements of one file, the last one at the end: the text before and the text after."""

    file: str
    texts: list[tuple[str, str]]
    version: int = 1


def _record(path: Path) -> Path:
    name = name_for(str(path.resolve()))
    return state_folder() / "before" / f"{name}.json"


def _known(path: Path) -> list[tuple[str, str]]:
    found = read_record(_record(path), Earlier)
    return found.texts if found is not None else []


def _keep(path: Path, texts: list[tuple[str, str]]) -> None:
    write_record(_record(path), Earlier(str(path.resolve()), texts[-MOST_BACK:]))


def replace_file(path: Path, old: str, new: str) -> None:
    """Write a new text over an old one, which can be gone back to. Raises `Changed` when the file
    holds something else by now, `Damaged` when what was kept before cannot be read (nothing is
    written then), OSError and `Unreadable`."""
    with alone(path):
        if read_source(path).text != old:
            raise Changed(f"{path.name} was changed elsewhere in the meantime; nothing was written")
        _keep(path, [*_known(path), (old, new)])
        save_text(path, new)


def go_back(path: Path) -> str | None:
    """Undo the last replacement; the text that is there now, or None when there is nothing to
    undo. Raises `Changed` when the file was written by somebody else since, `Damaged`, OSError."""
    with alone(path):
        texts = _known(path)
        if not texts:
            return None
        old, new = texts[-1]
        try:
            present = read_source(path).text
        except Unreadable as fault:
            raise Changed(str(fault)) from fault
        if present != new:
            raise Changed(f"{path.name} was changed elsewhere since; nothing was written")
        save_text(path, old)
        _keep(path, texts[:-1])
    return old


__all__ = ["Changed", "Damaged", "go_back", "replace_file"]
