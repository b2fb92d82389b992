"""Printing a term back as source, from the grammar alone.

For each nonterminal and each form the cheapest way to the form is worked out once: through rules
that only pass a value on, counting the literals they add (parentheses, say). Printing follows these
routes, so parentheses appear exactly where the grammar demands them, dangling ends included. A
space stands between two tokens where they would fuse, and where the usual habits of writing put
one.

What the grammar cannot write (a negative literal, a closure) is printed between ‹ and ›.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, TypeAlias

from embrix.grammar.actions import Unfit, read_token
from embrix.grammar.model import Grammar, Production
from embrix.grammar.tokens import Token
from embrix.terms.node import FIELDS, Node, Value
from embrix.terms.numbers import write_number
from embrix.text.source import Span

OPEN, CLOSE = "‹", "›"
MARK = -1
"""The terminal number of a piece that no token writes."""

Path: TypeAlias = tuple[int, ...]
"""The way from a term to a part of it: indexes of fields."""


@dataclass(frozen=True, slots=True)
class Printed:
    """A term as text. `focus` is where the part asked for stands; `whole` is False when cut off."""

    text: str
    focus: Span | None = None
    whole: bool = True


@dataclass(frozen=True, slots=True)
class _Piece:
    terminal: int
    text: str
    tight_after: bool = False
    tight_before: bool = False


@dataclass(frozen=True, slots=True)
class _Route:
    """The productions from a nonterminal down to one that builds a form."""

    through: tuple[Production, ...]
    last: Production


class Printer:
    """Prints terms of one grammar."""

    def __init__(self, grammar: Grammar) -> None:
        self._grammar = grammar
        self._routes: dict[int, dict[int, list[_Route]]] = {}
        self._fuse = lru_cache(maxsize=4096)(self._fusing)
        self._spaced = not grammar.tokens.cut(" ").invalid

    def show(
        self, term: Value, rule: str | None = None, focus: Path | None = None, most: int = 20_000
    ) -> Printed:
        """A term as derived from a rule (default: the first start rule). `most` bounds pieces."""
        grammar = self._grammar
        pieces: list[_Piece] = []
        marks: list[int] = []
        whole = True
        start = grammar.entry[rule or self.rule_for(term)]
        for piece in self._walk(term, start, focus):
            if piece is None:
                marks.append(len(pieces))
            elif len(pieces) >= most:
                whole = False
                break
            else:
                pieces.append(piece)
        return self._join(pieces, marks, whole)

    def rule_for(self, term: Value) -> str:
        """The start rule, or for a term of another sort the first rule that reaches its form."""
        grammar = self._grammar
        names = (*grammar.starts, *grammar.entry)
        if isinstance(term, tuple):
            for name in names:
                if term[0] in self._reach(grammar.entry[name]):
                    return name
        return names[0]

    def literal(self, value: Value) -> str | None:
        """How a token writes a number or name, or None when none can."""
        text = value if isinstance(value, str) else write_number(value)
        for index, kind in enumerate(self._grammar.tokens.kinds):
            if not kind.skip and kind.conversion == (
                "Name" if isinstance(value, str) else "Number"
            ):
                terminal = len(self._grammar.tokens.literals) + index
                if self._writes(terminal, text, value):
                    return text
        return None

    # ------------------------------------------------------------------ routes

    def _reach(self, start: int) -> dict[int, list[_Route]]:
        """For each form (by tag) the ways to it from a nonterminal, the cheapest first."""
        if start in self._routes:
            return self._routes[start]
        found: dict[int, list[_Route]] = {}
        done: set[int] = set()
        count = 0
        heap: list[tuple[int, int, int, tuple[Production, ...]]] = [(0, 0, start, ())]
        while heap:
            cost, _, left, through = heapq.heappop(heap)
            if left in done:
                continue
            done.add(left)
            for production in self._grammar.by_left.get(left, ()):
                if production.form is not None:
                    route = _Route(through, production)
                    found.setdefault(production.form.tag, []).append(route)
                elif production.right and production.right[production.passes] < 0:
                    count += 1
                    target = production.right[production.passes]
                    extra = cost + len(production.right) - 1
                    heapq.heappush(heap, (extra, count, target, (*through, production)))
        self._routes[start] = found
        return found

    def _route(self, left: int, term: Node) -> _Route | None:
        for route in self._reach(left).get(term[0], ()):
            if self._can_build(route.last, term):
                return route
        return None

    def _can_build(self, production: Production, term: Node) -> bool:
        covered = {index for index in production.fields if index >= 0}
        if len(covered) < len(term) - FIELDS:
            return False
        for symbol, index in zip(production.right, production.fields, strict=True):
            if index < 0 and (symbol < 0 or symbol >= len(self._grammar.tokens.literals)):
                return False  # a part that fills no field: nothing says what stood there
            if index >= 0 and isinstance(term[FIELDS + index], tuple) != (symbol < 0):
                return False
        return True

    # ------------------------------------------------------------------ walking

    def _walk(self, term: Value, start: int, focus: Path | None) -> Iterator[_Piece | None]:
        """Pieces from left to right; None before and after the focus."""
        stack: list[Any] = [(start, term, focus, False)]
        while stack:
            job = stack.pop()
            if job is None or isinstance(job, _Piece):
                yield job
                continue
            left, value, path, _tight = job
            route = self._route(left, value) if isinstance(value, tuple) and left < 0 else None
            parts: list[Any]
            if route is None:
                parts = list(self._unwritable(left, value, path))
            else:
                parts = self._written(route, value, path)
                for production in reversed(route.through):
                    parts = self._wrap(production, parts)
            if path == () and route is None:
                parts = [None, *parts, None]
            stack.extend(reversed(parts))

    def _written(self, route: _Route, term: Node, path: Path | None) -> list[Any]:
        production = route.last
        parts: list[Any] = []
        for number, (symbol, index) in enumerate(
            zip(production.right, production.fields, strict=True)
        ):
            if index < 0:
                parts.append(self._quoted(production, number))
                continue
            value = term[FIELDS + index]
            below = path[1:] if path and path[0] == index else None
            if symbol < 0:
                parts.append((symbol, value, below, False))
            else:
                parts.append(self._leaf(symbol, value))
        return [None, *parts, None] if path == () else parts

    def _wrap(self, production: Production, inner: list[Any]) -> list[Any]:
        parts: list[Any] = []
        for number in range(len(production.right)):
            if number == production.passes:
                parts.extend(inner)
            else:
                parts.append(self._quoted(production, number))
        return parts

    def _quoted(self, production: Production, number: int) -> _Piece:
        terminal = production.right[number]
        text = self._grammar.tokens.literals[terminal]
        word = text[:1].isalnum()
        opens = text in ("(", "[", "{")
        return _Piece(
            terminal,
            text,
            tight_after=opens or (production.tight and number == 0),
            tight_before=text in (")", "]", "}", ",", ";", ":")
            or (opens and number > 0)
            or (production.tight and number > 0 and not word),
        )

    def _leaf(self, terminal: int, value: Value) -> _Piece:
        text = value if isinstance(value, str) else write_number(value)
        if self._writes(terminal, text, value):
            return _Piece(terminal, text)
        return _Piece(MARK, f"{OPEN}{text}{CLOSE}")

    def _writes(self, terminal: int, text: str, value: Value) -> bool:
        """Whether a token of this kind can have this text and is read back as this value."""
        tokens = self._grammar.tokens
        if not tokens.exactly(text, terminal):
            return False
        try:
            back = read_token(self._grammar, Token(terminal, 0, len(text)), text)
        except Unfit:
            return False
        return bool(back == value) and type(back) is type(value)

    def _unwritable(self, left: int, value: Value, path: Path | None) -> Iterator[Any]:
        """A part that the grammar does not derive, as its structure in marks."""
        if not isinstance(value, tuple):
            yield _Piece(MARK, f"{OPEN}{value if isinstance(value, str) else _atom(value)}{CLOSE}")
            return
        form = self._grammar.signature.form_of(value)
        name = form.name if form else "…"
        if form is None or not form.fields:
            yield _Piece(MARK, f"{OPEN}{name}{CLOSE}")
            return
        yield _Piece(MARK, f"{OPEN}{name}(", tight_after=True)
        for index, child in enumerate(value[FIELDS:]):
            if index:
                yield _Piece(MARK, ",", tight_before=True)
            below = path[1:] if path and path[0] == index else None
            if isinstance(child, tuple):
                yield (self._grammar.entry[self.rule_for(child)], child, below, False)
            else:
                yield _Piece(MARK, child if isinstance(child, str) else _atom(child))
        yield _Piece(MARK, f"){CLOSE}", tight_before=True)

    # ------------------------------------------------------------------ spacing

    def _join(self, pieces: list[_Piece], marks: list[int], whole: bool) -> Printed:
        text: list[str] = []
        at = 0
        starts: list[int] = []
        ends: list[int] = [0]
        previous: _Piece | None = None
        for piece in pieces:
            if previous is not None and self._space(previous, piece):
                text.append(" ")
                at += 1
            starts.append(at)
            text.append(piece.text)
            at += len(piece.text)
            ends.append(at)
            previous = piece
        starts.append(at)
        focus = None
        if marks:
            begin = marks[0]
            end = marks[1] if len(marks) > 1 else len(pieces)
            focus = Span(starts[begin], max(ends[end], starts[begin]))
        if not whole:
            text.append(" …")
        return Printed("".join(text), focus, whole)

    def _space(self, left: _Piece, right: _Piece) -> bool:
        tight = left.tight_after or right.tight_before
        if not tight:
            return self._spaced or self._fuse(left, right)
        return self._fuse(left, right) and self._spaced

    def _fusing(self, left: _Piece, right: _Piece) -> bool:
        if left.terminal == MARK or right.terminal == MARK:
            return False
        return self._grammar.tokens.fuse(left.text, right.text, (left.terminal, right.terminal))


def _atom(value: Value) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return write_number(value)


ShowTerm: TypeAlias = Callable[[Value], str]
