"""A derivation as rules over lines, larger than the screen: scrolled, folded, moved over."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from rich.style import Style
from textual import events
from textual.binding import Binding, BindingType
from textual.geometry import Region, Size
from textual.message import Message
from textual.scroll_view import ScrollView
from textual.strip import Strip

from embrix.draw.cells import LONGEST, Placed, Sheet, lay_out
from embrix.messages.replies_on_comparing import JudgementRow
from embrix.text.fitting import joined_within
from embrix.text.visible import width
from embrix.tui.rows import Piece, pieces_to_strip
from embrix.tui.theme import ink


class RulesPane(ScrollView, can_focus=True):
    """Rows of judgements as `Judgements` has them, drawn as rules; the arrows go from conclusion to
    premise, from premise to its neighbour."""

    DEFAULT_CSS = """
    RulesPane { background: $lock-ground; scrollbar-size-vertical: 1;
        scrollbar-size-horizontal: 1; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("up", "to_premise", show=False),
        Binding("down", "to_conclusion", show=False),
        Binding("left", "to_neighbour(-1)", show=False),
        Binding("right", "to_neighbour(1)", show=False),
        Binding("home", "to_first", show=False),
        Binding("end", "to_root", show=False),
    ]

    class Moved(Message):
        """Another judgement is chosen."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.rows: list[JudgementRow] = []
        self.sheet = Sheet((), 0, 0)
        self.chosen = 0
        self.empty_text = ""
        self._by_row: dict[int, list[Placed]] = {}
        self._where: dict[int, int] = {}

    def show(self, rows: list[JudgementRow], folded: set[int], chosen: int) -> None:
        """Lay the judgements out; one that is folded away gives way to the one it is above of."""
        self.rows = rows
        depths = [row.depth for row in rows]
        self.sheet = lay_out(
            depths, [joined_within(row.row, LONGEST) for row in rows],
            [row.clause for row in rows],
            [row.premises for row in rows],
            folded,
        )  # fmt: skip
        self._by_row = {}
        self._where = {}
        for number, one in enumerate(self.sheet.placed):
            self._where[one.node] = number
            self._by_row.setdefault(one.y, []).append(one)
        while chosen not in self._where and chosen > 0:
            chosen -= 1
        self.chosen = chosen
        self.virtual_size = Size(self.sheet.width + 2, self.sheet.height)
        self.refresh()
        self.call_after_refresh(self.show_chosen)

    @property
    def placed(self) -> Placed | None:
        number = self._where.get(self.chosen)
        return self.sheet.placed[number] if number is not None else None

    def show_chosen(self) -> None:
        """Scroll so far that the chosen judgement can be seen."""
        one = self.placed
        if one is None:
            return
        long = min(width(one.text) + 2, max(1, self.scrollable_content_region.width))
        top, high = (one.y - 1, 2) if not self._spare else (0, 1)
        self.scroll_to_region(
            Region(one.x + self._indent - 1, top, long, high), animate=False, force=True
        )

    def choose(self, node: int) -> None:
        if node in self._where and node != self.chosen:
            self.chosen = node
            self.show_chosen()
            self.refresh()
            self.post_message(self.Moved())

    # ---------------------------------------------------------------- moving

    def _premises(self, node: int) -> list[int]:
        depth = self.rows[node].depth
        found = []
        for number in range(node + 1, len(self.rows)):
            if self.rows[number].depth <= depth:
                break
            if self.rows[number].depth == depth + 1:
                found.append(number)
        return [one for one in found if one in self._where]

    def _conclusion(self, node: int) -> int | None:
        depth = self.rows[node].depth
        return next((n for n in range(node - 1, -1, -1) if self.rows[n].depth < depth), None)

    def action_to_premise(self) -> None:
        premises = self._premises(self.chosen) if self.rows else []
        if premises:
            self.choose(premises[0])

    def action_to_conclusion(self) -> None:
        found = self._conclusion(self.chosen) if self.rows else None
        if found is not None:
            self.choose(found)

    def action_to_neighbour(self, by: int) -> None:
        """The next judgement of the same height, also above another conclusion."""
        one = self.placed
        if one is None:
            return
        row = sorted(self._by_row[one.y], key=lambda other: other.x)
        at = row.index(one) + by
        if 0 <= at < len(row):
            self.choose(row[at].node)

    def action_to_first(self) -> None:
        """The first judgement that came to an end: the highest one at the left."""
        premises = [self.chosen] if self.rows else []
        while premises:
            self.choose(premises[0])
            premises = self._premises(premises[0])

    def action_to_root(self) -> None:
        if self.rows:
            self.choose(0)

    def on_click(self, event: events.Click) -> None:
        y = event.y - self._spare + self.scroll_offset.y
        x = event.x + self.scroll_offset.x - self._indent
        for row in (y, y + 1):
            for one in self._by_row.get(row, ()):
                if one.line <= x < one.end:
                    self.choose(one.node)
                    return

    # ---------------------------------------------------------------- drawing

    @property
    def _spare(self) -> int:
        """Rows above a small derivation, which stands at the foot of the pane as on a board."""
        return max(0, self.scrollable_content_region.height - self.sheet.height)

    @property
    def _indent(self) -> int:
        """Cells to the left of a derivation, which stands in the middle where there is room."""
        return max(1, (self.scrollable_content_region.width - self.sheet.width) // 2)

    def render_line(self, y: int) -> Strip:
        room = self.scrollable_content_region.width
        base = self.rich_style
        if not self.rows:
            lines = self.empty_text.split("\n")
            if y < len(lines):
                return pieces_to_strip([(" " + lines[y], ink(self.app, "faint"))], room, base)
            return Strip.blank(room, base)
        row = y - self._spare + self.scroll_offset.y
        marks = sorted(self._marks(row), key=lambda mark: mark[0])
        pieces: list[Piece] = [(" " * self._indent, base)]
        at = 0
        for x, text, style in marks:
            if x > at:
                pieces.append((" " * (x - at), base))
                at = x
            pieces.append((text, style))
            at += width(text)
        strip = pieces_to_strip(pieces, max(room, at + self._indent) + self.scroll_offset.x, base)
        return strip.crop(self.scroll_offset.x, self.scroll_offset.x + room)

    def _marks(self, row: int) -> Sequence[tuple[int, str, Style]]:
        """What stands in a row: conclusions, or lines with names; what is folded above them."""
        app = self.app
        found: list[tuple[int, str, Style]] = []
        for one in self._by_row.get(row, ()):
            here = one.node == self.chosen
            open_ = self.rows[one.node].left < 0
            style = ink(app, "brick" if open_ else "ink", "highlight" if here else None, bold=here)
            found.append((one.x, one.text, style))
        for one in self._by_row.get(row + 1, ()):
            open_ = self.rows[one.node].left < 0
            here = one.node == self.chosen
            sign = "╌" if open_ else "─"
            colour = "brick" if open_ else "brass" if here else "deep"
            found.append((one.line, sign * one.length, ink(app, colour)))
            if one.name:
                style = ink(app, "water", italic=True, bold=here)
                found.append((one.line + one.length + 1, one.name, style))
        for one in self._by_row.get(row + 2, ()):
            if one.hidden:
                found.append((one.hidden_x, one.hidden, ink(app, "faint", italic=True)))
        return found
