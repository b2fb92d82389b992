"""Saving a text, and discarding what is not saved: the same for a program and for a file beside it.

What somebody else has made of the file meanwhile is shown before it is written over, and nothing is
discarded before it has been looked at.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from textual.app import App

from embrix.text.line_difference import difference
from embrix.text.refusal import refusal
from embrix.text.source import Unreadable
from embrix.tui.dialogs import Show
from embrix.tui.document import ChangedElsewhere, Document
from embrix.tui.workbench import Say


def save(
    app: App[Any], document: Document, text: Callable[[], str], say: Say, saved: Callable[[], None]
) -> None:
    """Write a text into its file. Where that was changed outside, both texts are kept until the
    user has seen what tells them apart."""
    now = text()
    try:
        document.save(now)
    except ChangedElsewhere as change:
        theirs = change.disk
        say(f"{document.path.name} was changed outside; your text is still here", "brass")

        def seen(agreed: str | None) -> None:
            if agreed is not None:
                document.saved = theirs  # a further change outside is shown as well
                save(app, document, text, say, saved)

        lines = difference(theirs, now)
        subject = f"{document.path.name}: − outside, + yours"
        app.push_screen(Show("save", subject, lines, "Enter saves your text"), seen)
    except (OSError, Unreadable) as fault:
        say(f"not saved, the text is kept here: {refusal(fault)}", "brick")
    else:
        saved()


def discard(
    app: App[Any], document: Document, text: str, say: Say, put: Callable[[str], None]
) -> None:
    """Put what is in the file in place of a text, after showing what that changes."""
    try:
        disk = document.disk()
    except (OSError, Unreadable) as fault:
        say(refusal(fault), "brick")
        return
    if text == (disk or ""):
        say("there is no change to discard", "ink")
        return

    def seen(agreed: str | None) -> None:
        if agreed is not None:
            document.saved = disk
            put(disk or "")
            say("the change is discarded; Ctrl+Z brings it back", "ink")

    name = document.path.name if document.named else "the text without a name"
    lines = difference(text, disk or "")
    app.push_screen(Show("discard the change", name, lines, "Enter discards it"), seen)
