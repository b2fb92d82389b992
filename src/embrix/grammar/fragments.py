"""Texts of parts of terms that are made once: neighbouring terms of a run share most of what is in
them.

A fragment is what a part is written as, joined, with its first and last pieces, on which what
stands between it and its neighbours depends. What cannot be joined beforehand has none: layout that
is part of the language, greedy parts that were left out where what follows could begin them, terms
of very many levels. The printer goes through that piece by piece.
"""

from __future__ import annotations

from typing import Any

from msgspec import Struct

from embrix.grammar.expanding import Expanding
from embrix.grammar.model import Grammar
from embrix.grammar.pieces import Fragment, LeftOut, Other, Piece, Spacing
from embrix.grammar.printed import Others
from embrix.grammar.sets import sets_of
from embrix.terms.node import Value

DEEPEST, MOST_PIECES = 200, 20_000
"""Levels and pieces of a part that has a fragment: parts that are shared many times may be written
as more than there is room for."""
MOST_TEXT = 4_000_000
"""Characters of all fragments that are kept."""


class _Writing(Struct):
    """A part whose fragment is being made: where it stands, what of it is still to be written, and
    what has been written."""

    left: int
    value: Value
    jobs: list[Any]
    text: list[str] = []
    first: Piece | None = None
    last: Piece | None = None
    left_out: tuple[LeftOut, ...] = ()
    count: int = 0
    depth: int = 0


class Fragments(Expanding):
    """The fragments of the terms of one grammar."""

    def __init__(
        self, grammar: Grammar, others: Others | None = None, *, bracketed: bool = False
    ) -> None:
        super().__init__(grammar, others, bracketed=bracketed)
        self._spacing = Spacing(grammar)
        self._fragments: dict[tuple[int, int], tuple[Value, Fragment]] = {}
        self._characters = 0

    def _begins(self, symbol: int, terminal: int) -> bool:
        return sets_of(self._grammar).may_begin(symbol, terminal)

    def _clashes(self, left_out: tuple[LeftOut, ...], first: Piece) -> bool:
        """Whether a piece cannot stand behind parts that were left out, or is made by layout."""
        return bool(first.made) or (first.terminal >= 0 and any(
            self._begins(one.symbol, first.terminal) for one in left_out))  # fmt: skip

    def _fragment(self, left: int, value: Value) -> Fragment | None:
        """What a part is written as where a nonterminal stands; None where it has no fragment."""
        open_: list[_Writing] = []
        made = self._known(left, value)
        if made is None:
            open_.append(self._begun(left, value))
        while open_:
            now = open_[-1]
            if made is not None:
                if not self._add(now, made):
                    return None
                now.depth = max(now.depth, made.depth)
                made = None
            if not now.jobs:
                made = self._kept(now)
                open_.pop()
                continue
            job = now.jobs.pop()
            if job is None or isinstance(job, bool):
                continue
            if isinstance(job, LeftOut):
                now.left_out += (job,)
            elif isinstance(job, Piece):
                if not self._add(now, job):
                    return None
            elif isinstance(job, Other):
                piece = self._next_of(job, now.jobs)
                if piece is not None and not self._add(now, piece):
                    return None
            elif not isinstance(job[1], tuple):
                parts = self._expanded(job[0], job[1], None, marked=False, inside=True)
                now.jobs += reversed(parts)
            elif (made := self._known(job[0], job[1])) is None:
                if len(open_) >= DEEPEST:
                    return None
                open_.append(self._begun(job[0], job[1]))
        return made

    def _known(self, left: int, value: Value) -> Fragment | None:
        known = self._fragments.get((left, id(value)))
        return known[1] if known is not None else None

    def _begun(self, left: int, value: Value) -> _Writing:
        parts = self._expanded(left, value, None, marked=False, inside=True)
        return _Writing(left, value, parts[::-1])

    def _add(self, now: _Writing, piece: Piece | Fragment) -> bool:
        """Write a piece behind what there is; whether that can be done beforehand."""
        first = piece.first
        if first is None:  # nothing is written there
            now.left_out += piece.left_out
            return True
        if self._clashes(now.left_out, first) or now.count + piece.count > MOST_PIECES:
            return False
        if now.last is None:
            now.first = first
        else:
            now.text.append(self._spacing.gap(now.last, first))
        now.text.append(piece.text)
        now.last, now.left_out, now.count = piece.last, piece.left_out, now.count + piece.count
        return True

    def _kept(self, now: _Writing) -> Fragment:
        text = "".join(now.text)
        made = Fragment(text, now.first, now.last, now.left_out, now.count, now.depth + 1)
        self._characters += len(text) + 100
        if self._characters > MOST_TEXT:
            self._fragments.clear()
            self._characters = len(text) + 100
        self._fragments[now.left, id(now.value)] = (now.value, made)
        return made
