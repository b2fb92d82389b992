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
import itertools
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, TypeAlias

from embrix.grammar.actions import Unfit, read_token, take_apart
from embrix.grammar.breaking import break_lines
from embrix.grammar.model import Compose, Grammar, Pass, Production, Slot
from embrix.grammar.sets import sets_of
from embrix.grammar.tokens import Token
from embrix.terms.node import CONS, FIELDS, NIL, NONE, SOME, Node, Value, list_items
from embrix.terms.numbers import spellings, write_number
from embrix.text.source import Span
from embrix.text.visible import visible

OPEN, CLOSE = "‹", "›"
MARK = -1
"""The terminal number of a piece that no token writes."""

Path: TypeAlias = tuple[int, ...]
"""The way from a term to a part of it: indexes of fields."""

Way: TypeAlias = tuple[()] | tuple[int, Any]
"""The same as linked pairs: what is left of it is at hand at every step."""


@dataclass(frozen=True, slots=True)
class Part:
    """A value inside the text of another one."""

    value: Value
    built: bool = False
    """Whether it is written as the notation would build it."""


Parts: TypeAlias = Iterator[str | Part]
"""What a value is shown as, one level deep: text, and the values that stand in it."""

Others: TypeAlias = Callable[[Part], Parts]


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
    made: str = ""
    """`newline`, `indent` or `dedent` for a token that the layout of the text makes."""


@dataclass(frozen=True, slots=True)
class _Other:
    """What is left of a node that is no form of the grammar's language."""

    parts: Parts


@dataclass(frozen=True, slots=True)
class _LeftOut:
    """A greedy part that is not there (or not again), of the term with an identity."""

    symbol: int
    owner: int


LOOKED_INTO = 3
"""Levels of a term that are looked into where several alternatives make its form."""
MOST_SPELLINGS = 4_096

MOST_MARKED = 50
"""Parts of one term that are put in marks because they would be read otherwise."""


@dataclass(frozen=True, slots=True)
class _Route:
    """The productions from a nonterminal down to one that builds a form."""

    through: tuple[Production, ...]
    last: Production | None
    """The production that builds the form; None for a list or an optional part."""
    target: int


