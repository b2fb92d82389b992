"""Pictures as PDF: vectors, text that can be selected, the typeface embedded."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

from embrix.draw.curves import rounded
from embrix.draw.palette import THEMES, ThemeName
from embrix.draw.scene import Box, Item, Label, Line, Path, Scene
from embrix.draw.svg import arrow_head
from embrix.draw.typefaces import FILES, pieces, register, shown


def write_pdf(pages: Sequence[Scene], theme: ThemeName = "paper") -> bytes:
    """Scenes as a PDF document, a page of its own size for each."""
    from reportlab.pdfgen.canvas import Canvas

    register()
    sink = io.BytesIO()
    canvas = Canvas(sink, invariant=1, initialFontName=FILES["mono"])
    canvas.setCreator("Embrix")
    canvas.setTitle(pages[0].title if pages else "")
    for scene in pages:
        canvas.setPageSize((scene.width, scene.height))
        paint(canvas, scene, theme)
        canvas.showPage()
    canvas.save()
    return sink.getvalue()


def paint(canvas: Any, scene: Scene, theme: ThemeName = "paper", *, ground: bool = True) -> None:
    """Draw a scene with the lower left corner of its room at the origin."""
    from reportlab.lib.colors import HexColor

    colours = {role: HexColor(code) for role, code in THEMES[theme].items()}
    canvas.saveState()
    if ground and theme != "paper":
        canvas.setFillColor(colours["ground"])
        canvas.rect(0, 0, scene.width, scene.height, stroke=0, fill=1)
    for item in scene.items:
        _paint(canvas, item, scene.height, colours)
    canvas.restoreState()


def _paint(canvas: Any, item: Item, top: float, colours: Any) -> None:
    match item:
        case Label(x, y, text, role, bold, size, underlined, face):
            canvas.setFillColor(colours[role])
            end = x
            for style, part in pieces(text, face, bold=bold):
                made = shown(part) if style.startswith("mono") else part
                canvas.setFont(FILES[style], size)
                canvas.drawString(end, top - y, made)
                end += canvas.stringWidth(made, FILES[style], size)
            if underlined:
                canvas.setStrokeColor(colours[role])
                canvas.setLineWidth(0.6)
                canvas.line(x, top - y - 1.8, x + item.width, top - y - 1.8)
        case Line(x, y, to_x, to_y, role, thick, dashed, arrow):
            canvas.setStrokeColor(colours[role])
            canvas.setLineWidth(thick)
            canvas.setDash([3, 2] if dashed else [])
            canvas.line(x, top - y, to_x, top - to_y)
            canvas.setDash([])
            if arrow:
                canvas.setFillColor(colours[role])
                head = canvas.beginPath()
                for number, (a, b) in enumerate(arrow_head(item)):
                    (head.lineTo if number else head.moveTo)(a, top - b)
                head.close()
                canvas.drawPath(head, stroke=0, fill=1)
        case Box(x, y, wide, high, role, fill, round_):
            canvas.setStrokeColor(colours[role])
            canvas.setLineWidth(0.8)
            if fill:
                canvas.setFillColor(colours[fill])
            canvas.roundRect(x, top - y - high, wide, high, round_ or 0.001,
                             stroke=int(fill != role), fill=int(fill is not None))  # fmt: skip
        case Path(points, role, thick, round_):
            canvas.setStrokeColor(colours[role])
            canvas.setLineWidth(thick)
            path = canvas.beginPath()
            for word, pairs in rounded(points, round_):
                flat = [value for a, b in pairs for value in (a, top - b)]
                {"M": path.moveTo, "L": path.lineTo, "C": path.curveTo}[word](*flat)
            canvas.drawPath(path, stroke=1, fill=0)
