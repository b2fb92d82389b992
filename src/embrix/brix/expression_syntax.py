"""Types, expressions, patterns and clauses as they are written."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import TypeAlias

from embrix.text.source import Span

# ---------------------------------------------------------------------- types


@dataclass(frozen=True, slots=True)
class TypeName:
    name: str
    args: tuple[TypeSyntax, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class TypeTuple:
    items: tuple[TypeSyntax, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class TypeFunction:
    params: tuple[TypeSyntax, ...]
    result: TypeSyntax
    span: Span


TypeSyntax: TypeAlias = TypeName | TypeTuple | TypeFunction

# ---------------------------------------------------------------------- expressions


@dataclass(frozen=True, slots=True)
class NumberLit:
    value: int | Fraction
    span: Span


@dataclass(frozen=True, slots=True)
class TextLit:
    """A text; `parts` alternates between plain text and the expressions in braces."""

    parts: tuple[str | Expr, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Ref:
    """A lower-case name: a variable, a function, a constant of the notation."""

    name: str
    span: Span


@dataclass(frozen=True, slots=True)
class Make:
    """A capitalised name, perhaps with arguments: a form or constructor."""

    name: str
    args: tuple[Expr, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Apply:
    callee: Expr
    args: tuple[Expr, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Index:
    container: Expr
    key: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class Binary:
    operator: str
    left: Expr
    right: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class Unary:
    operator: str
    operand: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class Otherwise:
    value: Expr
    instead: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class With:
    """`container with key = value`; the key of an environment is an expression of type Name."""

    container: Expr
    key: Expr
    value: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class WithAll:
    container: Expr
    items: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class If:
    test: Expr
    yes: Expr
    no: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class Match:
    subjects: tuple[Expr, ...]
    clauses: tuple[Clause, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Tuple:
    items: tuple[Expr, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class ListOf:
    items: tuple[Expr, ...]
    rest: Expr | None
    span: Span


@dataclass(frozen=True, slots=True)
class Fail:
    error: str
    args: tuple[Expr, ...]
    at: Expr | None
    span: Span


@dataclass(frozen=True, slots=True)
class Repeat:
    step: str
    args: tuple[Expr, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Todo:
    """What is still to be written; with the `code` of a diagnostic, what cannot be read."""

    note: str
    span: Span
    code: str = ""


@dataclass(frozen=True, slots=True)
class Lambda:
    """`fn(PATTERN, …) => BODY`"""

    params: tuple[Pattern, ...]
    body: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class Attempt:
    """`attempt VALUE` with `on ERROR(…) => …` below it."""

    value: Expr
    handlers: tuple[Clause, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Ask:
    """A line of input, or None when there is no more."""

    span: Span


@dataclass(frozen=True, slots=True)
class Way:
    """`when GUARD => BODY` among the lines of `any of`; without a guard BODY alone."""

    guard: Expr | None
    body: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class AnyOf:
    """`any of` and its ways, one a line: the definition does not say which of those that are open
    is taken."""

    ways: tuple[Way, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class ChoiceIs:
    """`NAME is ALTERNATIVE`"""

    name: str
    alternative: str
    span: Span


@dataclass(frozen=True, slots=True)
class LetRec:
    """`let rec NAME = ENV with KEY = VALUE …`, where the values may mention NAME."""

    name: str
    value: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class Let:
    pattern: Pattern
    value: Expr
    misses: tuple[Clause, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Require:
    test: Expr
    otherwise: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class Emit:
    text: Expr
    span: Span


@dataclass(frozen=True, slots=True)
class Block:
    """Lines carried out in the order of the page, then the result."""

    lines: tuple[Line, ...]
    result: Expr
    span: Span


Line: TypeAlias = Let | LetRec | Require | Emit
Expr: TypeAlias = (
    NumberLit | TextLit | Ref | Make | Apply | Index | Binary | Unary | Otherwise | With | WithAll
    | If | Match | Tuple | ListOf | Fail | Repeat | Todo | Block | Lambda | Attempt | Ask | ChoiceIs
    | AnyOf
)  # fmt: skip

# ---------------------------------------------------------------------- patterns


@dataclass(frozen=True, slots=True)
class PVar:
    name: str
    span: Span


@dataclass(frozen=True, slots=True)
class PAny:
    span: Span


@dataclass(frozen=True, slots=True)
class PConst:
    value: int | Fraction | str | bool
    span: Span


@dataclass(frozen=True, slots=True)
class PMake:
    """`Form(a, b)`, or with `fields` `Form(.., body = b)`: the fields named, the others any."""

    name: str
    args: tuple[Pattern, ...]
    span: Span
    fields: tuple[tuple[str, Pattern, Span], ...] | None = None


@dataclass(frozen=True, slots=True)
class PTuple:
    items: tuple[Pattern, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class PList:
    items: tuple[Pattern, ...]
    rest: Pattern | None
    span: Span


@dataclass(frozen=True, slots=True)
class PAs:
    inner: Pattern
    name: str
    span: Span


@dataclass(frozen=True, slots=True)
class PEither:
    """`P | Q`: one of several patterns. A clause with one is read as a clause for each."""

    options: tuple[Pattern, ...]
    span: Span


Pattern: TypeAlias = PVar | PAny | PConst | PMake | PTuple | PList | PAs | PEither


@dataclass(frozen=True, slots=True)
class Clause:
    """`patterns when guard => body`; the span is that of the whole clause."""

    patterns: tuple[Pattern, ...]
    guard: Expr | None
    body: Expr
    span: Span
    only: frozenset[str] | None = None
    """The forms that a pattern which takes everything stands for, where that is not all."""


@dataclass(frozen=True, slots=True)
class NoClause:
    """`no clause PATTERN "reason"`: that nothing takes this is meant."""

    patterns: tuple[Pattern, ...]
    reason: str
    span: Span


@dataclass(frozen=True, slots=True)
class Inherit:
    """`inherit _ for FORM, …`: the base's clause for everything else answers for these too."""

    forms: tuple[tuple[str, Span], ...]
    span: Span


@dataclass(frozen=True, slots=True)
class DeliberateAnswer:
    """`deliberately CODE "reason"`: the warning of this code inside `covers` is meant."""

    code: str
    reason: str
    span: Span
    covers: Span | None = None


@dataclass(frozen=True, slots=True)
class Final:
    """`final PATTERN when TEST` among the clauses of a small-step relation."""

    pattern: Pattern
    guard: Expr | None
    span: Span


@dataclass(frozen=True, slots=True)
class Order:
    """`order PATTERN : child, child` among the clauses of a small-step relation; `free` where it
    ends with `in any order`."""

    pattern: Pattern
    children: tuple[tuple[str, Span], ...]
    guard: Expr | None
    span: Span
    free: bool = False
