"""The typefaces of pictures: code in one whose characters are equally wide, words in a proportional
one, formulas with their variables slanted.

What a typeface lacks is taken from that of code, which has it or shows a box.
"""

from __future__ import annotations

import re
from functools import lru_cache
from itertools import groupby
from pathlib import Path
from typing import Any, Literal, TypeAlias

from embrix.text.visible import width

ADVANCE = 0.60205
"""The width of a character of code as a share of the size of the type (DejaVu Sans Mono)."""
INSTEAD = "□"
"""What stands for a character that no typeface has."""

Face: TypeAlias = Literal["code", "text", "formula"]
"""What a text is, not how it looks: a program, words, or mathematics."""
Style: TypeAlias = Literal["mono", "mono bold", "serif", "serif bold", "serif italic"]

FILES: dict[Style, str] = {
    "mono": "DejaVuSansMono", "mono bold": "DejaVuSansMono-Bold",
    "serif": "DejaVuSerif", "serif bold": "DejaVuSerif-Bold", "serif italic": "DejaVuSerif-Italic",
}  # fmt: skip
"""The typeface of each style; its file lies in `fonts`, its name is that in a PDF as well."""
FONTS = Path(__file__).with_name("fonts")

WORDS = (
    "no clause above applies", "where", "there is no", "fails with", "is written", "is final",
    "recursively", "otherwise", "error", "dom",
)  # fmt: skip
"""Words that stand between formulas; a language may have some of them among its own."""
FORMULA = re.compile(
    rf"\b(?:{'|'.join(WORDS)})\b|[A-Za-z][A-Za-z0-9_']*|\d+(?:\.\d+)?|[ \n\r\t]+|.", re.DOTALL
)
"""The pieces of a formula: words, names, numbers, blanks, signs."""


def is_variable(piece: str) -> bool:
    """Whether a piece of a formula is a letter that stands alone: a variable."""
    return len(piece) == 1 and piece.isalpha() and (piece.isascii() or piece.islower())


@lru_cache(4_000)
def pieces(text: str, face: Face, *, bold: bool = False) -> tuple[tuple[Style, str], ...]:
    """The parts of a text with the style of each."""
    if face == "code":
        return (("mono bold" if bold else "mono", text),)
    words = FORMULA.findall(text) if face == "formula" else [text]
    styled = [(_style(word, face, bold=bold), sign) for word in words for sign in word]
    styled = [(style if has(sign, style) else "mono", sign) for style, sign in styled]
    runs = groupby(styled, lambda one: one[0])
    return tuple([(style, "".join(sign for _, sign in run)) for style, run in runs])


def _style(word: str, face: Face, *, bold: bool) -> Style:
    if face == "text":
        return "serif bold" if bold else "serif"
    if is_variable(word):
        return "serif italic"
    program = word[0].isalpha() and word.isascii() and word not in WORDS
    return "mono" if program else "serif"


def wide(text: str, size: float, face: Face = "code", *, bold: bool = False) -> float:
    """The width of a text."""
    if face == "code":
        return width(text) * ADVANCE * size
    return size * sum(_share(part, style) for style, part in pieces(text, face, bold=bold))


@lru_cache(8_000)
def _share(text: str, style: Style) -> float:
    """The width of a text as a share of its size."""
    if style.startswith("mono"):
        return width(text) * ADVANCE
    return float(_font(style).stringWidth(text, 1))


def has(character: str, style: Style = "mono") -> bool:
    """Whether the typeface of a style can show a character."""
    return ord(character) in _font(style).face.charToGlyph


def shown(text: str) -> str:
    """The text of a program with boxes for what the typeface of code does not have."""
    return "".join(c if has(c) else INSTEAD * max(1, width(c)) for c in text)


def _font(style: Style) -> Any:
    from reportlab.pdfbase import pdfmetrics

    register()
    return pdfmetrics.getFont(FILES[style])


@lru_cache(1)
def register() -> None:
    """Make the typefaces known to what writes PDF."""
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    for name in FILES.values():
        pdfmetrics.registerFont(TTFont(name, str(FONTS / f"{name}.ttf")))
    plain, bold = FILES["serif"], FILES["serif bold"]
    pdfmetrics.registerFontFamily(
        plain, normal=plain, bold=bold, italic=FILES["serif italic"], boldItalic=bold
    )
