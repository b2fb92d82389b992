"""A picture as lines of characters: what stands at one height comes into one line."""

from __future__ import annotations

import math

from embrix.draw.scene import LINE, SIZE, Label, Line, Scene
from embrix.draw.typefaces import ADVANCE
from embrix.text.visible import width

NEAR = 3.0
"""Points by which small writing may lie off the line that it belongs to."""


def write_text(scene: Scene) -> str:
    """Texts and level lines of a scene whose texts are code; other lines are left out."""
    bands: dict[float, list[tuple[int, str]]] = {}
    level = sorted({item.y for item in scene.items if isinstance(item, Line)})
    cell = ADVANCE * SIZE
    left = min((item.x for item in scene.items if isinstance(item, Label | Line)), default=0.0)
    for item in scene.items:
        if isinstance(item, Label):
            # Small writing at the end of a line stands beside it.
            near = [y for y in level if item.size < SIZE and abs(y - item.y) < NEAR]
            height = near[0] if near else item.y
            column = math.ceil((item.x - left) / cell) if near else round((item.x - left) / cell)
            bands.setdefault(round(height, 1), []).append((column, item.text))
        elif isinstance(item, Line) and item.y == item.to_y:
            begin, end = sorted((item.x, item.to_x))
            sign = "╌" if item.dashed else "─"
            length = max(1, round((end - begin) / cell))
            bands.setdefault(round(item.y, 1), []).append(
                (round((begin - left) / cell), sign * length)
            )
    lines = []
    last: float | None = None
    for height in sorted(bands):
        if last is not None and height - last > LINE * 1.4:
            lines.append("")
        last = height
        line = ""
        for column, text in sorted(bands[height]):
            line += " " * (column - width(line)) + text
        lines.append(line.rstrip())
    return "\n".join(lines) + "\n"
