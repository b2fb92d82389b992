"""Checked definitions: resolved, typed, without sugar. What the compiler takes.

Variables are numbered slots, unique within a function. Every part that can fail or be traced keeps
its place in the definition.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any, Literal, TypeAlias

from embrix.brix.syntax import InterpreterSyntax, LanguageSyntax
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
    wraps: bool = False
    """Whether what is found is given as `Some`."""


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
    """Steps of a relation until its first subject is final.

    `threads` says for each further component of a step which parameter it becomes.
    """

    function: str
    args: tuple[Core, ...]
    span: Span
    threads: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class IsFinal:
    function: str
    value: Core
    listed: bool = False
    """Whether the value is a list, final when all its items are."""


@dataclass(frozen=True, slots=True)
class Todo:
    """What is still to be written; with the `code` of a diagnostic, what has an error."""

    note: str
    span: Span
    code: str = ""


@dataclass(frozen=True, slots=True)
class Lambda:
    """A function as a value; it remembers the current place."""

    slots: tuple[int, ...]
    body: Core
    span: Span


@dataclass(frozen=True, slots=True)
class CallValue:
    """A call of a function that is a value."""

    callee: Core
    args: tuple[Core, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Knot:
    """An environment whose last frames hold values that mention it: `slot` inside the values.

    `then` is evaluated with the environment in `slot`.
    """

    base: Core
    pairs: tuple[tuple[Core, Core], ...]
    slot: int
    then: Core


@dataclass(frozen=True, slots=True, eq=False)
class Handler:
    error: ErrorType
    patterns: tuple[CorePattern, ...]
    guard: Core | None
    body: Core


@dataclass(frozen=True, slots=True)
class Attempt:
    """A value, or what the first handler gives that takes the declared error."""

    value: Core
    handlers: tuple[Handler, ...]
    span: Span


@dataclass(frozen=True, slots=True)
class Ask:
    """The next line of input, or None."""


@dataclass(frozen=True, slots=True)
class Decided:
    """Whether a choice is decided in this way."""

    choice: str
    alternative: str


@dataclass(frozen=True, slots=True)
class Fetch:
    """What a store, map or list has under a key; without `instead`, absence is *stuck*."""

    kind: Literal["store", "map", "list"]
    container: Core
    key: Core
    instead: Core | None
    span: Span
    wraps: bool = False


@dataclass(frozen=True, slots=True)
class Loop:
    """`fold`, `map` or `filter`: a function called with each item of a list."""

    kind: Literal["fold", "map", "filter"]
    items: Core
    start: Core | None
    function: Core
    span: Span


@dataclass(frozen=True, slots=True)
class StepList:
    """The first item of a list that is not final takes a step of a relation; the list with it put
    back, as the first component of what the relation gives. `args` has a hole for the subject."""

    function: str
    items: Core
    args: tuple[Core, ...]
    span: Span


Core: TypeAlias = (
    Const | Local | Build | BuildTuple | BuildList | Optional | Empty | Call | Primitive | Lookup
    | Extend | ExtendAll | Test | Match | Emit | Template | Fail | Repeat | IsFinal | Todo
    | Lambda | CallValue | Knot | Attempt | Ask | Decided | Fetch | Loop | StepList
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


@dataclass(frozen=True, slots=True)
class Among:
    """A node with one of these tags."""

    tags: frozenset[int]
    inner: CorePattern


CorePattern: TypeAlias = Bind | Equals | Shape | Named | Among


@dataclass(frozen=True, slots=True)
class CoreClause:
    """One clause. `steps` names the field whose step an `order` line put here, by its index."""

    patterns: tuple[CorePattern, ...]
    guard: Core | None
    body: Core
    span: Span
    steps: int | None = None


# ---------------------------------------------------------------------- declarations


@dataclass(frozen=True, slots=True)
class Choice:
    """A decision of a definition: its question, and each alternative with the reason for it."""

    name: str
    question: str
    alternatives: dict[str, str]
    default: str


TemplateParts: TypeAlias = tuple[str | int, ...]
"""Plain text and the numbers of parameters or fields; RESULT stands for the result, and RESULT - n
for its component number n (counted from 1)."""

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
    finals: tuple[CoreClause, ...]
    """What terms are final: each with one pattern, and perhaps a guard."""
    judgement: TemplateParts | None
    span: Span

    @property
    def inside(self) -> tuple[object, ...]:
        """All that it is made of."""
        return (self.body, self.clauses, self.finals)


@dataclass(frozen=True, slots=True, eq=False)
class Law:
    """A statement about all terms: parameters by sort or type, condition and conclusion."""

    text: str
    function: Function
    span: Span


class Meaning:
    """Stands for all definitions that say the same, comments apart: what rests on nothing else is
    remembered with it."""

    __slots__ = ("__weakref__",)


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
    choices: dict[str, Choice]
    tokens: TokenTable | None
    """Its tokens with the literals of its first grammar, even where that cannot be used."""
    sound: bool
    """Whether its forms are right, so that interpreters can be checked against them."""
    syntax: LanguageSyntax
    """The text it was made of, joined with that of its base."""
    other_numbers: dict[tuple[str, str], str] = field(default_factory=dict)
    """The kind of numbers for a choice decided in some way, where it is not `numbers`."""
    chosen: str | None = None
    """The name of the grammar that is used; None for the first."""
    meaning: Meaning = field(default_factory=Meaning)

    @property
    def grammar(self) -> Grammar | None:
        """The grammar that is used, or None when there is none or it has errors."""
        named = [grammar.name for grammar in self.syntax.grammars]
        name = self.chosen if self.chosen is not None else (named[0] if named else "")
        return self.grammars.get(name)

    def under(self, grammar: str) -> Language:
        """The language with another of its grammars."""
        return replace(self, chosen=grammar)

    def deciding(self, decisions: Mapping[str, str]) -> Language:
        """The language with the kind of numbers that these decisions of choices select."""
        found = [kind for way, kind in self.other_numbers.items() if way in decisions.items()]
        if not found or found[-1] == self.numbers:
            return self
        counting = {
            name: replace(grammar, numbers=found[-1]) for name, grammar in self.grammars.items()
        }
        return replace(self, numbers=found[-1], grammars=counting)


@dataclass(frozen=True, slots=True, eq=False, weakref_slot=True)
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
    signature: Signature
    """The forms that terms may have while a program runs: those of the language and its own."""
    laws: tuple[Law, ...] = field(default=())
    choices: dict[str, Choice] = field(default_factory=dict)
    decided: dict[str, str] = field(default_factory=dict)
    """How each choice is decided, where not by its default."""
    syntax: InterpreterSyntax | None = None
    """The text it was made of, joined with that of its base."""
    version: str = ""
    """Which version it is, where not that of the course."""
    base: Interpreter | None = None
    """The interpreter of which this is one with choices decided otherwise."""
    meaning: Meaning = field(default_factory=Meaning)
    """The same for all ways of deciding its choices."""

    @property
    def lane(self) -> str:
        """Its name with the choices that are not decided by default, and its version."""
        return f"{self.role}@{self.version}" if self.version else self.role

    @property
    def role(self) -> str:
        """The lane that suites speak of: whatever the version."""
        told = [f"{name}={way}" for name, way in self.decided.items()
                if way != self.choices[name].default]  # fmt: skip
        return f"{self.name}[{', '.join(told)}]" if told else self.name

    def deciding(self, decisions: dict[str, str]) -> Interpreter:
        """The interpreter with some choices decided in another way."""
        made = {**self.decided, **decisions}
        language = self.language.deciding(made)
        return replace(self, decided=made, language=language, base=self.base or self)

    def under(self, grammar: str) -> Interpreter:
        """The interpreter with another grammar of its language."""
        return replace(self, language=self.language.under(grammar))

    @property
    def reached(self) -> set[str]:
        """The functions that a run may come to; others only show values or read tokens."""
        found: set[str] = set()
        pending = [self.main]
        while pending:
            name = pending.pop()
            if name in found:
                continue
            found.add(name)
            target = self.functions[name]
            for part in parts_of(target.inside):
                if isinstance(part, Call | Repeat | StepList | IsFinal):
                    pending.append(part.function)
        return found

    @property
    def steps(self) -> Function | None:
        """The small-step relation that `main` repeats, or None."""
        for node in parts_of(self.functions[self.main].body):
            if isinstance(node, Repeat):
                return self.functions[node.function]
        return None


def parts_of(root: object, inside: Mapping[type, tuple[str, ...]] | None = None) -> Iterator[Any]:
    """An expression and everything inside it, clauses and patterns included; `inside` says where
    each kind of part has others."""
    known = INSIDE if inside is None else inside
    pending = [root]
    while pending:
        node = pending.pop()
        kind = type(node)
        if kind is tuple:
            pending += node  # type: ignore[arg-type]
        elif kind in known:
            yield node
            pending += [getattr(node, name) for name in known[kind]]


PARTS = (
    Const, Local, Build, BuildTuple, BuildList, Optional, Empty, Call, Primitive, Lookup, Extend,
    ExtendAll, Test, Match, Emit, Template, Fail, Repeat, IsFinal, Todo, Lambda, CallValue, Knot,
    Handler, Attempt, Ask, Decided, Fetch, Loop, StepList, Bind, Equals, Shape, Named, Among,
    CoreClause,
)  # fmt: skip

PATTERNS = (Bind, Equals, Shape, Named, Among)
_PLAIN = ("constructor", "error", "type", "span")
INSIDE: dict[type, tuple[str, ...]] = {
    kind: tuple(name for name in kind.__slots__ if name not in _PLAIN) for kind in PARTS
}
"""Where each kind of part may have others inside."""
