"""What the reader makes of a `.brix` file: the author's text as a tree, every part with its place.

Nothing here has been resolved: names are just names. Blocks that could not be read are missing;
the reader has reported them.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import TypeAlias

from embrix.text.diagnostic import Diagnostic
from embrix.text.source import Source, Span

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


Pattern: TypeAlias = PVar | PAny | PConst | PMake | PTuple | PList | PAs


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
    """`order PATTERN : child, child` among the clauses of a small-step relation."""

    pattern: Pattern
    children: tuple[tuple[str, Span], ...]
    guard: Expr | None
    span: Span


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
    """`forms Expr`, `value Value` or `data Cell` with its constructors."""

    word: str
    name: str
    constructors: tuple[ConstructorDecl, ...]
    span: Span
    params: tuple[tuple[str, Span], ...] = ()
    extends: bool = False


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


# ---------------------------------------------------------------------- language parts


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
