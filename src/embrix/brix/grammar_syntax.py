"""Tokens, rules and operator tables as they are written."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from embrix.brix.expression_syntax import Expr, TypeSyntax
from embrix.text.source import Span


class More(Struct, frozen=True):
    """`...`: what the base has of this."""

    span: Span


class PatternSyntax(Struct, frozen=True):
    """A token pattern; the span is that of the text between the slashes."""

    text: str
    span: Span


class TokenDecl(Struct, frozen=True):
    """`via` names the functions that read and write the token; `not_before` describes the
    character that may not follow it. It is a token in a `mode` ("" outside all that are named),
    perhaps `enters` one, or `leaves` its own."""

    name: str
    pattern: PatternSyntax
    conversion: TypeSyntax | None
    label: str
    span: Span
    via: tuple[tuple[str, Span], ...] = ()
    not_before: PatternSyntax | None = None
    replaces: bool = False
    mode: str = ""
    enters: tuple[str, Span] | None = None
    leaves: bool = False


class LinesDecl(Struct, frozen=True):
    """`lines newline indent dedent except inside "(" ")"`."""

    names: tuple[tuple[str, Span], ...]
    brackets: tuple[tuple[str, str], ...]
    span: Span


class TokensSyntax(Struct, frozen=True):
    """`invalid` is empty where nothing is said about characters that begin no token. With
    `any_case` the words of the grammar are read in upper and lower case."""

    rows: tuple[TokenDecl | More, ...] = ()
    lines: LinesDecl | None = None
    invalid: str = ""
    any_case: bool = False

    @property
    def written(self) -> tuple[TokenDecl, ...]:
        return tuple(row for row in self.rows if isinstance(row, TokenDecl))


class ItemSyntax(Struct, frozen=True):
    """A literal (`text` set), a reference to a rule or token, or a `group` of alternatives (which
    goes by the `name` that it is written with), perhaps captured; or a part that is still to be
    written (`todo` set)."""

    text: str | None
    name: str
    capture: str
    span: Span
    sign: str = ""
    """`?`, `*` or `+` when it is repeated."""
    separator: ItemSyntax | None = None
    greedy: bool = False
    todo: str | None = None
    group: tuple[AlternativeSyntax, ...] = ()

    @property
    def is_operand(self) -> bool:
        """Whether it stands for an operand in an operator table."""
        return self.text is None and not self.name

    def all_inside(self) -> Iterator[ItemSyntax]:
        """It, its separator, and all items of its group."""
        yield self
        if self.separator is not None:
            yield from self.separator.all_inside()
        for alternative in self.group:
            for item in alternative.items:
                yield from item.all_inside()


class AlternativeSyntax(Struct, frozen=True):
    """`makes` is a form, or a term of forms, captures and constants; None hands a part on."""

    items: tuple[ItemSyntax, ...]
    makes: Expr | None
    span: Span


class RuleSyntax(Struct, frozen=True):
    name: str
    sort: TypeSyntax
    alternatives: tuple[AlternativeSyntax | More, ...]
    span: Span
    replaces: bool = False

    @property
    def written(self) -> tuple[AlternativeSyntax, ...]:
        return tuple(row for row in self.alternatives if isinstance(row, AlternativeSyntax))


class OperatorSyntax(Struct, frozen=True):
    """A row of literals, operands (only `capture` set: the field) and captured rules."""

    row: tuple[ItemSyntax, ...]
    juxtaposed: bool
    makes: Expr
    span: Span


class LevelSyntax(Struct, frozen=True):
    fixity: str
    operators: tuple[OperatorSyntax, ...]
    span: Span


class TableSyntax(Struct, frozen=True):
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


class GrammarSyntax(Struct, frozen=True):
    """A grammar; one of several over the same forms bears a name."""

    name: str
    starts: tuple[tuple[str, Span], ...]
    rules: tuple[RuleSyntax | TableSyntax, ...]
    span: Span
    damaged: bool = False
    """Whether something of it cannot be read."""


class NumbersSyntax(Struct, frozen=True):
    """`numbers KIND`, or with `when CHOICE is ALTERNATIVE` another kind for one decision."""

    kind: str
    choice: str
    alternative: str
    span: Span
