"""What lies below a dialog, dimmed.

The library mixes the colours of every piece of text each time the screen below is drawn, which is
several times while a dialog opens. There are few styles: what becomes of each is kept.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from rich.segment import Segment
from rich.style import Style
from textual.color import Color
from textual.css.styles import RulesMap
from textual.renderables.background_screen import BackgroundScreen
from textual.screen import Screen
from textual.strip import Strip
from textual.style import Style as OwnStyle
from textual.visual import RenderOptions, Visual


class Dimmed(Visual):
    """A screen, seen through a colour."""

    def __init__(self, below: Screen[Any], through: Color) -> None:
        self._below = below
        self._through = through

    def render_strips(
        self, width: int, height: int | None, style: OwnStyle, options: RenderOptions
    ) -> list[Strip]:
        own, through = style.rich_style, self._through
        return [
            Strip(Segment(text, _dimmed(own, worn, through)) for text, worn, _ in line)
            for line in self._below._compositor.render_strips()[:height]
        ]

    def get_optimal_width(self, rules: RulesMap, container_width: int) -> int:
        return self._below.size.width

    def get_height(self, rules: RulesMap, width: int) -> int:
        return self._below.size.height


@lru_cache(maxsize=4_096)
def _dimmed(own: Style, worn: Style | None, through: Color) -> Style | None:
    """A style of the screen below, over that of the dialog itself."""
    (segment,) = BackgroundScreen.process_segments([Segment("", worn)], through)
    return own + segment.style
