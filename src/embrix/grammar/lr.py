"""Parsing on LALR(1) tables, for grammars without conflicts.

A text that the tables refuse is given to the general parser, which says what could have stood
where reading stopped.
"""

from __future__ import annotations

from typing import Any

from embrix.grammar.actions import Unfit, finish_one, read_token
from embrix.grammar.earley import EarleyParser
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Parsed, Parser, ParseResult, Refused
from embrix.grammar.sets import sets_of
from embrix.grammar.tables import START, Tables, build_tables
from embrix.grammar.tokens import Tokens
from embrix.terms.node import Place, Value


class TableParser:
    """Parses texts of a grammar whose tables have no conflict at any rule that is asked for."""

    def __init__(self, grammar: Grammar) -> None:
        self._grammar = grammar
        self._sets = sets_of(grammar)
        self._general = EarleyParser(grammar)
        self._tables: dict[str, Tables] = {}

    def tables(self, rule: str) -> Tables:
        """The tables for texts of a rule."""
        if rule not in self._tables:
            start = self._grammar.entry[rule]
            self._tables[rule] = build_tables(self._grammar, self._sets, start)
        return self._tables[rule]

    def parse(self, text: str, rule: str | None = None) -> ParseResult:
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
        productions = grammar.productions
        shift, goto, reduce = tables.shift, tables.goto, tables.reduce
        states = [0]
        values: list[Value] = []
        places: list[Place | None] = []
        stream: list[Any] = [*tokens.tokens, None]
        for token in stream:
            terminal = grammar.end if token is None else token.terminal
            while True:
                state = states[-1]
                target = shift[state].get(terminal)
                if target is not None:
                    states.append(target)
                    values.append(read_token(grammar, token, text))
                    places.append((token.start, token.end))
                    break
                number = reduce[state].get(terminal)
                if number is None:
                    return None
                if number == START:
                    return (values[-1],)
                production = productions[number]
                count = len(production.right)
                begin = len(values) - count
                covered = [place for place in places[begin:] if place is not None]
                place = (covered[0][0], covered[-1][1]) if covered else None
                value = finish_one(production, values[begin:], place)
                del values[begin:]
                del places[begin:]
                del states[begin + 1 :]
                values.append(value)
                places.append(place)
                states.append(goto[states[-1]][production.left])
        return None


def parser_of(grammar: Grammar) -> Parser:
    """The parser that fits a grammar: tables where they decide everything, else the general one."""
    parser = TableParser(grammar)
    if any(parser.tables(rule).conflicts for rule in grammar.starts):
        return EarleyParser(grammar)
    return parser
