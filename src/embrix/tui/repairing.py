"""The repair of what is noted on a line: shown first, carried out if that is agreed to."""

from __future__ import annotations

from collections.abc import Callable

from embrix.messages.replies_on_writing import TextChange
from embrix.messages.requests import Mend
from embrix.tui.desk import Desk
from embrix.tui.dialogs import Show
from embrix.tui.workbench import Say, Workbench


def repair(
    bench: Workbench, desk: Desk, asked: Mend, text: Callable[[], str], say: Say,
    put: Callable[[str], None],
) -> None:  # fmt: skip
    """Ask for a repair, show it, and `put` the text that it makes; nothing where the `text` has
    become another one meanwhile."""

    def mended(change: TextChange) -> None:
        if change.refused:
            say(change.refused, "brass")
            return

        def answered(yes: str | None) -> None:
            if yes is not None and text() == change.old:
                put(change.text)
                say("mended; Ctrl+Z undoes it", "ink")

        bench.app.push_screen(
            Show("repair", asked.file, change.changes, "Enter carries it out"), answered
        )

    desk.drop("mend")
    desk.ask("mend", asked, mended)
