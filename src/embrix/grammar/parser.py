"""What every parser of Embrix answers, and the road from a text to a term."""

from __future__ import annotations

from typing import Literal, Protocol

from msgspec import Struct

from embrix.grammar.tokens import Token, Tokens
from embrix.terms.node import Node
from embrix.text.plural import counted
from embrix.text.source import Span


class Parsed(Struct, frozen=True):
    """The one tree of a text, as a term."""

    term: Node
    tokens: Tokens


class Refused(Struct, frozen=True):
    """A text that is no program. `expected` lists what could have stood at the place, `reading`
    the alternatives that were being read there, with a dot where each had got to, the place where
    it began, and why it was given up; the innermost first, then those that had not begun."""

    by: Literal["tokens", "grammar"]
    message: str
    span: Span
    tokens: Tokens
    expected: tuple[str, ...] = ()
    reading: tuple[tuple[str, int, str], ...] = ()


class Ambiguous(Struct, frozen=True):
    """A text with more than one tree; two of them as terms."""

    span: Span
    tokens: Tokens
    trees: tuple[Node, Node]


class GaveUp(Struct, frozen=True):
    """The text was not decided within the fuel for parsing; `span` is how far it got."""

    span: Span
    tokens: Tokens


ParseResult = Parsed | Refused | Ambiguous | GaveUp


class Parser(Protocol):
    """Anything that turns a text into a term, beginning at a rule."""

    def parse(self, text: str, rule: str | None = None) -> ParseResult: ...


def list_expected(expected: tuple[str, ...], most: int = 6) -> str:
    """`a, b or c`, shortened to `most` entries."""
    if len(expected) == most + 1:
        most += 1
    shown = expected[:most]
    if len(expected) > most:
        return ", ".join(shown) + f" or {counted(len(expected) - most, 'other')}"
    if len(shown) < 2:
        return "".join(shown)
    return ", ".join(shown[:-1]) + " or " + shown[-1]


def end_span(text: str, tokens: tuple[Token, ...]) -> Span:
    """Where a program ends for a reader: right behind its last token."""
    at = tokens[-1].end if tokens else 0
    return Span(at, min(len(text), at + 1) if tokens else min(len(text), 1))
