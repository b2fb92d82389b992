"""From a derivation to a term: what each production builds."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import Any, Protocol

from embrix.grammar.model import Grammar, Production
from embrix.grammar.tokens import Token
from embrix.terms.node import Place, Value
from embrix.terms.numbers import read_number
from embrix.text.source import Span


class Unfit(Exception):
    """A token whose text cannot be read as the type it is declared to have."""

    def __init__(self, message: str, span: Span) -> None:
        super().__init__(message)
        self.message = message
        self.span = span


class Recognised(Protocol):
    """A production recognised over a stretch of tokens."""

    production: Production


def read_token(grammar: Grammar, token: Token, text: str) -> Value:
    """The value of a token: a number, a name, or its text. Raises `Unfit`."""
    kind = grammar.tokens.kind_of(token.terminal)
    piece = text[token.start : token.end]
    if kind is not None and kind.conversion == "Number":
        number = read_number(piece, grammar.numbers)
        if number is None:
            raise Unfit(
                f"`{piece[:40]}` cannot be read as a number of this language "
                f"(its numbers are {grammar.numbers})",
                Span(token.start, token.end),
            )
        return number
    return sys.intern(piece)


def finish(
    grammar: Grammar,
    text: str,
    derivation: Sequence[tuple[Recognised, Sequence[Any]]],
    known: dict[int, Value],
) -> dict[int, Value]:
    """The values of recognised productions by their identity.

    `derivation` lists them with their parts, children first. A production takes the place of
    everything it covers. `known` answers for parts that are not in the list.
    """
    values: dict[int, Value] = {}
    places: dict[int, Place] = {}

    def value_of(part: Any) -> Value:
        if isinstance(part, Token):
            return read_token(grammar, part, text)
        return values[id(part)] if id(part) in values else known[id(part)]

    for item, parts in derivation:
        production = item.production
        covered = [
            (part.start, part.end) if isinstance(part, Token) else places[id(part)]
            for part in parts
            if isinstance(part, Token) or id(part) in places
        ]
        if covered:
            places[id(item)] = (covered[0][0], covered[-1][1])
        if production.form is None:
            values[id(item)] = value_of(parts[production.passes])
            continue
        fields: list[Value] = [None] * len(production.form.fields)
        for part, index in zip(parts, production.fields, strict=True):
            if index >= 0:
                fields[index] = value_of(part)
        values[id(item)] = (production.form.tag, places.get(id(item), (0, 0)), *fields)
    return values
