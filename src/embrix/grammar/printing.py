"""Printing a term back as source, from the grammar alone.

For each nonterminal and each form the cheapest way to the form is worked out once: through rules
that only pass a value on, counting the literals they add (parentheses, say). Printing follows these
routes, so parentheses appear exactly where the grammar demands them, dangling ends included. A
space stands between two tokens where they would fuse, and where the usual habits of writing put
one.

What the grammar cannot write (a negative literal, a closure) is printed between ‹ and ›.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from typing import Any

from embrix.grammar.breaking import break_lines
from embrix.grammar.fragments import Fragments
from embrix.grammar.pieces import MARK, Fragment, LeftOut, Other, Piece
from embrix.grammar.printed import Path, Printed, Way
from embrix.terms.node import FIELDS, Value

MOST_MARKED = 50
"""Parts of one term that are put in marks because they would be read otherwise."""


class Printer(Fragments):
    """Prints terms of one grammar."""

    def show(
        self,
        term: Value,
        rule: str | None = None,
        focus: Path | None = None,
        most: int = 20_000,
        width: int | None = None,
        deep: int | None = None,
    ) -> Printed:
        """A term as derived from a rule (default: the first start rule). `most` bounds pieces;
        what lies more than `deep` levels below is left out, save on the way to the focus.

        With a `width`, lines are broken so that they keep within it where the term allows.
        """
        start = self._grammar.entry[rule] if rule else self._start_for(term)
        shared = self._shared(term, start, focus, most, deep) if width is None else None
        if shared is not None:
            parts, marks = shared
            return self._spacing.joined(parts, self._gaps(parts), marks, whole=True)
        marked: set[int] = set()
        for _ in range(MOST_MARKED):
            pieces, marks, groups, whole, wrong = self._pieces(
                term, start, focus, most, marked, deep
            )
            if wrong is None:
                break
            marked.add(wrong)
        gaps = self._gaps(pieces)
        if width is not None and not any(piece.made for piece in pieces):
            free = self._spacing.may_be_spaced
            fixed = {at for at, piece in enumerate(pieces) if not free(piece)}
            break_lines([piece.text for piece in pieces], gaps, groups, width, fixed)
        return self._spacing.joined(pieces, gaps, marks, whole)

    def _pieces(
        self,
        term: Value,
        start: int,
        focus: Path | None,
        most: int,
        marked: set[int],
        deep: int | None,
    ) -> tuple[list[Piece], list[int], list[tuple[int, bool]], bool, int | None]:
        """The pieces of a term, where the focus and the groups begin and end, whether all are
        there; and the identity of a part that would be read otherwise, because what was left out
        at its end could begin with what follows. `marked` parts are written in marks."""
        pieces: list[Piece] = []
        marks: list[int] = []
        groups: list[tuple[int, bool]] = []
        left_out: list[LeftOut] = []
        for piece in self._walk(term, start, focus, marked, deep):
            if piece is None:
                marks.append(len(pieces))
            elif isinstance(piece, bool):
                groups.append((len(pieces), piece))
            elif isinstance(piece, LeftOut):
                left_out.append(piece)
            elif len(pieces) >= most:
                return pieces, marks, groups, False, None
            else:
                for missing in left_out:
                    if piece.terminal >= 0 and self._begins(missing.symbol, piece.terminal):
                        return pieces, marks, groups, True, missing.owner
                left_out.clear()
                pieces.append(piece)
        return pieces, marks, groups, True, None

    def _gaps(self, pieces: Sequence[Piece | Fragment]) -> list[str]:
        """What stands before each piece, and at the end."""
        pairs = itertools.pairwise(pieces)
        return [
            "",
            *(self._spacing.gap(a.last, b.first) for a, b in pairs if a.last and b.first),
            "",
        ]

    # ------------------------------------------------------------------ walking

    def _shared(
        self, term: Value, start: int, focus: Path | None, most: int, deep: int | None
    ) -> tuple[list[Piece | Fragment], list[int]] | None:
        """The pieces of a term whose parts beside the way to the focus are fragments, and where the
        focus begins and ends; None where it has to be gone through piece by piece."""
        if self._bracketed:
            return None
        pieces: list[Piece | Fragment] = []
        marks: list[int] = []
        left_out: tuple[LeftOut, ...] = ()
        level = count = 0
        stack: list[Any] = [(start, term, _linked(focus))]
        while stack:
            job = stack.pop()
            if job is None:
                marks.append(len(pieces))
                continue
            if isinstance(job, bool):
                continue
            if isinstance(job, LeftOut):
                left_out += (job,)
                continue
            if isinstance(job, Other):
                job = self._next_of(job, stack)
                if job is None:
                    continue
            if isinstance(job, tuple):
                left, value, path = job
                if path is not None or not isinstance(value, tuple):
                    level += isinstance(value, tuple)
                    stack.extend(reversed(self._expanded(left, value, path, marked=False,
                                                         inside=True)))  # fmt: skip
                    continue
                job = self._fragment(left, value)
                if job is None or (deep is not None and level + job.depth > deep):
                    return None
            if job.first is None:
                left_out += job.left_out
                continue
            if self._clashes(left_out, job.first) or (count := count + job.count) > most:
                return None
            left_out = job.left_out
            pieces.append(job)
        return pieces, marks

    def _walk(
        self, term: Value, start: int, focus: Path | None, marked: set[int], deep: int | None
    ) -> Iterator[Piece | LeftOut | bool | None]:
        """Pieces from left to right; None before and after the focus, True and False before and
        after what a production builds; greedy parts that were left out."""
        stack: list[Any] = [(start, term, _linked(focus))]
        levels: list[int] = []
        """How much is left to do behind each node that is being printed."""
        while stack:
            job = stack.pop()
            if job is None or isinstance(job, Piece | LeftOut | bool):
                yield job
                continue
            if isinstance(job, Other):
                piece = self._next_of(job, stack)
                if piece is not None:
                    yield piece
                continue
            left, value, path = job
            if isinstance(value, tuple):
                while levels and levels[-1] > len(stack):
                    levels.pop()
                if (
                    deep is not None and path is None and len(levels) > deep
                    and any(isinstance(part, tuple) for part in value[FIELDS:])
                ):  # fmt: skip
                    yield Piece(MARK, "…")
                    continue
                levels.append(len(stack) + 1)
            stack.extend(reversed(self._expanded(
                left, value, path, marked=isinstance(value, tuple) and id(value) in marked,
                inside=len(levels) > 1,
            )))  # fmt: skip


def _linked(path: Path | None) -> Way | None:
    if path is None:
        return None
    way: Way = ()
    for index in reversed(path):
        way = (index, way)
    return way
