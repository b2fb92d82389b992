"""A handout as one HTML page that needs nothing else, or as one PDF."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator, Sequence
from html import escape
from pathlib import Path
from typing import Any

from embrix.documents.handout import HandoutPart
from embrix.documents.latex_pages import latex_of
from embrix.draw.pdf import paint
from embrix.draw.scene import Scene
from embrix.draw.svg import write_svg
from embrix.draw.typefaces import ADVANCE, FILES, pieces, register, shown
from embrix.text.saving import save_bytes, save_text
from embrix.text.visible import visible

ENDINGS = (".html", ".pdf", ".tex")
CODE, WORDS, HEADS = FILES["mono"], FILES["serif"], FILES["serif bold"]
"""The typefaces of programs, of words, and of headings."""
EVEN = 0.72
"""What pictures that belong together are made smaller to at most, so that they are of one size."""
SMALLEST, THICK = 0.4, 0.35
"""A picture that would be smaller than the first is turned if its height is so much of its width:
what is turned takes most of a page."""
SHORT = 12
"""Rows of a table up to which it stays on one page."""
LEAST = 120.0
"""Points that a longer table has at least on the page on which it begins."""
LEVELS = {"title": 0, "heading": 1, "subheading": 2}
"""How deep the kinds of headings lie among the bookmarks."""


def write_handout(parts: Sequence[HandoutPart], path: Path) -> None:
    """Write a handout to a file. Raises ValueError for another ending, OSError."""
    if path.suffix == ".html":
        save_text(path, html_of(parts))
    elif path.suffix == ".pdf":
        save_bytes(path, pdf_of(parts))
    elif path.suffix == ".tex":
        save_text(path, latex_of(parts))
    else:
        raise ValueError("the name of the file ends in .html, .pdf or .tex")


# ---------------------------------------------------------------------- HTML

STYLE = """
body { font: 15px/1.5 Georgia, serif; max-width: 62rem; margin: 2rem auto; padding: 0 1rem;
  color: #000; background: #fff; }
h1, h2, h3 { font-family: 'DejaVu Sans', Verdana, sans-serif; line-height: 1.2; }
h2 { border-bottom: 1px solid #000; margin-top: 2.5rem; }
pre { font: 13px/1.4 'DejaVu Sans Mono', monospace; background: #f1f1f1; padding: .6rem;
  overflow-x: auto; }
svg { max-width: 100%; height: auto; display: block; margin: .8rem 0; }
table { border-collapse: collapse; }
td + td { font: 13px/1.4 'DejaVu Sans Mono', monospace; white-space: pre-wrap; }
nav { columns: 2 14rem; font: 14px/1.6 'DejaVu Sans', Verdana, sans-serif; }
nav ol { margin: 0; }
nav a { color: inherit; }
td, th { text-align: left; vertical-align: top; padding: .15rem .8rem .15rem 0;
  border-bottom: 1px solid #ccc; }
@media (max-width: 40rem) {
  body { margin: .5rem auto; }
  table { display: block; overflow-x: auto; }
}
@media print {
  body { margin: 0; max-width: none; font-size: 11px; }
  h1, h2, h3 { break-after: avoid; }
  svg, tr, pre { break-inside: avoid; }
  pre { background: none; white-space: pre-wrap; }
}
"""
FEW = 4
"""Headings from which on a handout has contents."""


def html_of(parts: Sequence[HandoutPart]) -> str:
    """One page that needs nothing else."""
    title = escape(parts[0].text) if parts else ""
    lines = ["<!doctype html>", '<html lang="en">', '<meta charset="utf-8">',
             '<meta name="viewport" content="width=device-width, initial-scale=1">',
             f"<title>{title}</title>", f"<style>{STYLE}</style>"]  # fmt: skip
    headings = [part.text for part in parts if part.kind == "heading"]
    tags = {"title": "h1", "heading": "h2", "subheading": "h3", "text": "p", "code": "pre"}
    at = 0
    for part in parts:
        if part.kind in tags:
            tag = tags[part.kind]
            at += part.kind == "heading"
            name = f' id="part{at}"' if part.kind == "heading" else ""
            lines.append(f"<{tag}{name}>{escape(part.text)}</{tag}>")
            if part.kind == "title" and len(headings) >= FEW:
                lines += _contents(headings)
        elif part.kind == "picture":
            lines += [write_svg(scene) for scene in part.pictures]
        else:
            lines.append("<table>")
            for number, row in enumerate(part.rows):
                cell = "td" if number else "th"
                cells = "".join(f"<{cell}>{escape(one)}</{cell}>" for one in row)
                lines.append(f"<tr>{cells}</tr>")
            lines.append("</table>")
    return visible("\n".join([*lines, "</html>", ""]), keep="\n")


def _contents(headings: Sequence[str]) -> Iterator[str]:
    yield "<nav><ol>"
    for number, text in enumerate(headings, 1):
        yield f'<li><a href="#part{number}">{escape(text)}</a></li>'
    yield "</ol></nav>"


# ---------------------------------------------------------------------- PDF


def pdf_of(parts: Sequence[HandoutPart]) -> bytes:
    """A PDF on pages of the size A4, the typeface embedded."""
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import (
        CondPageBreak,
        Paragraph,
        SimpleDocTemplate,
        Spacer,
        TableStyle,
    )
    from reportlab.platypus.tableofcontents import TableOfContents

    class Outlined(SimpleDocTemplate):  # type: ignore[misc]
        """Headings become bookmarks and lines of the contents."""

        def beforeDocument(self) -> None:  # noqa: N802
            self.headings, self.deepest = 0, -1

        def afterFlowable(self, flowable: Any) -> None:  # noqa: N802
            level = LEVELS.get(flowable.style.name) if isinstance(flowable, Paragraph) else None
            if level is None:
                return
            self.headings += 1
            key, text = f"part{self.headings}", flowable.getPlainText()
            self.canv.bookmarkPage(key)
            self.deepest = min(level, self.deepest + 1)  # none may be left out
            self.canv.addOutlineEntry(text, key, self.deepest, closed=level > 0)
            if level == 1:
                self.notify("TOCEntry", (0, escape(text), self.page, key))

    register()
    sink = io.BytesIO()
    title = visible(parts[0].text) if parts else ""
    document = Outlined(
        sink, pagesize=A4, leftMargin=54, rightMargin=54, topMargin=54, bottomMargin=54,
        title=title, author="", creator="Embrix", invariant=1, initialFontName=WORDS, lang="en",
    )  # fmt: skip
    flow: list[Any] = []
    many = sum(part.kind == "heading" for part in parts) >= FEW
    for part, after in zip(parts, [*parts[1:], None], strict=True):
        made = list(_flowables(part, document.width, document.height - 12))
        if part.kind == "heading" and after is not None and len(after.rows) > SHORT:
            # Together with a whole table it would begin a page.
            made[0].keepWithNext = False
            flow.append(CondPageBreak(LEAST))
        flow += made
        if part.kind == "title" and many:
            line = ParagraphStyle("contents", fontName=WORDS, fontSize=9, leading=13)
            rows = TableStyle(
                [("FONTNAME", (0, 0), (-1, -1), WORDS), ("PADDING", (0, 0), (-1, -1), 0)]
            )
            contents = TableOfContents(levelStyles=[line], dotsMinLevel=0, tableStyle=rows)
            flow += [contents, Spacer(1, 10)]

    def numbered(canvas: Any, _document: Any) -> None:
        canvas.setFont(WORDS, 8)
        canvas.drawRightString(A4[0] - 54, 30, str(canvas.getPageNumber()))

    document.multiBuild(flow, onFirstPage=numbered, onLaterPages=numbered)
    return sink.getvalue()


def _flowables(part: HandoutPart, width: float, height: float) -> Iterator[Any]:
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import Paragraph, Preformatted, Spacer, Table

    sizes = {"title": 18, "heading": 13, "subheading": 10}
    if part.kind in sizes:
        size = sizes[part.kind]
        style = ParagraphStyle(part.kind, fontName=HEADS, fontSize=size, leading=size * 1.3,
                               spaceBefore=size, spaceAfter=size * 0.4, keepWithNext=1)  # fmt: skip
        yield Paragraph(_words(part.text), style)
    elif part.kind == "text":
        # A short text tells what follows it.
        style = ParagraphStyle("text", fontName=WORDS, fontSize=9.5, leading=13.5, spaceAfter=5,
                               keepWithNext=int(len(part.text) < 160))  # fmt: skip
        yield Paragraph(_words(part.text), style)
    elif part.kind == "code":
        style = ParagraphStyle("code", fontName=CODE, fontSize=7.5, leading=10, spaceAfter=6)
        fitting = int(width / (7.5 * ADVANCE))
        text = _program(part.text)
        yield Preformatted(text, style, maxLineLength=fitting, newLineChars="  ")
    elif part.kind == "picture":
        # Pictures that belong together are of one size, as far as that can be read.
        levels = [min(1.0, width / one.width, height / one.height) for one in part.pictures]
        even = max(min(levels, default=1.0), EVEN)
        for scene in part.pictures:
            yield _picture(scene, width, height, even)
            yield Spacer(1, 6)
    else:
        rows = [[Paragraph(*_cell(one, row=number, column=column))
                 for column, one in enumerate(row)]
                for number, row in enumerate(part.rows)]  # fmt: skip
        count = max(map(len, part.rows), default=1)
        shares = (0.26, 0.42, 0.32) if count == 3 else (1 / count,) * count
        widths = [width * share for share in shares]
        kind = _whole(height) if len(rows) <= SHORT else Table
        yield kind(rows, colWidths=widths, repeatRows=1, splitInRow=1, style=[
            ("LINEBELOW", (0, 0), (-1, 0), 0.8, "#000000"),
            ("LINEBELOW", (0, 1), (-1, -1), 0.3, "#bbbbbb"),
            ("VALIGN", (0, 0), (-1, -1), "TOP"), ("FONTNAME", (0, 0), (-1, -1), WORDS),
        ])  # fmt: skip
        yield Spacer(1, 8)


def _whole(height: float) -> Any:
    """Tables that stay whole if they fit on a page. Something that is kept with the next part is
    kept with them (which it is not where `KeepTogether` stands around a table)."""
    from reportlab.platypus import Table

    class Whole(Table):  # type: ignore[misc]
        def split(self, wide: float, high: float) -> list[Any]:
            fits = self.wrap(wide, height)[1] <= height
            return [] if fits and high < height else super().split(wide, high)

    return Whole


def _cell(text: str, *, row: int, column: int) -> tuple[str, Any]:
    """What stands in a cell of a table, and how: what a row is about in words, the rest as code."""
    from reportlab.lib.styles import ParagraphStyle

    if row and column:
        style = ParagraphStyle("code", fontName=CODE, fontSize=7, leading=9)
        return _in_lines(escape(_program(text))), style
    font = WORDS if row else HEADS
    return _words(text), ParagraphStyle("words", fontName=font, fontSize=7.5, leading=9)


def _in_lines(text: str) -> str:
    """Lines of a paragraph; of several blanks together, and of those at its beginning, each line
    keeps all: it can be broken behind the last."""
    kept = re.sub(r"(?m)^ +| +(?= )", lambda blanks: "\xa0" * len(blanks[0]), text)
    return kept.replace("\n", "<br/>")


def _words(text: str) -> str:
    """Words as a paragraph has them: signs that their typeface lacks in that of code."""
    return "".join(
        f'<font name="{CODE}">{escape(shown(part))}</font>' if style == "mono" else escape(part)
        for style, part in pieces(visible(text), "text")
    )


def _program(text: str) -> str:
    """A text as the typeface of code can show it."""
    return "\n".join(map(shown, visible(text, keep="\n").split("\n")))


def _picture(scene: Scene, width: float, height: float, most: float = 1.0) -> Any:
    """A scene as something that takes its place on a page, at `most` so large, made smaller where
    it has to be; turned where it could hardly be read otherwise."""
    from reportlab.platypus import Flowable

    level = min(most, width / scene.width, height / scene.height)
    upright = min(most, height / scene.width, width / scene.height)
    turned = level < SMALLEST and scene.height > THICK * scene.width and upright > level
    scale = upright if turned else level

    class Picture(Flowable):  # type: ignore[misc]
        def wrap(self, _width: float, _height: float) -> tuple[float, float]:
            size = (scene.width * scale, scene.height * scale)
            return (size[1], size[0]) if turned else size

        def draw(self) -> None:
            self.canv.saveState()
            if turned:
                self.canv.translate(scene.height * scale, 0)
                self.canv.rotate(90)
            self.canv.scale(scale, scale)
            paint(self.canv, scene, ground=False)
            self.canv.restoreState()

    return Picture()
