"""What the reader makes of a `.brix` file: the author's text as a tree, every part with its place.

Nothing here has been resolved: names are just names. Blocks that could not be read are missing;
the reader has reported them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeAlias

from embrix.brix.expression_syntax import (
    AnyOf,
    Apply,
    Ask,
    Attempt,
    Binary,
    Block,
    ChoiceIs,
    Clause,
    DeliberateAnswer,
    Emit,
    Expr,
    Fail,
    Final,
    If,
    Index,
    Inherit,
    Lambda,
    Let,
    LetRec,
    Line,
    ListOf,
    Make,
    Match,
    NoClause,
    NumberLit,
    Order,
    Otherwise,
    PAny,
    PAs,
    Pattern,
    PConst,
    PEither,
    PList,
    PMake,
    PTuple,
    PVar,
    Ref,
    Repeat,
    Require,
    TextLit,
    Todo,
    Tuple,
    TypeFunction,
    TypeName,
    TypeSyntax,
    TypeTuple,
    Unary,
    Way,
    With,
    WithAll,
)  # fmt: skip
from embrix.brix.grammar_syntax import (
    AlternativeSyntax,
    GrammarSyntax,
    ItemSyntax,
    LevelSyntax,
    LinesDecl,
    More,
    NumbersSyntax,
    OperatorSyntax,
    PatternSyntax,
    RuleSyntax,
    TableSyntax,
    TokenDecl,
    TokensSyntax,
)  # fmt: skip
from embrix.text.diagnostic import Diagnostic
from embrix.text.source import Source, Span

__all__ = [
    "AlternativeDecl",
    "AlternativeSyntax",
    "AnyOf",
    "Apply",
    "Ask",
    "Attempt",
    "Binary",
    "BindsDecl",
    "Block",
    "ChoiceDecl",
    "ChoiceIs",
    "Clause",
    "ConstructorDecl",
    "Define",
    "DefineRow",
    "DeliberateAnswer",
    "Emit",
    "ErrorDecl",
    "Expr",
    "Fail",
    "FieldDecl",
    "FileSyntax",
    "Final",
    "GrammarSyntax",
    "If",
    "Index",
    "Inherit",
    "InterpreterSyntax",
    "ItemSyntax",
    "JudgementDecl",
    "Lambda",
    "LanguageSyntax",
    "LawDecl",
    "Let",
    "LetRec",
    "LevelSyntax",
    "LibrarySyntax",
    "Line",
    "LinesDecl",
    "ListOf",
    "MainDecl",
    "Make",
    "Match",
    "More",
    "NoClause",
    "NumberLit",
    "NumbersSyntax",
    "OperatorSyntax",
    "Order",
    "Otherwise",
    "PAny",
    "PAs",
    "PConst",
    "PEither",
    "PList",
    "PMake",
    "PTuple",
    "PVar",
    "Param",
    "Pattern",
    "PatternSyntax",
    "Ref",
    "Repeat",
    "Require",
    "RuleSyntax",
    "TableSyntax",
    "TextLit",
    "Todo",
    "TokenDecl",
    "TokensSyntax",
    "Tuple",
    "TypeDecl",
    "TypeFunction",
    "TypeName",
    "TypeSyntax",
    "TypeTuple",
    "Unary",
    "UseDecl",
    "Way",
    "Widening",
    "With",
    "WithAll",
]  # fmt: skip

# ---------------------------------------------------------------------- declarations


@dataclass(frozen=True, slots=True)
class Param:
    name: str
    type: TypeSyntax
    span: Span


@dataclass(frozen=True, slots=True)
class Define:
    name: str
    params: tuple[Param, ...]
    result: TypeSyntax
    subjects: tuple[tuple[str, Span], ...]
    rows: tuple[DefineRow, ...]
    body: Expr | None
    doc: str
    span: Span
    """The place of the name; `whole` is that of the whole definition."""
    whole: Span
    damaged: bool = False
    """Whether some of its rows could not be read."""
    widened: str = ""
    """`extend` or `replace`, when clauses were put before those of a base."""
    replacing: tuple[Span, ...] = ()
    """The places of clauses that stand under `replace`, and may hide clauses of the base."""


DefineRow: TypeAlias = Clause | Final | Order | NoClause | Inherit


@dataclass(frozen=True, slots=True)
class Widening:
    """`extend NAME(params)` or `replace NAME(params)` with clauses, or with a body."""

    name: str
    params: tuple[tuple[str, Span], ...]
    rows: tuple[DefineRow, ...]
    body: Expr | None
    replaces: bool
    span: Span
    whole: Span
    damaged: bool = False


@dataclass(frozen=True, slots=True)
class AlternativeDecl:
    """One way to decide a choice, with the reason for it."""

    name: str
    rationale: str
    default: bool
    span: Span


@dataclass(frozen=True, slots=True)
class ChoiceDecl:
    name: str
    question: str
    alternatives: tuple[AlternativeDecl, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class UseDecl:
    """`use LIBRARY (name, …)`; without names everything is taken."""

    library: str
    names: tuple[tuple[str, Span], ...]
    span: Span


@dataclass(frozen=True, slots=True)
class FieldDecl:
    name: str
    type: TypeSyntax
    span: Span


@dataclass(frozen=True, slots=True)
class BindsDecl:
    """Names and scopes are fields, or `FIELD.INNER` for a field of each element of a list; `rest`
    among the scopes is what follows in the list."""

    names: tuple[tuple[str, Span], ...]
    scopes: tuple[tuple[str, Span], ...]


@dataclass(frozen=True, slots=True)
class ConstructorDecl:
    name: str
    fields: tuple[FieldDecl, ...]
    binds: tuple[BindsDecl, ...]
    uses: tuple[tuple[str, Span], ...]
    shown: Expr | None
    span: Span
    role: str = ""
    """`suspended`, `settled`, or nothing."""
    replaces: bool = False
    """Whether it shows a constructor of the base in another way."""


@dataclass(frozen=True, slots=True)
class TypeDecl:
    """`forms Expr`, `value Value` or `data Cell` with its constructors; or `type Heap = …`, which
    `means` another type and has none."""

    word: str
    name: str
    constructors: tuple[ConstructorDecl, ...]
    span: Span
    params: tuple[tuple[str, Span], ...] = ()
    extends: bool = False
    means: TypeSyntax | None = None


@dataclass(frozen=True, slots=True)
class ErrorDecl:
    name: str
    fields: tuple[FieldDecl, ...]
    message: TextLit
    span: Span


@dataclass(frozen=True, slots=True)
class JudgementDecl:
    function: str
    template: TextLit
    span: Span
    gives: Pattern | None = None


@dataclass(frozen=True, slots=True)
class MainDecl:
    function: str
    span: Span


@dataclass(frozen=True, slots=True)
class LawDecl:
    """`law CONCLUSION when CONDITION`: holds for all terms that stand for its names."""

    conclusion: Expr
    condition: Expr | None
    span: Span


# ---------------------------------------------------------------------- files


@dataclass(frozen=True, slots=True)
class LanguageSyntax:
    source: Source
    name: str
    doc: str
    extension: str
    notes: tuple[tuple[str, str], ...]
    numbers: tuple[NumbersSyntax, ...]
    tokens: TokensSyntax
    types: tuple[TypeDecl, ...]
    grammars: tuple[GrammarSyntax, ...]
    errors: tuple[ErrorDecl, ...]
    functions: tuple[Define, ...]
    choices: tuple[ChoiceDecl, ...]
    prelude: tuple[tuple[str, str, Span], ...]
    answers: tuple[DeliberateAnswer, ...]
    base: tuple[str, Span] | None
    span: Span
    lost: tuple[tuple[str, Diagnostic], ...] = ()
    """Names whose declarations cannot be read, with what is wrong with them."""


@dataclass(frozen=True, slots=True)
class InterpreterSyntax:
    source: Source
    name: str
    language: str
    language_span: Span
    doc: str
    types: tuple[TypeDecl, ...]
    errors: tuple[ErrorDecl, ...]
    judgements: tuple[JudgementDecl, ...]
    main: MainDecl | None
    functions: tuple[Define, ...]
    laws: tuple[LawDecl, ...]
    widenings: tuple[Widening, ...]
    choices: tuple[ChoiceDecl, ...]
    answers: tuple[DeliberateAnswer, ...]
    uses: tuple[UseDecl, ...]
    base: tuple[str, str, Span] | None
    """Language and name of the interpreter that is extended."""
    span: Span
    lost: tuple[tuple[str, Diagnostic], ...] = ()
    """Names whose declarations cannot be read, with what is wrong with them."""
    only_extended: bool = False
    """Whether it runs no programs itself: other interpreters extend it."""


@dataclass(frozen=True, slots=True)
class LibrarySyntax:
    source: Source
    name: str
    doc: str
    types: tuple[TypeDecl, ...]
    errors: tuple[ErrorDecl, ...]
    functions: tuple[Define, ...]
    answers: tuple[DeliberateAnswer, ...]
    span: Span
    lost: tuple[tuple[str, Diagnostic], ...] = ()


FileSyntax: TypeAlias = LanguageSyntax | InterpreterSyntax | LibrarySyntax
