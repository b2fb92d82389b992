"""Checked definitions: resolved, typed, without sugar. What the compiler takes.

Variables are numbered slots, unique within a function. Every part that can fail or be traced keeps
its place in the definition.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from msgspec import Struct, field
from msgspec.structs import replace

from embrix.brix.core_parts import (
    INSIDE,
    PARTS,
    PATTERNS,
    RESULT,
    Among,
    Ask,
    Attempt,
    Bind,
    Build,
    BuildList,
    BuildTuple,
    Call,
    CallValue,
    Const,
    Core,
    CoreClause,
    CorePattern,
    Decided,
    Emit,
    Empty,
    Equals,
    ErrorType,
    Extend,
    ExtendAll,
    Fail,
    Fetch,
    Handler,
    IsFinal,
    Knot,
    Lambda,
    Local,
    Lookup,
    Loop,
    Match,
    Named,
    Optional,
    Primitive,
    Repeat,
    Shape,
    StepList,
    TakeWay,
    Template,
    TemplateParts,
    Test,
    Todo,
    known_guard,
    once_each,
    parts_of,
)  # fmt: skip
from embrix.brix.syntax import Define, InterpreterSyntax, LanguageSyntax
from embrix.grammar.model import Grammar
from embrix.grammar.tokens import TokenTable
from embrix.terms.node import Constructor
from embrix.terms.signature import Signature
from embrix.terms.types import Type
from embrix.text.digests import digest_of
from embrix.text.source import Source, Span

__all__ = [
    "INSIDE", "PARTS", "PATTERNS", "RESULT", "Among", "Ask", "Attempt", "Bind", "Build",
    "BuildList", "BuildTuple", "Call", "CallValue", "Choice", "Const", "Core", "CoreClause",
    "CorePattern", "Decided", "Emit", "Empty", "Equals", "ErrorType", "Extend", "ExtendAll",
    "Fail", "Fetch", "Function", "Handler", "Interpreter", "IsFinal", "Knot", "Lambda",
    "Language", "Law", "Local", "Lookup", "Loop", "Match", "Meaning", "Named", "Optional",
    "Primitive", "Repeat", "Shape", "StepList", "TakeWay", "Template", "TemplateParts", "Test",
    "Todo", "kinds_inside", "known_guard", "once_each", "parts_inside", "parts_of",
]  # fmt: skip

# ---------------------------------------------------------------------- declarations


class Choice(Struct, frozen=True):
    """A decision of a definition: its question, and each alternative with the reason for it."""

    name: str
    question: str
    alternatives: dict[str, str]
    default: str


class Function(Struct, frozen=True, eq=False, weakref=True):
    """A function of a definition. `subject` is the number of the parameter that is the current
    term, when one is; `finals` makes it a small-step relation, which goes into the parameter
    `control`."""

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
    """What terms are final: each with a pattern for each subject, and perhaps a guard."""
    judgement: TemplateParts | None
    span: Span
    helper: bool = False
    """Whether it stands nowhere in the text: it was made for clauses of another function."""
    control: int = 0
    becomes: tuple[int, ...] = ()
    """The parameters that the components of a step become; none where a step gives the one subject
    alone."""

    @property
    def inside(self) -> tuple[object, ...]:
        """All that it is made of."""
        return (self.body, self.clauses, self.finals)

    @property
    def control_place(self) -> int:
        """Which of the subjects a small-step relation goes into."""
        return self.subjects.index(self.control)


@once_each
def parts_inside(function: Function) -> tuple[Any, ...]:
    """Everything inside a function."""
    return tuple(parts_of(function.inside))


@once_each
def kinds_inside(function: Function) -> frozenset[type]:
    """The kinds of parts that are in a function."""
    return frozenset(map(type, parts_inside(function)))


class Law(Struct, frozen=True, eq=False):
    """A statement about all values of its parameters, or those of which a condition holds; both are
    functions of the same parameters."""

    text: str
    function: Function
    span: Span
    conditions: tuple[Function, ...] = ()
    """The parts of the condition that `and` joins."""
    negative: tuple[bool, ...] = ()
    """For each whether it says that something does not hold."""

    @property
    def functions(self) -> tuple[Function, ...]:
        return (self.function, *self.conditions)


class DeclaredAlike:
    """Stands for all definitions that declare the same, whatever the clauses of their functions
    say."""

    __slots__ = ("__weakref__",)


class Meaning:
    """Stands for all definitions that say the same, comments apart: what rests on nothing else is
    remembered with it."""

    __slots__ = ("__weakref__", "declared", "said")

    def __init__(
        self,
        declared: DeclaredAlike | None = None,
        said: tuple[tuple[str, ...], tuple[Meaning, ...]] | None = None,
    ) -> None:
        self.declared = declared
        """What is declared, where other definitions may declare the same."""
        self.said = said
        """The texts that say it, and what they build on; None where it is told by its place."""

    def digest(self) -> bytes | None:
        """What stands for it in every process."""
        if self.said is None:
            return None
        texts, before = self.said
        under = [one.digest() for one in before]
        return None if None in under else digest_of((texts, under))


class Language(Struct, frozen=True, eq=False):
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


class CheckedBefore(Struct, eq=False):
    """The functions of an interpreter in which nothing is wrong, and what they were checked by."""

    constructors: dict[str, Constructor]
    errors: dict[str, ErrorType]
    by: tuple[object, ...]
    """What else they were checked by: see `checked_before`."""
    functions: dict[str, tuple[Define, TemplateParts | None, Function]] = field(
        default_factory=dict
    )

    def holds_in(self, other: CheckedBefore) -> bool:
        """Whether what was checked by this would be checked by the same there."""
        return (self.by, self.constructors, self.errors) == (
            other.by, other.constructors, other.errors
        )  # fmt: skip

    def of(self, define: Define, judgement: TemplateParts | None) -> Function | None:
        """What was made of the very same function, stated by the same judgement."""
        known = self.functions.get(define.name)
        if known is None or known[0] is not define or known[1] != judgement:
            return None
        return known[2]


class Interpreter(Struct, frozen=True, eq=False, weakref=True):
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
    laws: tuple[Law, ...] = ()
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
    sentences: dict[str, Function] = field(default_factory=dict)
    """By error the functions that say more than a template of names."""
    repeating: str = ""
    """The function in which a run repeats a small-step relation, if there is one."""
    checked: CheckedBefore | None = None
    """Its functions, for an interpreter that extends this one."""

    @property
    def lane(self) -> str:
        """Its name with the choices that are not decided by default, and its version."""
        return f"{self.role}@{self.version}" if self.version else self.role

    @property
    def role(self) -> str:
        """The lane that suites speak of: whatever the version."""
        rows = [f"{name}={way}" for name, way in self.decided.items()
                if way != self.choices[name].default]  # fmt: skip
        return f"{self.name}[{', '.join(rows)}]" if rows else self.name

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
            for part in parts_inside(target):
                if isinstance(part, Call | Repeat | StepList | IsFinal):
                    pending.append(part.function)
        return found

    @property
    def several(self) -> bool:
        """Whether a run may have several ways to go on."""
        return _several(self)

    @property
    def steps(self) -> Function | None:
        """The small-step relation that a run repeats, or None."""
        holder = self.functions.get(self.repeating)
        for node in parts_inside(holder) if holder is not None else ():
            if isinstance(node, Repeat):
                return self.functions[node.function]
        return None


@once_each
def _several(interpreter: Interpreter) -> bool:
    return any(
        isinstance(part, TakeWay)
        for name in interpreter.reached for part in parts_inside(interpreter.functions[name])
    )  # fmt: skip
