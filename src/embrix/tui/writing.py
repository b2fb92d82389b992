"""Changing a suite from a view: a look at the difference first, a way back afterwards."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from embrix.course.replacing import Changed, Damaged, go_back, replace_file
from embrix.messages.replies_on_writing import TextChange
from embrix.text.refusal import refusal
from embrix.text.source import Unreadable
from embrix.tui.dialogs import Show
from embrix.tui.view import View


def write_after_a_look(
    view: View, path: Path, made: TextChange, subject: str, written: Callable[[], None]
) -> None:
    """Show what a suite would be; write it when that is agreed to, then call `written`."""

    def answered(yes: str | None) -> None:
        if yes is None:
            return
        try:
            replace_file(path, made.old, made.text)
        except (Changed, Damaged, Unreadable, OSError) as fault:
            view.say(f"{path.name} is not written: {refusal(fault)}", "brick")
            return
        written()

    title = "what the suite would be"
    view.app.push_screen(Show(title, subject, made.changes, "Enter writes it"), answered)


def take_back(view: View, path: Path) -> bool:
    """Undo the last change of a suite or lesson; whether there was one."""
    try:
        found = go_back(path)
    except (Changed, Damaged, OSError) as fault:
        view.say(refusal(fault), "brick")
        return False
    view.say("nothing to take back" if found is None else f"{path.name} is as it was before")
    return found is not None
