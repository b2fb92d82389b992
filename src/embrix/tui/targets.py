"""Files that the workbench writes: where a typed name leads, and asking before one is replaced."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from textual.app import App

from embrix.tui.dialogs import Agree


def target_of(typed: str, folder: Path) -> Path:
    """The file that a typed name means: as it is when it begins at the root or at home, else from
    a folder on."""
    return folder / Path(typed.strip()).expanduser()


def replacing(app: App[None], paths: list[Path], write: Callable[[], None]) -> None:
    """Write files, after asking where one of them exists."""
    there = [path for path in paths if path.exists() or path.is_symlink()]
    if not there:
        write()
        return

    def answered(yes: str | None) -> None:
        if yes is not None:
            write()

    names = ", ".join(path.name for path in there)
    app.push_screen(
        Agree("replace", f"{names} exists in {there[0].parent}.", "Enter replaces it"), answered
    )
