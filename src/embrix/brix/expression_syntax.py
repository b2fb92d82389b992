"""Types, expressions, patterns and clauses as they are written."""

from __future__ import annotations

from fractions import Fraction
from typing import TypeAlias

from msgspec import Struct

from embrix.text.source import Span

# ---------------------------------------------------------------------- types


class TypeName(Struct, frozen=True):
    name: str
    args: tuple[TypeSyntax, ...]
    span: Span


class TypeTuple(Struct, frozen=True):
    items: tuple[TypeSyntax, ...]
    span: Span


class TypeFunction(Struct, frozen=True):
    params: tuple[TypeSyntax, ...]
    result: TypeSyntax
    span: Span


TypeSyntax: TypeAlias = TypeName | TypeTuple | TypeFunction

# ---------------------------------------------------------------------- expressions


class NumberLit(Struct, frozen=True):
    value: int | Fraction
    span: Span


class TextLit(Struct, frozen=True):
    """A text; `parts` alternates between plain text and the expressions in braces."""

    parts: tuple[str | Expr, ...]
    span: Span


class Ref(Struct, frozen=True):
    """A lower-case name: a variable, a function, a constant of the notation."""

    name: str
    span: Span


class Make(Struct, frozen=True):
    """A capitalised name, perhaps with arguments: a form or constructor."""

    name: str
    args: tuple[Expr, ...]
    span: Span


class Apply(Struct, frozen=True):
    callee: Expr
    args: tuple[Expr, ...]
    span: Span


class Index(Struct, frozen=True):
    container: Expr
    key: Expr
    span: Span


class Binary(Struct, frozen=True):
    operator: str
    left: Expr
    right: Expr
    span: Span


class Unary(Struct, frozen=True):
    operator: str
    operand: Expr
    span: Span


class Otherwise(Struct, frozen=True):
    value: Expr
    instead: Expr
    span: Span


class With(Struct, frozen=True):
    """`container with key = value`; the key of an environment is an expression of type Name."""

    container: Expr
    key: Expr
    value: Expr
    span: Span


class WithAll(Struct, frozen=True):
    container: Expr
    items: Expr
    span: Span


class If(Struct, frozen=True):
    test: Expr
    yes: Expr
    no: Expr
    span: Span


class Match(Struct, frozen=True):
    subjects: tuple[Expr, ...]
    clauses: tuple[Clause, ...]
    span: Span


class Tuple(Struct, frozen=True):
    items: tuple[Expr, ...]
    span: Span


class ListOf(Struct, frozen=True):
    items: tuple[Expr, ...]
    rest: Expr | None
    span: Span


class Fail(Struct, frozen=True):
    error: str
    args: tuple[Expr, ...]
    at: Expr | None
    span: Span


class Repeat(Struct, frozen=True):
    step: str
    args: tuple[Expr, ...]
    span: Span


class Todo(Struct, frozen=True):
    """What is still to be written; with the `code` of a diagnostic, what cannot be read."""

    note: str
    span: Span
    code: str = ""


class Lambda(Struct, frozen=True):
    """`fn(PATTERN, …) => BODY`"""

    params: tuple[Pattern, ...]
    body: Expr
    span: Span


class Attempt(Struct, frozen=True):
    """`attempt VALUE` with `on ERROR(…) => …` below it."""

    value: Expr
    handlers: tuple[Clause, ...]
    span: Span


class Ask(Struct, frozen=True):
    """A line of input, or None when there is no more."""

    span: Span


class Way(Struct, frozen=True):
    """`when GUARD => BODY` among the lines of `any of`; without a guard BODY alone."""

    guard: Expr | None
    body: Expr
    span: Span


class AnyOf(Struct, frozen=True):
    """`any of` and its ways, one a line: the definition does not say which of those that are open
    is taken."""

    ways: tuple[Way, ...]
    span: Span


class ChoiceIs(Struct, frozen=True):
    """`NAME is ALTERNATIVE`"""

    name: str
    alternative: str
    span: Span


class LetRec(Struct, frozen=True):
    """`let rec NAME = ENV with KEY = VALUE …`, where the values may mention NAME."""

    name: str
    value: Expr
    span: Span


class Let(Struct, frozen=True):
    pattern: Pattern
    value: Expr
    misses: tuple[Clause, ...]
    span: Span
    certain: bool = False
    """Whether its pattern takes what comes, though the type does not say so."""


class Require(Struct, frozen=True):
    test: Expr
    otherwise: Expr
    span: Span


class Emit(Struct, frozen=True):
    text: Expr
    span: Span


class Block(Struct, frozen=True):
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


class PVar(Struct, frozen=True):
    name: str
    span: Span


class PAny(Struct, frozen=True):
    span: Span


class PConst(Struct, frozen=True):
    value: int | Fraction | str | bool
    span: Span


class PMake(Struct, frozen=True):
    """`Form(a, b)`, or with `fields` `Form(.., body = b)`: the fields named, the others any."""

    name: str
    args: tuple[Pattern, ...]
    span: Span
    fields: tuple[tuple[str, Pattern, Span], ...] | None = None


class PTuple(Struct, frozen=True):
    items: tuple[Pattern, ...]
    span: Span


class PList(Struct, frozen=True):
    items: tuple[Pattern, ...]
    rest: Pattern | None
    span: Span


class PAs(Struct, frozen=True):
    inner: Pattern
    name: str
    span: Span


class PEither(Struct, frozen=True):
    """`P | Q`: one of several patterns. A clause with one is read as a clause for each."""

    options: tuple[Pattern, ...]
    span: Span


class PContext(Struct, frozen=True):
    """`k[P]` in a clause of a small-step relation: a term in which what P takes stands where the
    next step takes place, not inside any of the forms `without` which it is to be."""

    name: str
    inner: Pattern
    without: tuple[tuple[str, Span], ...]
    span: Span


Pattern: TypeAlias = PVar | PAny | PConst | PMake | PTuple | PList | PAs | PEither | PContext


class Clause(Struct, frozen=True):
    """`patterns when guard => body`; the span is that of the whole clause."""

    patterns: tuple[Pattern, ...]
    guard: Expr | None
    body: Expr
    span: Span
    only: frozenset[str] | None = None
    """The forms that a pattern which takes everything stands for, where that is not all."""


class NoClause(Struct, frozen=True):
    """`no clause PATTERN "reason"`: that nothing takes this is meant."""

    patterns: tuple[Pattern, ...]
    reason: str
    span: Span


class Inherit(Struct, frozen=True):
    """`inherit _ for FORM, …`: the base's clause for everything else answers for these too."""

    forms: tuple[tuple[str, Span], ...]
    span: Span


class DeliberateAnswer(Struct, frozen=True):
    """`deliberately CODE "reason"`: the warning of this code inside `covers` is meant."""

    code: str
    reason: str
    span: Span
    covers: Span | None = None


class Final(Struct, frozen=True):
    """`final PATTERN, PATTERN when TEST` among the clauses of a small-step relation: a pattern for
    each subject."""

    patterns: tuple[Pattern, ...]
    guard: Expr | None
    span: Span


class Order(Struct, frozen=True):
    """`order PATTERN : child, child` among the clauses of a small-step relation: the pattern is for
    what the relation goes into; `free` where it ends with `in any order`."""

    pattern: Pattern
    children: tuple[tuple[str, Span], ...]
    guard: Expr | None
    span: Span
    free: bool = False
