"""Panes made of many rows: one widget, rows drawn when they are seen, a cursor that can be moved.

Rows are lists of pieces of text with a style; text from users is never read as markup.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, TypeAlias

from rich.segment import Segment
from rich.style import Style
from textual import events
from textual.binding import Binding, BindingType
from textual.geometry import Region, Size
from textual.message import Message
from textual.scroll_view import ScrollView
from textual.strip import Strip

from embrix.text.visible import visible
from embrix.tui.theme import ink

Piece: TypeAlias = tuple[str, Style]


class Rows(ScrollView, can_focus=True):
    """Rows of text with a cursor. Subclasses give `count` and `row`."""

    DEFAULT_CSS = """
    Rows { background: $lock-ground; scrollbar-size-vertical: 1; scrollbar-size-horizontal: 0; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("up", "move(-1)", show=False),
        Binding("down", "move(1)", show=False),
        Binding("pageup", "move(-10)", show=False),
        Binding("pagedown", "move(10)", show=False),
        Binding("home", "move(-1000000000)", show=False),
        Binding("end", "move(1000000000)", show=False),
    ]

    class Moved(Message):
        """The cursor stands on another row."""

        def __init__(self, rows: Rows, number: int) -> None:
            super().__init__()
            self.rows = rows
            self.number = number

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.cursor = 0
        self.empty_text = ""
        self.lit = False
        """Whether the cursor shows as if the rows had the focus."""

    # ---------------------------------------------------------------- for subclasses

    def count(self) -> int:
        return 0

    def row(self, number: int) -> Sequence[Piece]:
        raise NotImplementedError

    # ---------------------------------------------------------------- moving

    def renew(self, *, cursor: int | None = None) -> None:
        """The rows have changed."""
        if cursor is not None:
            self.cursor = cursor
        self.cursor = max(0, min(self.cursor, self.count() - 1))
        self.virtual_size = Size(max(1, self.size.width), self.count())
        self.show_cursor()
        self.refresh()

    def show_cursor(self) -> None:
        if self.count():
            self.scroll_to_region(
                Region(0, self.cursor, 1, 1), animate=False, force=True, x_axis=False
            )

    def action_move(self, by: int) -> None:
        self.move_to(self.cursor + by)

    def move_to(self, number: int) -> None:
        if not self.count():
            return
        target = max(0, min(number, self.count() - 1))
        if target != self.cursor:
            self.cursor = target
            self.show_cursor()
            self.refresh()
            self.post_message(self.Moved(self, target))

    def on_click(self, event: events.Click) -> None:
        number = event.y + self.scroll_offset.y
        if 0 <= number < self.count():
            self.move_to(number)

    def on_resize(self) -> None:
        self.virtual_size = Size(max(1, self.size.width), self.count())
        self.call_after_refresh(self.show_cursor)

    def on_focus(self) -> None:
        self.refresh()

    def on_blur(self) -> None:
        self.refresh()

    # ---------------------------------------------------------------- drawing

    def render_line(self, y: int) -> Strip:
        width = self.scrollable_content_region.width
        base = self.rich_style
        number = y + self.scroll_offset.y
        if number >= self.count():
            lines = self.empty_text.split("\n") if not self.count() else []
            if y < len(lines):
                return pieces_to_strip([(" " + lines[y], ink(self.app, "faint"))], width, base)
            return Strip.blank(width, base)
        pieces = list(self.row(number))
        if number == self.cursor:
            ground = "highlight" if self.has_focus or self.lit else "bank"
            base = base + Style(bgcolor=ink(self.app, "ink", ground).bgcolor)
        return pieces_to_strip(pieces, width, base)


def pieces_to_strip(pieces: Sequence[Piece], width: int, base: Style) -> Strip:
    """A row of a width; what does not fit is cut off with a sign."""
    segments = [Segment(visible(text), base + style) for text, style in pieces if text]
    strip = Strip(segments)
    if strip.cell_length > width:
        last = segments[-1].style if segments else base
        strip = Strip([*strip.crop(0, max(0, width - 1)), Segment("…", last)])
    return strip.adjust_cell_length(width, base)
