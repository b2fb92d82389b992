"""Expressions, patterns and clauses of the core."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any, Literal, TypeAlias

from embrix.terms.node import Constructor
from embrix.terms.types import Type
from embrix.text.source import Span

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
class TakeWay:
    """The number of the way that a run takes among those that are open; *stuck* where none is."""

    open: tuple[Core, ...]
    span: Span


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
    | Lambda | CallValue | Knot | Attempt | Ask | TakeWay | Decided | Fetch | Loop | StepList
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
    """One clause. `steps` names the fields whose steps an `order` line put here, by their index:
    several where any of them may be next."""

    patterns: tuple[CorePattern, ...]
    guard: Core | None
    body: Core
    span: Span
    steps: tuple[int, ...] = ()


# ---------------------------------------------------------------------- errors

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


# ---------------------------------------------------------------------- going over parts


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
        elif (names := known.get(kind)) is not None:
            yield node
            for name in names:
                pending.append(getattr(node, name))


PARTS = (
    Const, Local, Build, BuildTuple, BuildList, Optional, Empty, Call, Primitive, Lookup, Extend,
    ExtendAll, Test, Match, Emit, Template, Fail, Repeat, IsFinal, Todo, Lambda, CallValue, Knot,
    Handler, Attempt, Ask, TakeWay, Decided, Fetch, Loop, StepList, Bind, Equals, Shape, Named,
    Among, CoreClause,
)  # fmt: skip

PATTERNS = (Bind, Equals, Shape, Named, Among)
INSIDE: dict[type, tuple[str, ...]] = {
    kind: tuple(
        name for name, written in kind.__annotations__.items()
        if "Core" in written or "Handler" in written
    )
    for kind in PARTS
}  # fmt: skip
"""Where each kind of part may have others inside."""
