"""Nothing that is drawn steers the terminal: control characters never leave the screen buffer."""

from __future__ import annotations

from rich.segment import Segment
from textual.color import Color
from textual.filter import LineFilter

from embrix.text.visible import without_controls


class SafeText(LineFilter):
    """Takes control characters out of every line that is drawn. Views write them as escapes long
    before; this stands behind all of them."""

    def apply(self, segments: list[Segment], background: Color) -> list[Segment]:
        if all(segment.text.isprintable() for segment in segments):
            return segments
        return [
            Segment(without_controls(text), style, control) if control is None
            else Segment(text, style, control)
            for text, style, control in segments
        ]  # fmt: skip
