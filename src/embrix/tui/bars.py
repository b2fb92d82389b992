"""The lines that frame the panes: the head of the screen, the titles, the keys at the foot."""

from __future__ import annotations

from collections.abc import Callable
from time import monotonic

from rich.text import Text
from textual import events
from textual.message import Message
from textual.timer import Timer
from textual.widget import Widget
from textual.widgets import Static

from embrix.text.visible import cut, visible, width
from embrix.tui.commands import Command
from embrix.tui.pane_edges import Handle
from embrix.tui.theme import ink


class Title(Handle):
    """The line over a pane: what it is, what is in it, and something to the right. Where another
    pane is above, dragging it moves the edge between them."""

    DEFAULT_CSS = "Title { height: 1; background: $lock-wall; }"

    def __init__(self, name: str, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.label = name
        self.subject = ""
        self.right = ""
        self.right_ink = "faint"
        self.lit = False

    def show(
        self, subject: str | None = None, right: str | None = None, right_ink: str = "faint"
    ) -> None:
        before = (self.subject, self.right, self.right_ink)
        if subject is not None:
            self.subject = subject
        if right is not None:
            self.right, self.right_ink = right, right_ink
        if (self.subject, self.right, self.right_ink) != before:
            self.refresh()

    def light(self, lit: bool) -> None:
        """Say whether the pane under the title has the focus."""
        if lit != self.lit:
            self.lit = lit
            self.refresh()

    def render(self) -> Text:
        app = self.app
        room = self.size.width
        held = self.has_class("handle") or self.has_class("dragged")
        head = "━ " if held else "▙ " if self.lit else "▖ "
        text = Text(no_wrap=True, overflow="crop")
        text.append(head, ink(app, "brass" if self.lit or held else "deep", bold=True))
        text.append(self.label, ink(app, "brass" if self.lit else "ink", bold=True))
        used = 2 + width(self.label)
        right = visible(cut(self.right, max(0, room - used - 2)))
        left_room = room - used - width(right) - 5
        if self.subject and left_room > 3:
            subject = visible(cut(self.subject, left_room))
            text.append(f"  {subject}", ink(app, "ink"))
            used += 2 + width(subject)
        text.append(" " * max(1, room - used - width(right) - 1))
        text.append(right, ink(app, self.right_ink))
        return text


def tell(note: Static, text: str) -> None:
    """Show a text, or hide the place for it where there is none. The screen is laid out anew, which
    takes as long as many keys, only for another text."""
    if note.content != text:
        note.update(text)
    if note.display != bool(text):
        note.display = bool(text)


KEPT = 20.0
"""Seconds for which a notice stands on the first line."""
READ = 2.0
"""Seconds after which a notice goes when the text changes: what it says may no longer be so."""


class Masthead(Widget):
    """The first line of the screen. What is under way (`busy`) stands there only while there is no
    notice: it never takes the place of one that nobody has read yet."""

    DEFAULT_CSS = "Masthead { height: 1; background: $lock-deep; }"

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.course = ""
        self.language = ""
        self.notice = ""
        self.notice_ink = "ink"
        self.busy = ""
        self._forgetting: Timer | None = None
        self._since = 0.0
        self.suite = ""
        self.suite_alarm = ""

    def show(self, **parts: str) -> None:
        changed = any(getattr(self, name) != value for name, value in parts.items())
        for name, value in parts.items():
            setattr(self, name, value)
        if self._forgetting is not None and "notice" in parts:
            self._forgetting.stop()
            self._forgetting = None
        if parts.get("notice") and self.notice_ink != "brick" and self.is_attached:
            self._forgetting = self.set_timer(KEPT, self._forget)
            self._since = monotonic()
        if changed:
            self.refresh()

    def typed(self) -> None:
        """A text has changed: a notice that could be read goes, unless something went wrong."""
        if self._forgetting is not None and monotonic() - self._since >= READ:
            self.show(notice="")

    def _forget(self) -> None:
        """A notice that nobody has to act on goes by itself; what went wrong stays."""
        self._forgetting = None
        self.notice = ""
        self.refresh()

    def render(self) -> Text:
        app = self.app
        text = Text(no_wrap=True, overflow="crop")
        text.append(" ▟▙ Embrix ", ink(app, "ink", bold=True))
        text.append(f" {visible(self.course)}", ink(app, "ink"))
        if self.language:
            text.append(f" / {visible(self.language)}", ink(app, "ink"))
        suite = visible(self.suite)
        room = self.size.width - text.cell_len - width(suite) - 3
        notice = cut(visible(self.notice or self.busy), max(0, room - 4))
        if notice:
            colour = self.notice_ink if self.notice else "ink"
            text.append(f"   {notice}", ink(app, colour, italic=True))
        text.append(" " * max(1, self.size.width - text.cell_len - width(suite) - 1))
        if self.suite_alarm:
            text.append(f"{suite} ", ink(app, "brick", "ground", bold=True))
        else:
            text.append(suite, ink(app, "ink", bold=True))
        return text


class Footer(Widget):
    """The keys of the moment, the most needed first: as many as there is room for, none cut off;
    each can be clicked."""

    DEFAULT_CSS = "Footer { height: 1; dock: bottom; background: $lock-wall; }"

    class Chosen(Message):
        def __init__(self, action: str) -> None:
            super().__init__()
            self.action = action

    def __init__(self, commands: Callable[[], list[Command]], *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._commands = commands
        self._spots: list[tuple[int, int, str]] = []

    def render(self) -> Text:
        app = self.app
        text = Text(no_wrap=True, overflow="crop")
        self._spots = []
        for command in self._commands():
            piece = f" {command.label} {command.short} "
            if text.cell_len + width(piece) > self.size.width:
                break
            start = text.cell_len
            text.append(f" {command.label} ", ink(app, "brass", bold=True))
            text.append(f"{command.short} ", ink(app, "ink"))
            self._spots.append((start, text.cell_len, command.action))
        return text

    def on_click(self, event: events.Click) -> None:
        for start, end, action in self._spots:
            if start <= event.x < end:
                self.post_message(self.Chosen(action))
