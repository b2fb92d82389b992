"""Inference rules as pictures and as LaTeX: what is wide in rows, narrow rules in columns."""

from __future__ import annotations

import textwrap
from collections.abc import Iterator, Sequence
from functools import partial

from msgspec.structs import replace

from embrix.draw.derivations import GAP, Derivation, rule_block, rule_latex, stacked_latex
from embrix.draw.latex import in_math, in_text
from embrix.draw.plain import write_text
from embrix.draw.rules import InferenceRule
from embrix.draw.scene import (
    LINE,
    Drawing,
    Scene,
    Tile,
    beside,
    centred,
    in_rows,
    paged,
    text_block,
    wide,
)
from embrix.draw.typefaces import Face

COLUMN = 240.0
"""Points of a column, two of which stand on a page."""
BROAD = 560.0
"""Points that premises and conditions may take beside each other; what is more goes on above the
line in further rows."""


def draw_rules(
    rules: Sequence[InferenceRule], title: str, high: float | None = None, *, pairs: bool = False
) -> Drawing:
    """Rules below each other, on pages of a height if one is given; narrow ones in `pairs` beside
    each other on request."""
    latex: list[str] = []
    for rule in rules:
        rows = list(_rows(_parts(rule, "code")))
        written = [[text for _, text in row] for row in rows]
        conclusion = in_math(rule.conclusion, letters=rule.paper)
        latex.append("\\[\n" + rule_latex(stacked_latex(written), conclusion, rule.name) + "\n\\]")

    def on_pages(face: Face) -> list[Scene]:
        blocks = [_block(rule, face if rule.paper else "code") for rule in rules]
        return paged(list(_pairs(blocks)) if pairs else blocks, LINE, title, high)

    text = "\n".join(map(write_text, on_pages("code")))
    return Drawing(tuple(on_pages("formula")), text, "\n\n".join(latex))


def _block(rule: InferenceRule, face: Face) -> Tile:
    """A rule as a picture."""
    tiles = [beside((tile for tile, _ in row), GAP) for row in _rows(_parts(rule, face))]
    above = [centred(tiles)] if tiles else []
    return rule_block(Derivation(rule.conclusion, rule.name), above, face)


def _parts(rule: InferenceRule, face: Face) -> list[tuple[Tile, str]]:
    """What stands above the line, as a picture and as LaTeX: premises, and conditions after
    them."""
    math = partial(in_math, letters=rule.paper)
    parts = [(text_block(line, face=face), math(line))
             for one in rule.premises for line in _lines(one)]  # fmt: skip
    return parts + [
        (text_block(line, "faint", face=face),
         math(line) if rule.paper else rf"\text{{{in_text(line)}}}")
        for one in rule.conditions for line in _lines(one)
    ]  # fmt: skip


def _pairs(blocks: Sequence[Tile]) -> Iterator[Tile]:
    """Neighbours that fit into a column each, beside each other."""
    waiting: Tile | None = None
    for block in blocks:
        narrow = block.width <= COLUMN
        if waiting is not None and narrow:
            filled = replace(waiting, width=COLUMN)
            yield beside([filled, block], GAP)
            waiting = None
            continue
        if waiting is not None:
            yield waiting
        waiting = block if narrow else None
        if not narrow:
            yield block
    if waiting is not None:
        yield waiting


def _lines(text: str) -> list[str]:
    """A text that is wider than there is room, in several lines."""
    return textwrap.wrap(text, int(BROAD / wide("m")), break_on_hyphens=False) or [text]


def _rows(parts: Sequence[tuple[Tile, str]]) -> Iterator[list[tuple[Tile, str]]]:
    """Parts in rows, as many in each as there is room for."""
    return in_rows(parts, lambda part: part[0].width, GAP, BROAD)
