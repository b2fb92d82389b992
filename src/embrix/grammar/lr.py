"""Parsing on LALR(1) tables, for grammars without conflicts.

A text that the tables refuse is given to the general parser, which says what could have stood
where reading stopped.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any

from embrix.grammar.actions import Unfit, finish_one, read_token
from embrix.grammar.earley import EarleyParser
from embrix.grammar.lr_tables import START, Tables, build_tables
from embrix.grammar.model import Compose, Grammar, Pass, Production, Slot
from embrix.grammar.parser import Parsed, Parser, ParseResult, Refused
from embrix.grammar.sets import sets_of
from embrix.grammar.tokens import Token, Tokens
from embrix.terms.node import Place, Value
from embrix.text.collecting import uncollected


class TableParser:
    """Parses texts of a grammar whose tables have no conflict at any rule that is asked for."""

    def __init__(self, grammar: Grammar, tables: Mapping[str, Tables] | None = None) -> None:
        """`tables` are those of some rules, where they have been made before."""
        self._grammar = grammar
        self._general = EarleyParser(grammar)
        self._tables = dict(tables or {})
        self._chains: dict[int, dict[tuple[int, int, int], int]] = {}
        self._reducers = [_reducer(production) for production in grammar.productions]
        self._readers: list[Reader | None] = [None] * len(grammar.tokens.literals)
        for kind in grammar.tokens.kinds:
            if kind.conversion == "Number" and not kind.via and grammar.numbers != "float":
                self._readers.append(_numbers(partial(read_token, grammar)))
            elif kind.conversion == "Number" or kind.via:
                self._readers.append(partial(read_token, grammar))
            else:
                self._readers.append(_piece)

    def tables(self, rule: str) -> Tables:
        """The tables for texts of a rule."""
        if rule not in self._tables:
            start = self._grammar.entry[rule]
            self._tables[rule] = build_tables(self._grammar, sets_of(self._grammar), start)
        return self._tables[rule]

    def parse(self, text: str, rule: str | None = None) -> ParseResult:
        with uncollected():
            return self._parse(text, rule)

    def _parse(self, text: str, rule: str | None) -> ParseResult:
        tokens = self._grammar.tokens.cut(text)
        if tokens.invalid:
            return self._general.parse(text, rule)
        for name in (rule,) if rule is not None else self._grammar.starts:
            tables = self.tables(name)
            if tables.conflicts:
                return self._general.parse(text, rule)
            try:
                term = self._run(tables, tokens, text)
            except Unfit as unfit:
                return Refused("tokens", unfit.message, unfit.span, tokens)
            if term is not None:
                return Parsed(term[0], tokens)
        return self._general.parse(text, rule)

    def _run(self, tables: Tables, tokens: Tokens, text: str) -> tuple[Value] | None:
        """The term of a text in a tuple, or None when it is refused."""
        grammar = self._grammar
        shift, goto, reduce = tables.shift, tables.goto, tables.reduce
        reducers, readers = self._reducers, self._readers
        chains = self._chains.setdefault(tables.start, {})
        state = 0
        states = [0]
        values: list[Value] = []
        places: list[Place | None] = []
        stream: list[Any] = [*tokens.tokens, None]
        for token in stream:
            terminal = grammar.end if token is None else token[0]
            while True:
                target = shift[state].get(terminal)
                if target is not None:
                    state = target
                    states.append(state)
                    reader = readers[terminal]
                    if reader is None:
                        values.append(grammar.tokens.literals[terminal])
                    else:
                        values.append(reader(token, text))
                    places.append((token[1], token[2]))
                    break
                number = reduce[state].get(terminal)
                if number is None:
                    return None
                if number == START:
                    return (values[-1],)
                left, count, position, build = reducers[number]
                if build is None and count == 1:
                    # The value and its place are handed on as they are, often several times in a
                    # row; where that leads from here is remembered.
                    below = states[-2]
                    chain = (below, state, terminal)
                    state = chains.get(chain, -1)
                    if state < 0:
                        state = goto[below][left]
                        while (number := reduce[state].get(terminal)) is not None:
                            if number == START or terminal in shift[state]:
                                break
                            left, count, position, build = reducers[number]
                            if build is not None or count != 1:
                                break
                            state = goto[below][left]
                        chains[chain] = state
                    states[-1] = state
                    continue
                if count == 0:
                    place, parts = None, []
                else:
                    place = _cover(places, count)
                    parts = values[-count:]
                    del values[-count:], places[-count:], states[-count:]
                values.append(parts[position] if build is None else build(parts, place))
                places.append(place)
                state = goto[states[-1]][left]
                states.append(state)
        return None


def _piece(token: Token, text: str) -> Value:
    return sys.intern(text[token[1] : token[2]])


def _numbers(slowly: Reader) -> Reader:
    """Reads short whole numbers at once, all others in the general way."""

    def read(token: Token, text: str) -> Value:
        piece = text[token[1] : token[2]]
        if len(piece) < 16 and piece.isascii() and piece.isdigit():
            return int(piece)
        return slowly(token, text)

    return read


Build = Callable[[Sequence[Value], Place | None], Value]
Reader = Callable[[Token, str], Value]


def _cover(places: list[Place | None], count: int) -> Place | None:
    """The place from the first to the last of the topmost parts that have one."""
    first, last = places[-count], places[-1]
    if first is not None and last is not None:
        return (first[0], last[1])
    covered = [place for place in places[-count:] if place is not None]
    return (covered[0][0], covered[-1][1]) if covered else None


def _reducer(production: Production) -> tuple[int, int, int, Build | None]:
    """Left side, length, and either which part is handed on or how the value is built."""
    left, count, build = production.left, len(production.right), production.build
    if isinstance(build, Pass):
        return left, count, build.position, None
    if isinstance(build, Compose) and all(isinstance(part, Slot) for part in build.parts):
        where = {slot: n for n, slot in enumerate(production.captures) if slot >= 0}
        order = [where[part.number] for part in build.parts if isinstance(part, Slot)]
        return left, count, 0, _composer(build.form.tag, order)
    return left, count, 0, lambda parts, place: finish_one(production, parts, place)


def _composer(tag: int, order: list[int]) -> Build:
    """A function that makes a node of parts picked by position."""
    if len(order) == 1:
        (one,) = order
        return lambda parts, place: (tag, place or (0, 0), parts[one])
    if len(order) == 2:
        first, second = order
        return lambda parts, place: (tag, place or (0, 0), parts[first], parts[second])
    return lambda parts, place: (tag, place or (0, 0), *[parts[n] for n in order])


def tables_of(grammar: Grammar) -> dict[str, Tables] | None:
    """The tables for texts of each rule that one may begin with; None where there is a conflict."""
    sets = sets_of(grammar)
    found: dict[str, Tables] = {}
    for rule in grammar.starts:
        found[rule] = build_tables(grammar, sets, grammar.entry[rule])
        if found[rule].conflicts:
            return None
    return found


def parser_by(grammar: Grammar, tables: Mapping[str, Tables] | None) -> Parser:
    """The parser that fits a grammar with these tables, or without any the general one."""
    return EarleyParser(grammar) if tables is None else TableParser(grammar, tables)


def parser_of(grammar: Grammar) -> Parser:
    """The parser that fits a grammar: tables where they decide everything, else the general one."""
    return parser_by(grammar, tables_of(grammar))
