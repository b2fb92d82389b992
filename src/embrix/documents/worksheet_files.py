"""A worksheet and its key as files beside each other."""

from __future__ import annotations

from pathlib import Path

from embrix.documents.handout_files import write_handout
from embrix.documents.worksheets import WorksheetWish, worksheet
from embrix.lanes.session import Session


def key_beside(target: Path) -> Path:
    """The file of the key of a worksheet."""
    return target.with_name(f"{target.stem}-answers{target.suffix}")


def write_worksheet(session: Session, wish: WorksheetWish, target: Path) -> int:
    """Write a sheet and its key; how many gaps there are. Raises `NoExercise`, `NoLane`,
    `BadBinding`, and OSError."""
    sheet = worksheet(session, wish)
    write_handout(sheet.parts, target)
    title = f"{wish.language}: answers of sheet {wish.seed}"
    write_handout(sheet.key(title), key_beside(target))
    return len(sheet.answers)
