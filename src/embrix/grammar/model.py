"""A grammar as the notation states it, and as parsers and the printer use it.

`Rule` and `OperatorTable` keep the author's shape; `Production` is the plain context-free form that
`flatten` makes of them. Terminals are numbered by the token table; nonterminals are negative.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, TypeAlias

from embrix.grammar.tokens import TokenTable
from embrix.terms.node import Constructor
from embrix.terms.signature import Signature
from embrix.text.source import Span

END = "the end of the program"


@dataclass(frozen=True, slots=True)
class Quoted:
    """A literal of the grammar."""

    text: str


@dataclass(frozen=True, slots=True)
class Kind:
    """A named token."""

    name: str


@dataclass(frozen=True, slots=True)
class Use:
    """A rule or an operator table."""

    rule: str


Symbol: TypeAlias = Quoted | Kind | Use


@dataclass(frozen=True, slots=True)
class Item:
    """A symbol in an alternative; `field` is the index of the field it fills, or None."""

    symbol: Symbol
    field: int | None = None


@dataclass(frozen=True, slots=True)
class Alternative:
    """Without a form it passes its only uncaptured rule or token value through."""

    items: tuple[Item, ...]
    form: Constructor | None
    span: Span


@dataclass(frozen=True, slots=True)
class Rule:
    name: str
    sort: str
    alternatives: tuple[Alternative, ...]
    span: Span


Fixity: TypeAlias = Literal["left", "right", "nonassociative", "prefix", "postfix"]


@dataclass(frozen=True, slots=True)
class Operator:
    """An operator: its literal, its form, and the fields its operands fill."""

    fixity: Fixity
    literal: str
    form: Constructor
    fields: tuple[int, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class OperatorTable:
    """Levels from the loosest to the tightest, and the rule that operands are of."""

    name: str
    sort: str
    levels: tuple[tuple[Operator, ...], ...]
    operand: str
    span: Span


@dataclass(frozen=True, slots=True, eq=False)
class Production:
    """`left` derives the symbols of `right`; at most one of form and pass-through applies.

    `fields` says for each symbol which field of the form it fills (-1: none). Without a form the
    value of symbol number `passes` is the result. `origin` is the place in the definition, and
    `tight` marks an operator written close to its operand.
    """

    left: int
    right: tuple[int, ...]
    form: Constructor | None
    fields: tuple[int, ...]
    passes: int
    origin: Span
    tight: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Grammar:
    """Everything parsers and the printer need."""

    tokens: TokenTable
    signature: Signature
    numbers: str
    starts: tuple[str, ...]
    productions: tuple[Production, ...]
    entry: dict[str, int]
    """The nonterminal of each rule and table by its name."""
    names: dict[int, str]
    """What people call a nonterminal."""
    by_left: dict[int, list[Production]] = field(init=False)

    def __post_init__(self) -> None:
        table: dict[int, list[Production]] = {}
        for production in self.productions:
            table.setdefault(production.left, []).append(production)
        object.__setattr__(self, "by_left", table)

    @property
    def end(self) -> int:
        """The terminal that stands for the end of the text."""
        return len(self.tokens.literals) + len(self.tokens.kinds)

    def describe(self, terminal: int) -> str:
        return END if terminal == self.end else self.tokens.describe(terminal)
