"""Two walks in rows: what evaluates the same part of the program stands side by side."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.messages.replies_on_comparing import AlignedRow, AlignedStop
from embrix.text.fitting import DEEPEST, fitted, indented
from embrix.text.visible import visible, width
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink


class Together(Rows):
    """Two walks: stops for the same part of the program in one row."""

    def __init__(self) -> None:
        super().__init__(id="together")
        self.rows: list[AlignedRow] = []
        self.parting = -1
        self.empty_text = "Choose another lane above: its walk is laid beside the first one."

    def show(self, rows: list[AlignedRow], parting: int, refused: str) -> None:
        self.rows, self.parting = rows, parting
        self.empty_text = refused or "Neither lane has a step that could be laid beside the other."
        self.renew(cursor=max(0, parting))

    def count(self) -> int:
        return len(self.rows)

    def row(self, number: int) -> Sequence[Piece]:
        app = self.app
        one = self.rows[number]
        left, right, parts = one.left, one.right, one.parts
        half = max(20, (self.size.width - 4) // 2)
        first = number == self.parting
        sign = ("▶" if first else " ") + ("≠" if parts else " ")
        return [
            *self._stop(left, half, parts),
            (f"{sign} ", ink(app, "brass" if first else "brick", bold=True)),
            *self._stop(right, half, parts),
        ]

    def _stop(self, stop: AlignedStop | None, room: int, parts: bool) -> list[Piece]:
        app = self.app
        if stop is None:
            return [(" " * room, ink(app, "ink"))]
        lead = f"{stop.step:>6,} "
        bars = indented(stop.depth)
        space = room - len(lead) - len(bars)
        shown = fitted([(kind, visible(text)) for kind, text in stop.row], space)
        gap = " " * max(0, space - sum(width(text) for _, text in shown))
        prominent = ("term", "result")
        return [
            (lead, ink(app, "faint")),
            (bars, ink(app, "faint" if stop.depth > DEEPEST else "wall")),
            *((text, ink(app, "ink" if kind in prominent else "faint", bold=parts))
              for kind, text in shown),
            (gap, ink(app, "ink")),
        ]  # fmt: skip
