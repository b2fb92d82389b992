"""What the reader makes of a `.brix` file: the author's text as a tree, every part with its place.

Nothing here has been resolved: names are just names. Blocks that could not be read are missing;
the reader has reported them.
"""

from __future__ import annotations

from typing import TypeAlias

from msgspec import Struct

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
    PContext,
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
    "DefinitionSyntax",
    "DeliberateAnswer",
    "Emit",
    "ErrorDecl",
    "Expr",
    "Fail",
    "FieldDecl",
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
    "PContext",
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


class Param(Struct, frozen=True):
    name: str
    type: TypeSyntax
    span: Span


class Define(Struct, frozen=True):
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
    helper: bool = False
    """Whether it stands nowhere in the text: it was made for clauses of another function."""


DefineRow: TypeAlias = Clause | Final | Order | NoClause | Inherit


class Widening(Struct, frozen=True):
    """`extend NAME(params)` or `replace NAME(params)` with clauses, or with a body."""

    name: str
    params: tuple[tuple[str, Span], ...]
    rows: tuple[DefineRow, ...]
    body: Expr | None
    replaces: bool
    span: Span
    whole: Span
    damaged: bool = False


class AlternativeDecl(Struct, frozen=True):
    """One way to decide a choice, with the reason for it."""

    name: str
    rationale: str
    default: bool
    span: Span


class ChoiceDecl(Struct, frozen=True):
    name: str
    question: str
    alternatives: tuple[AlternativeDecl, ...]
    span: Span


class UseDecl(Struct, frozen=True):
    """`use LIBRARY (name, …)`; without names everything is taken."""

    library: str
    names: tuple[tuple[str, Span], ...]
    span: Span


class FieldDecl(Struct, frozen=True):
    name: str
    type: TypeSyntax
    span: Span


class BindsDecl(Struct, frozen=True):
    """Names and scopes are fields, or `FIELD.INNER` for a field of each element of a list; `rest`
    among the scopes is what follows in the list."""

    names: tuple[tuple[str, Span], ...]
    scopes: tuple[tuple[str, Span], ...]


class ConstructorDecl(Struct, frozen=True):
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


class TypeDecl(Struct, frozen=True):
    """`forms Expr`, `value Value` or `data Cell` with its constructors; or `type Heap = …`, which
    `means` another type and has none."""

    word: str
    name: str
    constructors: tuple[ConstructorDecl, ...]
    span: Span
    params: tuple[tuple[str, Span], ...] = ()
    extends: bool = False
    means: TypeSyntax | None = None


class ErrorDecl(Struct, frozen=True):
    name: str
    fields: tuple[FieldDecl, ...]
    message: TextLit
    span: Span


class JudgementDecl(Struct, frozen=True):
    function: str
    template: TextLit
    span: Span
    gives: Pattern | None = None


class MainDecl(Struct, frozen=True):
    function: str
    span: Span


class LawDecl(Struct, frozen=True):
    """`law CONCLUSION when CONDITION`: holds for all terms that stand for its names."""

    conclusion: Expr
    condition: Expr | None
    span: Span


# ---------------------------------------------------------------------- files


class LanguageSyntax(Struct, frozen=True):
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
    widenings: tuple[Widening, ...] = ()


class LetterDecl(Struct, frozen=True):
    """`letters "LETTER" for TYPE`: what is written for what is of a type in rules on paper."""

    letter: str
    type: str
    span: Span
    """Where the type stands."""


class InterpreterSyntax(Struct, frozen=True):
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
    letters: tuple[LetterDecl, ...] = ()


class LibrarySyntax(Struct, frozen=True):
    source: Source
    name: str
    doc: str
    types: tuple[TypeDecl, ...]
    errors: tuple[ErrorDecl, ...]
    functions: tuple[Define, ...]
    answers: tuple[DeliberateAnswer, ...]
    span: Span
    lost: tuple[tuple[str, Diagnostic], ...] = ()


DefinitionSyntax: TypeAlias = LanguageSyntax | InterpreterSyntax | LibrarySyntax
