"""Checked definitions: resolved, typed, without sugar. What the compiler takes.

Variables are numbered slots, unique within a function. Every part that can fail or be traced keeps
its place in the definition.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import TypeAlias

from embrix.brix.syntax import LanguageSyntax
from embrix.grammar.model import Grammar
from embrix.grammar.tokens import TokenTable
from embrix.terms.node import Constructor
from embrix.terms.signature import Signature
from embrix.terms.types import Type
from embrix.text.source import Source, Span

# ---------------------------------------------------------------------- expressions


@dataclass(frozen=True, slots=True)
class Const:
    value: int | Fraction | float | str | bool


@dataclass(frozen=True, slots=True)
class Local:
    slot: int


@dataclass(frozen=True, slots=True, eq=False)
class Build:
    """A form or a constructor applied to all its fields; a form takes the current place."""

    constructor: Constructor
    args: tuple[Core, ...]


@dataclass(frozen=True, slots=True)
class BuildTuple:
    items: tuple[Core, ...]


@dataclass(frozen=True, slots=True)
class BuildList:
    items: tuple[Core, ...]
    rest: Core | None


@dataclass(frozen=True, slots=True)
class Optional:
    """`Some(value)`, or `None` without a value."""

    value: Core | None


@dataclass(frozen=True, slots=True, eq=False)
class Empty:
    """The empty environment or set, as its type says."""

    type: Type


@dataclass(frozen=True, slots=True)
class Call:
    function: str
    args: tuple[Core, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Primitive:
    """An operation of the notation: see `machine.primitives`."""

    operation: str
    args: tuple[Core, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Lookup:
    """A name looked up in an environment; without `instead`, absence is *stuck*."""

    environment: Core
    key: Core
    instead: Core | None
    span: Span


@dataclass(frozen=True, slots=True)
class Extend:
    environment: Core
    key: Core
    value: Core


@dataclass(frozen=True, slots=True)
class ExtendAll:
    environment: Core
    items: Core


@dataclass(frozen=True, slots=True)
class Test:
    """`if`, `and`, `or`: evaluates only the branch it chooses."""

    test: Core
    yes: Core
    no: Core


@dataclass(frozen=True, slots=True)
class Match:
    subjects: tuple[Core, ...]
    slots: tuple[int, ...]
    clauses: tuple[CoreClause, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Emit:
    text: Core
    then: Core


@dataclass(frozen=True, slots=True)
class Template:
    """A text with values shown inside it."""

    parts: tuple[str | Core, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Fail:
    error: ErrorType
    args: tuple[Core, ...]
    at: Core | None
    span: Span


@dataclass(frozen=True, slots=True)
class Repeat:
    """Steps of a relation until its first subject is final."""

    function: str
    args: tuple[Core, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class IsFinal:
    function: str
    value: Core


@dataclass(frozen=True, slots=True)
class Todo:
    note: str
    span: Span


Core: TypeAlias = (
    Const | Local | Build | BuildTuple | BuildList | Optional | Empty | Call | Primitive | Lookup
    | Extend | ExtendAll | Test | Match | Emit | Template | Fail | Repeat | IsFinal | Todo
)  # fmt: skip

# ---------------------------------------------------------------------- patterns


@dataclass(frozen=True, slots=True)
class Bind:
    """Matches anything and gives it to a slot; without a slot it only matches."""

    slot: int | None


@dataclass(frozen=True, slots=True)
class Equals:
    value: int | Fraction | str | bool


@dataclass(frozen=True, slots=True)
class Shape:
    """A node with this tag whose fields match. `wide`: other tags are possible in this place."""

    tag: int
    fields: tuple[CorePattern, ...]
    wide: bool


@dataclass(frozen=True, slots=True)
class Named:
    inner: CorePattern
    slot: int


CorePattern: TypeAlias = Bind | Equals | Shape | Named


@dataclass(frozen=True, slots=True)
class CoreClause:
    """One clause. `steps` names the field whose step an `order` line put here, by its index."""

    patterns: tuple[CorePattern, ...]
    guard: Core | None
    body: Core
    span: Span
    steps: int | None = None


# ---------------------------------------------------------------------- declarations

TemplateParts: TypeAlias = tuple[str | int, ...]
"""Plain text and the numbers of parameters or fields; RESULT stands for the result."""

RESULT = -1


@dataclass(frozen=True, slots=True, eq=False)
class ErrorType:
    name: str
    fields: tuple[str, ...]
    types: tuple[Type, ...]
    message: TemplateParts
    span: Span


@dataclass(frozen=True, slots=True, eq=False)
class Function:
    """A function of a definition. `subject` is the number of the parameter that is the current
    term, when one is; `finals` makes it a small-step relation."""

    name: str
    params: tuple[str, ...]
    slots: tuple[int, ...]
    types: tuple[Type, ...]
    result: Type
    subject: int | None
    subjects: tuple[int, ...]
    clauses: tuple[CoreClause, ...]
    body: Core | None
    finals: tuple[CorePattern, ...]
    judgement: TemplateParts | None
    span: Span


@dataclass(frozen=True, slots=True, eq=False)
class Law:
    """A statement about all terms: parameters by sort or type, condition and conclusion."""

    text: str
    function: Function
    span: Span


@dataclass(frozen=True, slots=True, eq=False)
class Language:
    """A checked language."""

    name: str
    source: Source
    doc: str
    extension: str
    notes: tuple[tuple[str, str], ...]
    numbers: str
    signature: Signature
    grammars: dict[str, Grammar]
    """Those that can be used, by name; an only one is called by an empty name."""
    errors: tuple[ErrorType, ...]
    functions: dict[str, Function]
    tokens: TokenTable | None
    """Its tokens with the literals of its first grammar, even where that cannot be used."""
    sound: bool
    """Whether its forms are right, so that interpreters can be checked against them."""
    syntax: LanguageSyntax
    """The text it was made of, joined with that of its base."""
    chosen: str | None = None
    """The name of the grammar that is used; None for the first."""

    @property
    def grammar(self) -> Grammar | None:
        """The grammar that is used, or None when there is none or it has errors."""
        named = [grammar.name for grammar in self.syntax.grammars]
        name = self.chosen if self.chosen is not None else (named[0] if named else "")
        return self.grammars.get(name)

    def under(self, grammar: str) -> Language:
        """The language with another of its grammars."""
        return replace(self, chosen=grammar)


@dataclass(frozen=True, slots=True, eq=False)
class Interpreter:
    """A checked interpreter of a language.

    `constructors` lists everything a value may be built of by tag, the forms included. `shown`
    gives for a tag the function that displays it.
    """

    name: str
    source: Source
    doc: str
    language: Language
    constructors: dict[int, Constructor]
    errors: tuple[ErrorType, ...]
    functions: dict[str, Function]
    shown: dict[int, Function]
    main: str
    laws: tuple[Law, ...] = field(default=())

    def under(self, grammar: str) -> Interpreter:
        """The interpreter with another grammar of its language."""
        return replace(self, language=self.language.under(grammar))

    @property
    def steps(self) -> Function | None:
        """The small-step relation that `main` repeats, or None."""
        pending = [self.functions[self.main].body]
        while pending:
            node = pending.pop()
            if isinstance(node, Repeat):
                return self.functions[node.function]
            if isinstance(node, Match):
                pending += [*node.subjects, *(clause.body for clause in node.clauses)]
            elif isinstance(node, Test):
                pending += [node.yes, node.no]
        return None
