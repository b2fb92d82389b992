"""The pieces of a printed term, and what stands between them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import ClassVar

from msgspec import Struct

from embrix.grammar.model import Grammar
from embrix.grammar.printed import Parts, Printed
from embrix.text.source import Span

MARK = -1
"""The terminal number of a piece that no token writes."""


class Piece(Struct, frozen=True):
    terminal: int
    text: str
    tight_after: bool = False
    tight_before: bool = False
    made: str = ""
    """`newline`, `indent` or `dedent` for a token that the layout of the text makes."""

    @property
    def first(self) -> Piece:
        """The piece at its beginning, and at its end: itself."""
        return self

    last = first
    left_out: ClassVar[tuple[LeftOut, ...]] = ()
    count: ClassVar[int] = 1


class Other(Struct, frozen=True):
    """What is left of a node that is no form of the grammar's language."""

    parts: Parts


class LeftOut(Struct, frozen=True):
    """A greedy part that is not there (or not again), of the term with an identity."""

    symbol: int
    owner: int


class Fragment(Struct, frozen=True):
    """What a part of a term is written as: the text with its first and last pieces (none where
    nothing is written), the greedy parts that were left out at its end, how many pieces it has and
    how many levels."""

    text: str
    first: Piece | None
    last: Piece | None
    left_out: tuple[LeftOut, ...]
    count: int
    depth: int
    made: ClassVar[str] = ""


class Spacing:
    """What stands between the pieces of one grammar: where they would fuse, and where the usual
    habits of writing put a space."""

    def __init__(self, grammar: Grammar) -> None:
        self._grammar = grammar
        self._fuse = lru_cache(maxsize=4096)(self._fusing)

    def joined(
        self, pieces: Sequence[Piece | Fragment], gaps: list[str], marks: list[int], whole: bool
    ) -> Printed:
        """The pieces with what stands between them; line ends and indentation are carried out."""
        text: list[str] = []
        at = 0
        starts: list[int] = []
        ends: list[int] = [0]
        level = 0
        broken = False
        for piece, gap in zip(pieces, gaps, strict=False):
            if piece.made:
                level += {"indent": 1, "dedent": -1}.get(piece.made, 0)
                broken = broken or bool(text)
            else:
                between = "\n" + "  " * level if broken else gap
                broken = False
                text.append(between)
                at += len(between)
            starts.append(at)
            text.append(piece.text)
            at += len(piece.text)
            ends.append(at)
        starts.append(at)
        focus = None
        if marks:
            begin = marks[0]
            end = marks[1] if len(marks) > 1 else len(pieces)
            focus = Span(starts[begin], max(ends[end], starts[begin]))
        if not whole:
            text.append(" …")
        return Printed("".join(text), focus, whole)

    def gap(self, left: Piece, right: Piece) -> str:
        """What stands between two pieces on one line: a space or nothing."""
        if left.made or right.made:
            return ""
        tight = left.tight_after or right.tight_before
        if not tight:
            return " " if self.may_be_spaced(right) or self._fuse(left, right) else ""
        return " " if self._fuse(left, right) and self.may_be_spaced(right) else ""

    def may_be_spaced(self, piece: Piece) -> bool:
        """Whether a space or line end may stand before a piece."""
        return piece.terminal == MARK or self._grammar.tokens.spaced(piece.terminal)

    def _fusing(self, left: Piece, right: Piece) -> bool:
        if left.terminal == MARK or right.terminal == MARK:
            return False
        return self._grammar.tokens.fuse(left.text, right.text, (left.terminal, right.terminal))