class Printer:
    """Prints terms of one grammar."""

    def __init__(
        self, grammar: Grammar, others: Others | None = None, *, bracketed: bool = False
    ) -> None:
        """`others` shows values that are no forms of the grammar's language. With `bracketed` every
        part of more than one token stands in brackets, where the grammar has some there."""
        self._grammar = grammar
        self._bracketed = bracketed
        self._others = others
        self._routes: dict[int, dict[int, list[_Route]]] = {}
        self._leaf_routes: dict[int, list[tuple[int, tuple[Production, ...]]]] = {}
        self._spellings: dict[tuple[int, type, Value], str | None] = {}
        self._quotes: dict[tuple[int, int], _Piece] = {}
        self._plain: dict[int, tuple[int, ...]] = {}
        self._fuse = lru_cache(maxsize=4096)(self._fusing)
        self._spaced = not grammar.tokens.cut_plainly(" ").invalid
        self._unwritten = grammar.unwritten

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
        start = self._grammar.entry[rule or self.rule_for(term)]
        marked: set[int] = set()
        for _ in range(MOST_MARKED):
            pieces, marks, groups, whole, wrong = self._pieces(
                term, start, focus, most, marked, deep
            )
            if wrong is None:
                break
            marked.add(wrong)
        gaps = ["", *(self._gap(a, b) for a, b in itertools.pairwise(pieces)), ""]
        if width is not None and not any(piece.made for piece in pieces):
            break_lines([piece.text for piece in pieces], gaps, groups, width)
        return self._join(pieces, gaps, marks, whole)

    def _pieces(
        self,
        term: Value,
        start: int,
        focus: Path | None,
        most: int,
        marked: set[int],
        deep: int | None,
    ) -> tuple[list[_Piece], list[int], list[tuple[int, bool]], bool, int | None]:
        """The pieces of a term, where the focus and the groups begin and end, whether all are
        there; and the identity of a part that would be read otherwise, because what was left out
        at its end could begin with what follows. `marked` parts are written in marks."""
        pieces: list[_Piece] = []
        marks: list[int] = []
        groups: list[tuple[int, bool]] = []
        left_out: list[_LeftOut] = []
        for piece in self._walk(term, start, focus, marked, deep):
            if piece is None:
                marks.append(len(pieces))
            elif isinstance(piece, bool):
                groups.append((len(pieces), piece))
            elif isinstance(piece, _LeftOut):
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

    def _begins(self, symbol: int, terminal: int) -> bool:
        return sets_of(self._grammar).may_begin(symbol, terminal)

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
        wanted = "Name" if isinstance(value, str) else "Number"
        for index, kind in enumerate(self._grammar.tokens.kinds):
            if not kind.skip and kind.conversion == wanted:
                terminal = len(self._grammar.tokens.literals) + index
                text = self._spelling(terminal, value)
                if text is not None:
                    return text
        return None

    def writes(self, terminal: int, value: Value) -> bool:
        """Whether a token can write a value."""
        return not isinstance(value, tuple) and self._spelling(terminal, value) is not None

    # ------------------------------------------------------------------ routes

    def _reach(self, start: int) -> dict[int, list[_Route]]:
        """For each form (by tag) the ways to it from a nonterminal, the cheapest first. Lists and
        optional parts are found under the tags of lists and optional values."""
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
            if left in self._grammar.repeats:
                optional = self._grammar.repeats[left][0].sign == "?"
                for tag in (NONE, SOME) if optional else (NIL, CONS):
                    found.setdefault(tag, []).append(_Route(through, None, left))
                continue
            for production in self._grammar.by_left.get(left, ()):
                if self._unwritten.intersection(production.right):
                    continue
                if production.form is not None:
                    route = _Route(through, production, left)
                    found.setdefault(production.form.tag, []).append(route)
                elif isinstance(production.build, Pass):
                    target = production.right[production.build.position]
                    if target < 0:
                        count += 1
                        extra = cost + len(production.right) - 1
                        heapq.heappush(heap, (extra, count, target, (*through, production)))
        self._routes[start] = found
        return found

    def _leaves(self, left: int) -> list[tuple[int, tuple[Production, ...]]]:
        """The tokens whose value a nonterminal hands on, with the way to each, the cheapest
        first."""
        if left not in self._leaf_routes:
            found: list[tuple[int, tuple[Production, ...]]] = []
            seen: set[int] = set()
            pending: list[tuple[int, int, int, tuple[Production, ...]]] = [(0, 0, left, ())]
            count = 0
            while pending:
                cost, _, at, through = heapq.heappop(pending)
                if at >= 0:
                    found.append((at, through))
                    continue
                if at in seen:
                    continue
                seen.add(at)
                for production in self._grammar.by_left.get(at, ()):
                    plain = isinstance(production.build, Pass)
                    if plain and not self._unwritten.intersection(production.right):
                        assert isinstance(production.build, Pass)
                        count += 1
                        target = production.right[production.build.position]
                        extra = cost + len(production.right) - 1
                        heapq.heappush(pending, (extra, count, target, (*through, production)))
            self._leaf_routes[left] = found
        return self._leaf_routes[left]

    def _leaf_route(self, left: int, value: Value) -> tuple[int, tuple[Production, ...]] | None:
        """A way to print a leaf at a nonterminal."""
        literals = self._grammar.tokens.literals
        for terminal, through in self._leaves(left):
            if (
                literals[terminal] == value
                if terminal < len(literals)
                else (self.writes(terminal, value))
            ):
                return terminal, through
        return None

    def _route(
        self, left: int, term: Node, deep: int = LOOKED_INTO
    ) -> tuple[_Route, dict[int, Value]] | None:
        """A way to print a term at a nonterminal, with what its captures were. Where there are
        several, one by which the parts can be printed as well, as far as is looked into them."""
        possible: list[tuple[_Route, dict[int, Value]]] = []
        for route in self._reach(left).get(term[0], ()):
            if route.last is None:
                if self._can_repeat(route.target, term, deep):
                    possible.append((route, {}))
                continue
            slots = self._captured(route.last, term, 0)
            if slots is not None:
                possible.append((route, slots))
        if len(possible) < 2 or not deep:
            return possible[0] if possible else None
        for route, slots in possible:
            if route.last is None or self._captured(route.last, term, deep) is not None:
                return route, slots
        return possible[0]

    def _in_brackets(
        self, left: int, term: Node, plain: _Route
    ) -> tuple[_Route, dict[int, Value]] | None:
        """A way to print a term of several tokens between the brackets of an alternative that hands
        on what stands in them; None where there is none, or none is needed."""
        if plain.last is None or len(plain.last.right) < 2:
            return None
        if any(len(production.right) > 1 for production in plain.through):
            return None
        seen = {left}
        pending: list[tuple[int, tuple[Production, ...]]] = [(left, ())]
        for at, through in pending:
            for production in self._grammar.by_left.get(at, ()):
                if not isinstance(production.build, Pass):
                    continue
                target = production.right[production.build.position]
                if target >= 0 or self._unwritten.intersection(production.right):
                    continue
                way = (*through, production)
                if len(production.right) > 1:
                    found = self._route(target, term)
                    if found is not None:
                        route, slots = found
                        return _Route((*way, *route.through), route.last, route.target), slots
                elif target not in seen:
                    seen.add(target)
                    pending.append((target, way))
        return None

    def _captured(self, production: Production, term: Node, deep: int) -> dict[int, Value] | None:
        """What a production must have captured to build a term, or None when it cannot have."""
        assert isinstance(production.build, Compose)
        slots: dict[int, Value] = {}
        plain = self._plain.get(id(production))
        if plain is None:
            plain = self._plain[id(production)] = _slots_alone(production.build)
        if plain:
            slots = dict(zip(plain, term[FIELDS:], strict=True))
        elif not take_apart(production.build, term, slots):
            return None
        for symbol, slot in zip(production.right, production.captures, strict=True):
            if slot >= 0:
                if slot not in slots or not self._fits(symbol, slots[slot], deep):
                    return None
            elif symbol >= len(self._grammar.tokens.literals) and not self._made(symbol):
                return None  # a token that fills nothing: what stood there is not known
            elif symbol < 0 and not self._may_be_left_out(symbol):
                return None
        return slots

    def _may_be_left_out(self, symbol: int) -> bool:
        repeated = self._grammar.repeats.get(symbol)
        return repeated is not None and repeated[0].sign in "?*"

    def _fits(self, symbol: int, value: Value, deep: int = 0) -> bool:
        """Whether a value can stand where a symbol is; a literal stands only for its own text. Of
        what is in it `deep` levels are looked at."""
        if symbol >= 0:
            literals = self._grammar.tokens.literals
            if symbol < len(literals):
                return bool(value == literals[symbol])
            return not isinstance(value, tuple)
        if not isinstance(value, tuple):
            return self._leaf_route(symbol, value) is not None
        if symbol in self._grammar.repeats:
            return self._can_repeat(symbol, value, deep)
        if self._grammar.signature.form_of(value) is None and value[0] not in (NIL, CONS):
            return True  # what only runs make stands anywhere, in marks
        if value[0] not in self._reach(symbol):
            return False
        return not deep or self._route(symbol, value, deep - 1) is not None

    def _can_repeat(self, symbol: int, value: Node, deep: int = 0) -> bool:
        repeated, inner = self._grammar.repeats[symbol]
        if repeated.sign == "?":
            if value[0] == NONE:
                return True
            return value[0] == SOME and self._fits(inner, value[FIELDS], deep)
        if value[0] == NIL:
            return repeated.sign == "*"
        items = list_items(value)
        return value[0] == CONS and all(self._fits(inner, item, deep) for item in items)

    # ------------------------------------------------------------------ walking

    def _made(self, terminal: int) -> str:
        """What of the layout makes a terminal, if anything does."""
        kind = self._grammar.tokens.kind_of(terminal)
        return kind.made if kind is not None else ""

    def _walk(
        self, term: Value, start: int, focus: Path | None, marked: set[int], deep: int | None
    ) -> Iterator[_Piece | _LeftOut | bool | None]:
        """Pieces from left to right; None before and after the focus, True and False before and
        after what a production builds; greedy parts that were left out."""
        stack: list[Any] = [(start, term, _linked(focus))]
        levels: list[int] = []
        """How much is left to do behind each node that is being printed."""
        while stack:
            job = stack.pop()
            if job is None or isinstance(job, _Piece | _LeftOut | bool):
                yield job
                continue
            if isinstance(job, _Other):
                piece = next(job.parts, None)
                if isinstance(piece, str):
                    yield _Piece(MARK, piece, tight_after=True, tight_before=True)
                if piece is not None:
                    stack.append(job)
                if isinstance(piece, Part):
                    stack.append(self._inner(piece))
                continue
            left, value, path = job
            if isinstance(value, tuple):
                while levels and levels[-1] > len(stack):
                    levels.pop()
                if (
                    deep is not None and path is None and len(levels) > deep
                    and any(isinstance(part, tuple) for part in value[FIELDS:])
                ):  # fmt: skip
                    yield _Piece(MARK, "…")
                    continue
                levels.append(len(stack) + 1)
            parts: list[Any]
            found = None
            if isinstance(value, tuple) and left < 0 and id(value) not in marked:
                found = self._route(left, value)
                if self._bracketed and found is not None and len(levels) > 1:
                    found = self._in_brackets(left, value, found[0]) or found
            leaf = self._leaf_route(left, value) if not isinstance(value, tuple) else None
            if leaf is not None:
                terminal, through = leaf
                parts = [self._part(terminal, value, None)]
                if path == ():
                    parts = [None, *parts, None]
                for production in reversed(through):
                    parts = self._wrap(production, parts)
            elif found is None:
                parts = list(self._unwritable(value, path))
                if path == ():
                    parts = [None, *parts, None]
            else:
                route, slots = found
                if route.last is None:
                    parts = self._repeated(route.target, value, path)
                else:
                    parts = self._written(route.last, value, slots, path)
                parts = [True, *parts, False]
                for production in reversed(route.through):
                    parts = self._wrap(production, parts)
            stack.extend(reversed(parts))

    def _inner(self, part: Part) -> Any:
        """The job of printing a value that stands inside one of another kind."""
        if isinstance(part.value, tuple) and not part.built:
            form = self._grammar.signature.form_of(part.value)
            if form is not None:
                return (self._grammar.entry[self.rule_for(part.value)], part.value, None)
        assert self._others is not None
        return _Other(self._others(part))

    def _part(self, symbol: int, value: Value, path: Way | None) -> Any:
        """The job of printing a captured value where a symbol stands."""
        if symbol < 0:
            return (symbol, value, path)
        if symbol < len(self._grammar.tokens.literals):
            return self._sign(symbol, opens_inside=True)
        return self._leaf(symbol, value)

    def _written(
        self, production: Production, term: Node, slots: dict[int, Value], path: Way | None
    ) -> list[Any]:
        parts: list[Any] = []
        for number, (symbol, slot) in enumerate(
            zip(production.right, production.captures, strict=True)
        ):
            if slot >= 0:
                parts.append(self._part(symbol, slots[slot], _below(term, slots[slot], path)))
                repeated = self._grammar.repeats.get(symbol)
                if repeated is not None and repeated[0].greedy and slots[slot][0] != SOME:
                    again = repeated[1]
                    if repeated[0].separator:
                        again = self._grammar.tokens.terminal_of_literal(repeated[0].separator)
                    parts.append(_LeftOut(again, id(term)))
            elif symbol >= 0:
                parts.append(self._quoted(production, number))
        return [None, *parts, None] if path == () else parts

    def _repeated(self, symbol: int, value: Node, path: Way | None) -> list[Any]:
        repeated, inner = self._grammar.repeats[symbol]
        if repeated.sign == "?":
            if value[0] == NONE:
                return []
            return [self._part(inner, value[FIELDS], path[1] if path else None)]
        parts: list[Any] = []
        while value[0] == CONS:
            if parts and repeated.separator:
                separator = self._grammar.tokens.terminal_of_literal(repeated.separator)
                parts.append(self._sign(separator, opens_inside=False))
            here = path[1] if path and path[0] == 0 else None
            parts.append(self._part(inner, value[FIELDS], here))
            path = path[1] if path and path[0] == 1 else None
            value = value[FIELDS + 1]
        return parts

    def _wrap(self, production: Production, inner: list[Any]) -> list[Any]:
        assert isinstance(production.build, Pass)
        parts: list[Any] = []
        for number, symbol in enumerate(production.right):
            if number == production.build.position:
                parts.extend(inner)
            elif symbol >= 0:
                parts.append(self._quoted(production, number))
        return parts

    def _quoted(self, production: Production, number: int) -> _Piece:
        """The literal at a place of a production. Productions live as long as their grammar."""
        key = id(production), number
        if key not in self._quotes:
            self._quotes[key] = self._unquoted(production, number)
        return self._quotes[key]

    def _unquoted(self, production: Production, number: int) -> _Piece:
        piece = self._sign(production.right[number], opens_inside=number > 0)
        word = piece.text[:1].isalnum()
        return _Piece(
            piece.terminal,
            piece.text,
            tight_after=piece.tight_after or (production.tight and number == 0),
            tight_before=piece.tight_before or (production.tight and number > 0 and not word),
            made=piece.made,
        )

    def _sign(self, terminal: int, *, opens_inside: bool) -> _Piece:
        """A literal; brackets and marks of punctuation stand close to what they belong to."""
        made = self._made(terminal)
        if made:
            return _Piece(terminal, "", made=made)
        text = self._grammar.tokens.literals[terminal]
        opens = text in ("(", "[", "{")
        closes = text in (")", "]", "}", ",", ";", ":")
        return _Piece(terminal, text, opens, closes or (opens and opens_inside and text != "{"))

    def _leaf(self, terminal: int, value: Value) -> _Piece:
        text = self._spelling(terminal, value)
        if text is not None:
            return _Piece(terminal, text)
        shown = value if isinstance(value, str) else _atom(value)
        if shown.startswith("-") and not isinstance(value, str | tuple | bool):
            # As its opposite is written: `‹-7›` and not `‹-7.0›` where 7.0 is written `7`.
            opposite = self._spelling(terminal, -value)
            shown = shown if opposite is None else f"-{opposite}"
        return _Piece(MARK, f"{OPEN}{visible(shown)}{CLOSE}")

    def _spelling(self, terminal: int, value: Value) -> str | None:
        """How a token of this kind writes a value; None when it cannot."""
        kind = self._grammar.tokens.kind_of(terminal)
        if kind is not None and kind.via:
            text = self._grammar.conversions[kind.name].write(value)
            return text if text is not None and self._writes(terminal, text, value) else None
        if isinstance(value, str):
            return value if self._writes(terminal, value, value) else None
        # As text: minus zero equals zero, and what is no number does not even equal itself.
        key = (terminal, type(value), repr(value) if isinstance(value, float) else value)
        if key not in self._spellings:
            if len(self._spellings) >= MOST_SPELLINGS:
                self._spellings.clear()
            found = (text for text in spellings(value) if self._writes(terminal, text, value))
            self._spellings[key] = next(found, None)
        return self._spellings[key]

    def _writes(self, terminal: int, text: str, value: Value) -> bool:
        """Whether a token of this kind can have this text and is read back as this value."""
        tokens = self._grammar.tokens
        if not tokens.exactly(text, terminal):
            return False
        try:
            back = read_token(self._grammar, Token(terminal, 0, len(text)), text)
        except Unfit:
            return False
        if isinstance(value, float):
            return repr(back) == repr(value)
        return bool(back == value) and type(back) is type(value)

    def _unwritable(self, value: Value, path: Way | None) -> Iterator[Any]:
        """A part that the grammar does not derive, as its structure in marks."""
        if not isinstance(value, tuple):
            yield _Piece(MARK, f"{OPEN}{value if isinstance(value, str) else _atom(value)}{CLOSE}")
            return
        if value[0] in (NIL, CONS, NONE, SOME):
            yield _Piece(MARK, f"{OPEN}[", tight_after=True)
            for number, child in enumerate(_members(value)):
                if number:
                    yield _Piece(MARK, ",", tight_before=True)
                if isinstance(child, tuple):
                    yield (self._grammar.entry[self.rule_for(child)], child, None)
                else:
                    yield _Piece(MARK, child if isinstance(child, str) else _atom(child))
            yield _Piece(MARK, f"]{CLOSE}", tight_before=True)
            return
        form = self._grammar.signature.form_of(value)
        if form is None and self._others is not None:
            yield _Piece(MARK, OPEN, tight_after=True)
            yield _Other(self._others(Part(value)))
            yield _Piece(MARK, CLOSE, tight_before=True)
            return
        name = form.name if form else "…"
        if form is None or not form.fields:
            yield _Piece(MARK, f"{OPEN}{name}{CLOSE}")
            return
        yield _Piece(MARK, f"{OPEN}{name}(", tight_after=True)
        for index, child in enumerate(value[FIELDS:]):
            if index:
                yield _Piece(MARK, ",", tight_before=True)
            below = path[1] if path and path[0] == index else None
            if isinstance(child, tuple):
                yield (self._grammar.entry[self.rule_for(child)], child, below)
            else:
                yield _Piece(MARK, child if isinstance(child, str) else _atom(child))
        yield _Piece(MARK, f"){CLOSE}", tight_before=True)

    # ------------------------------------------------------------------ spacing

    def _join(
        self, pieces: list[_Piece], gaps: list[str], marks: list[int], whole: bool
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

    def _gap(self, left: _Piece, right: _Piece) -> str:
        """What stands between two pieces on one line: a space or nothing."""
        if left.made or right.made:
            return ""
        tight = left.tight_after or right.tight_before
        if not tight:
            return " " if self._spaced or self._fuse(left, right) else ""
        return " " if self._fuse(left, right) and self._spaced else ""

    def _fusing(self, left: _Piece, right: _Piece) -> bool:
        if left.terminal == MARK or right.terminal == MARK:
            return False
        return self._grammar.tokens.fuse(left.text, right.text, (left.terminal, right.terminal))


def _slots_alone(build: Compose) -> tuple[int, ...]:
    """The slots whose values are the fields of a form, one after the other; none where something
    else than a slot of its own fills a field. The tag of the term is known to be that of the
    form."""
    numbers = [part.number for part in build.parts if isinstance(part, Slot)]
    alone = len(numbers) == len(build.parts) == len(set(numbers))
    return tuple(numbers) if alone else ()


def _linked(path: Path | None) -> Way | None:
    if path is None:
        return None
    way: Way = ()
    for index in reversed(path):
        way = (index, way)
    return way


def _below(term: Node, part: Value, path: Way | None) -> Way | None:
    """The rest of a path inside a captured part, if the path leads into it."""
    if not path or FIELDS + path[0] >= len(term):
        return None
    field = term[FIELDS + path[0]]
    if field is part:
        rest: Way = path[1]
        return rest
    if isinstance(part, tuple) and part[0] == SOME and part[FIELDS] is field:
        return path  # a default was left out: the field stands inside an optional part
    return None


def _members(value: Node) -> Iterator[Value]:
    if value[0] in (NONE, SOME):
        yield from value[FIELDS:]
    else:
        yield from list_items(value)


def _atom(value: Value) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return write_number(value)
