"""What a term is written as, one level deep: pieces, and the jobs of writing its parts."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from embrix.grammar.model import Grammar, Production
from embrix.grammar.pieces import MARK, LeftOut, Other, Piece
from embrix.grammar.printed import Others, Part, Way
from embrix.grammar.routes import Routes
from embrix.grammar.spelling import atom
from embrix.terms.node import CONS, FIELDS, NIL, NONE, SOME, Node, Value, list_items
from embrix.text.visible import visible

OPEN, CLOSE = "‹", "›"


class Expanding(Routes):
    """Writes forms, lists and leaves along the routes of a grammar."""

    def __init__(
        self, grammar: Grammar, others: Others | None = None, *, bracketed: bool = False
    ) -> None:
        """`others` shows values that are no forms of the grammar's language. With `bracketed` every
        part of more than one token stands in brackets, where the grammar has some there."""
        super().__init__(grammar, bracketed=bracketed)
        self._others = others
        self._quotes: dict[tuple[int, int], Piece] = {}

    def _start_for(self, term: Value) -> int:
        """The start rule, or for a term of another sort the first rule that reaches its form."""
        grammar = self._grammar
        starts = [grammar.entry[name] for name in grammar.starts]
        starts += [*grammar.entry.values(), *sorted(grammar.groups, reverse=True)]
        if isinstance(term, tuple):
            for left in starts:
                if term[0] in self._reach(left):
                    return left
        return starts[0]

    def _expanded(
        self, left: int, value: Value, path: Way | None, *, marked: bool, inside: bool
    ) -> list[Any]:
        """What a value is written as where a nonterminal stands, one level deep: pieces, and the
        jobs of printing what stands in it. Of a `marked` term its structure; brackets stand around
        what is `inside`, where all parts have some."""
        parts: list[Any]
        found = None
        if isinstance(value, tuple) and left < 0 and not marked:
            found = self._route(left, value)
            if self._bracketed and found is not None and inside:
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
            for production in reversed(list(self._only_way(left))):
                parts = self._wrap(production, parts)
        else:
            route, slots = found
            if route.last is None:
                parts = self._repeated(route.target, value, path)
            else:
                parts = self._written(route.last, value, slots, path)
            parts = [True, *parts, False]
            for production in reversed(route.through):
                parts = self._wrap(production, parts)
        return parts

    def _only_way(self, left: int) -> Iterator[Production]:
        """The rules that only hand a value on and that every value goes through which stands for a
        nonterminal: what they write is written around whatever stands there."""
        seen: set[int] = set()
        while left < 0 and left not in seen:
            seen.add(left)
            rules = self._grammar.by_left.get(left, ())
            if len(rules) != 1 or rules[0].passes is None:
                return
            yield rules[0]
            left = rules[0].right[rules[0].passes]

    def _next_of(self, other: Other, jobs: list[Any]) -> Piece | None:
        """The next piece of a node that is no form; none where it has ended, or where a value
        stands inside it, which is the next of the jobs then. What is left is one of them too."""
        piece = next(other.parts, None)
        if piece is not None:
            jobs.append(other)
        if isinstance(piece, Part):
            jobs.append(self._inner(piece))
        if isinstance(piece, str):
            return Piece(MARK, piece, tight_after=True, tight_before=True)
        return None

    def _inner(self, part: Part) -> Any:
        """The job of printing a value that stands inside one of another kind."""
        if isinstance(part.value, tuple) and not part.built:
            form = self._grammar.signature.form_of(part.value)
            if form is not None:
                return (self._start_for(part.value), part.value, None)
        assert self._others is not None
        return Other(self._others(part))

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
                iteration = self._grammar.repeats.get(symbol)
                if iteration is not None and iteration.repeated.greedy and slots[slot][0] != SOME:
                    again = iteration.inner
                    if iteration.separator is not None:
                        again = iteration.separator
                    parts.append(LeftOut(again, id(term)))
            elif symbol >= 0:
                parts.append(self._quoted(production, number))
            else:
                parts += self._uncaptured(symbol)
        return [None, *parts, None] if path == () else parts

    def _uncaptured(self, symbol: int) -> list[Piece]:
        """The signs that stand for what nothing captures."""
        found = self._words(symbol) or ()
        return [self._sign(sign, opens_inside=number > 0) for number, sign in enumerate(found)]

    def _repeated(self, symbol: int, value: Node, path: Way | None) -> list[Any]:
        repeated, inner, separator = self._grammar.repeats[symbol]
        if repeated.sign == "?":
            if value[0] == NONE:
                return []
            return [self._part(inner, value[FIELDS], path[1] if path else None)]
        parts: list[Any] = []
        while value[0] == CONS:
            if parts and separator is not None:
                parts += self._uncaptured(separator)
            here = path[1] if path and path[0] == 0 else None
            parts.append(self._part(inner, value[FIELDS], here))
            path = path[1] if path and path[0] == 1 else None
            value = value[FIELDS + 1]
        return parts

    def _wrap(self, production: Production, inner: list[Any]) -> list[Any]:
        parts: list[Any] = []
        handed_on = production.passes
        for number, symbol in enumerate(production.right):
            if number == handed_on:
                parts.extend(inner)
            elif symbol >= 0:
                parts.append(self._quoted(production, number))
            else:
                parts += self._uncaptured(symbol)
        return parts

    def _quoted(self, production: Production, number: int) -> Piece:
        """The literal at a place of a production. Productions live as long as their grammar."""
        key = id(production), number
        if key not in self._quotes:
            self._quotes[key] = self._unquoted(production, number)
        return self._quotes[key]

    def _unquoted(self, production: Production, number: int) -> Piece:
        piece = self._sign(production.right[number], opens_inside=number > 0)
        word = piece.text[:1].isalnum()
        return Piece(
            piece.terminal,
            piece.text,
            tight_after=piece.tight_after or (production.tight and (number == 0 or not word)),
            tight_before=piece.tight_before or (production.tight and number > 0 and not word),
            made=piece.made,
        )

    def _sign(self, terminal: int, *, opens_inside: bool) -> Piece:
        """A literal; brackets and marks of punctuation stand close to what they belong to."""
        made = self._made(terminal)
        if made:
            return Piece(terminal, "", made=made)
        kind = self._grammar.tokens.kind_of(terminal)
        text = self._grammar.tokens.literals[terminal] if kind is None else kind.sign or ""
        opens = text in ("(", "[", "{")
        closes = text in (")", "]", "}", ",", ";", ":")
        return Piece(terminal, text, opens, closes or (opens and opens_inside and text != "{"))

    def _leaf(self, terminal: int, value: Value) -> Piece:
        text = self._spelling(terminal, value)
        if text is not None:
            return Piece(terminal, text)
        shown = value if isinstance(value, str) else atom(value)
        if shown.startswith("-") and not isinstance(value, str | tuple | bool):
            # As its opposite is written: `‹-7›` and not `‹-7.0›` where 7.0 is written `7`.
            opposite = self._spelling(terminal, -value)
            shown = shown if opposite is None else f"-{opposite}"
        return Piece(MARK, f"{OPEN}{visible(shown)}{CLOSE}")

    def _unwritable(self, value: Value, path: Way | None) -> Iterator[Any]:
        """A part that the grammar does not derive, as its structure in marks."""
        if not isinstance(value, tuple):
            yield Piece(MARK, f"{OPEN}{value if isinstance(value, str) else atom(value)}{CLOSE}")
            return
        if value[0] in (NIL, CONS, NONE, SOME):
            yield Piece(MARK, f"{OPEN}[", tight_after=True)
            for number, child in enumerate(_members(value)):
                if number:
                    yield Piece(MARK, ",", tight_before=True)
                if isinstance(child, tuple):
                    yield (self._start_for(child), child, None)
                else:
                    yield Piece(MARK, child if isinstance(child, str) else atom(child))
            yield Piece(MARK, f"]{CLOSE}", tight_before=True)
            return
        form = self._grammar.signature.form_of(value)
        if form is None and self._others is not None:
            yield Piece(MARK, OPEN, tight_after=True)
            yield Other(self._others(Part(value)))
            yield Piece(MARK, CLOSE, tight_before=True)
            return
        name = form.name if form else "…"
        if form is None or not form.fields:
            yield Piece(MARK, f"{OPEN}{name}{CLOSE}")
            return
        yield Piece(MARK, f"{OPEN}{name}(", tight_after=True)
        for index, child in enumerate(value[FIELDS:]):
            if index:
                yield Piece(MARK, ",", tight_before=True)
            below = path[1] if path and path[0] == index else None
            if isinstance(child, tuple):
                yield (self._start_for(child), child, below)
            else:
                yield Piece(MARK, child if isinstance(child, str) else atom(child))
        yield Piece(MARK, f"){CLOSE}", tight_before=True)


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
