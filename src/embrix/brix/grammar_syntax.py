"""Tokens, rules and operator tables as they are written."""

from __future__ import annotations

from dataclasses import dataclass

from embrix.brix.expression_syntax import Expr, TypeSyntax
from embrix.text.source import Span


@dataclass(frozen=True, slots=True)
class More:
    """`...`: what the base has of this."""

    span: Span


@dataclass(frozen=True, slots=True)
class PatternSyntax:
    """A token pattern; the span is that of the text between the slashes."""

    text: str
    span: Span


@dataclass(frozen=True, slots=True)
class TokenDecl:
    """`via` names the functions that read and write the token; `not_before` describes the
    character that may not follow it."""

    name: str
    pattern: PatternSyntax
    conversion: TypeSyntax | None
    label: str
    span: Span
    via: tuple[tuple[str, Span], ...] = ()
    not_before: PatternSyntax | None = None
    replaces: bool = False


@dataclass(frozen=True, slots=True)
class LinesDecl:
    """`lines newline indent dedent except inside "(" ")"`."""

    names: tuple[tuple[str, Span], ...]
    brackets: tuple[tuple[str, str], ...]
    span: Span


@dataclass(frozen=True, slots=True)
class TokensSyntax:
    """`invalid` is empty where nothing is said about characters that begin no token."""

    rows: tuple[TokenDecl | More, ...] = ()
    lines: LinesDecl | None = None
    invalid: str = ""

    @property
    def written(self) -> tuple[TokenDecl, ...]:
        return tuple(row for row in self.rows if isinstance(row, TokenDecl))


@dataclass(frozen=True, slots=True)
class ItemSyntax:
    """A literal (`text` set) or a reference to a rule or token, perhaps captured; or a part that
    is still to be written (`todo` set)."""

    text: str | None
    name: str
    capture: str
    span: Span
    sign: str = ""
    """`?`, `*` or `+` when it is repeated."""
    separator: str = ""
    greedy: bool = False
    todo: str | None = None


@dataclass(frozen=True, slots=True)
class AlternativeSyntax:
    """`makes` is a form, or a term of forms, captures and constants; None hands a part on."""

    items: tuple[ItemSyntax, ...]
    makes: Expr | None
    span: Span


@dataclass(frozen=True, slots=True)
class RuleSyntax:
    name: str
    sort: TypeSyntax
    alternatives: tuple[AlternativeSyntax | More, ...]
    span: Span
    replaces: bool = False

    @property
    def written(self) -> tuple[AlternativeSyntax, ...]:
        return tuple(row for row in self.alternatives if isinstance(row, AlternativeSyntax))


@dataclass(frozen=True, slots=True)
class OperatorSyntax:
    """A row of literals, operands (only `capture` set: the field) and captured rules."""

    row: tuple[ItemSyntax, ...]
    juxtaposed: bool
    makes: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class LevelSyntax:
    fixity: str
    operators: tuple[OperatorSyntax, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class TableSyntax:
    """`operand` is the rule of the operands with its place; None where the base says it."""

    name: str
    sort: TypeSyntax
    levels: tuple[LevelSyntax | More, ...]
    operand: tuple[str, Span] | None
    span: Span
    replaces: bool = False

    @property
    def written(self) -> tuple[LevelSyntax, ...]:
        return tuple(row for row in self.levels if isinstance(row, LevelSyntax))


@dataclass(frozen=True, slots=True)
class GrammarSyntax:
    """A grammar; one of several over the same forms bears a name."""

    name: str
    starts: tuple[tuple[str, Span], ...]
    rules: tuple[RuleSyntax | TableSyntax, ...]
    span: Span
    damaged: bool = False
    """Whether something of it cannot be read."""


@dataclass(frozen=True, slots=True)
class NumbersSyntax:
    """`numbers KIND`, or with `when CHOICE is ALTERNATIVE` another kind for one decision."""

    kind: str
    choice: str
    alternative: str
    span: Span
