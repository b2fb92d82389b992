"""Expressions, patterns and clauses of the core."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from fractions import Fraction
from functools import wraps
from typing import Any, Literal, TypeAlias, TypeVar
from weakref import WeakKeyDictionary

from msgspec import Struct

from embrix.terms.node import Constructor
from embrix.terms.types import UNKNOWN, Type
from embrix.text.source import Span

OfT = TypeVar("OfT")
T = TypeVar("T")

# ---------------------------------------------------------------------- expressions


class Const(Struct, frozen=True):
    value: int | Fraction | float | str | bool


class Local(Struct, frozen=True):
    slot: int


class Build(Struct, frozen=True, eq=False):
    """A form or a constructor applied to all its fields; a form takes the current place."""

    constructor: Constructor
    args: tuple[Core, ...]


class BuildTuple(Struct, frozen=True):
    items: tuple[Core, ...]


class BuildList(Struct, frozen=True):
    items: tuple[Core, ...]
    rest: Core | None


class Optional(Struct, frozen=True):
    """`Some(value)`, or `None` without a value."""

    value: Core | None


class Empty(Struct, frozen=True, eq=False):
    """The empty environment or set, as its type says."""

    type: Type


class Call(Struct, frozen=True):
    function: str
    args: tuple[Core, ...]
    span: Span


class Primitive(Struct, frozen=True):
    """An operation of the notation: see `machine.primitives`."""

    operation: str
    args: tuple[Core, ...]
    span: Span


class Lookup(Struct, frozen=True):
    """A name looked up in an environment; without `instead`, absence is *stuck*."""

    environment: Core
    key: Core
    instead: Core | None
    span: Span
    wraps: bool = False
    """Whether what is found is given as `Some`."""


class Extend(Struct, frozen=True):
    environment: Core
    key: Core
    value: Core


class ExtendAll(Struct, frozen=True):
    environment: Core
    items: Core


class Test(Struct, frozen=True):
    """`if`, `and`, `or`: evaluates only the branch it chooses."""

    test: Core
    yes: Core
    no: Core


class Match(Struct, frozen=True):
    """A choice between clauses; `kind` is the type of what they give, where that is known."""

    subjects: tuple[Core, ...]
    slots: tuple[int, ...]
    clauses: tuple[CoreClause, ...]
    span: Span
    kind: Type = UNKNOWN


class Emit(Struct, frozen=True):
    text: Core
    then: Core


class Template(Struct, frozen=True):
    """A text with values shown inside it."""

    parts: tuple[str | Core, ...]


class Fail(Struct, frozen=True, eq=False):
    error: ErrorType
    args: tuple[Core, ...]
    at: Core | None
    span: Span


class Repeat(Struct, frozen=True):
    """Steps of a relation until its subjects are final: what its last step gives."""

    function: str
    args: tuple[Core, ...]
    span: Span


class IsFinal(Struct, frozen=True):
    """Whether the subjects of a relation are final."""

    function: str
    args: tuple[Core, ...]
    listed: bool = False
    """Whether what the relation goes into is a list here, final when all its items are."""


class Todo(Struct, frozen=True):
    """What is still to be written; with the `code` of a diagnostic, what has an error."""

    note: str
    span: Span
    code: str = ""


class Lambda(Struct, frozen=True):
    """A function as a value; it remembers the current place."""

    slots: tuple[int, ...]
    body: Core
    span: Span
    kind: Type = UNKNOWN


class CallValue(Struct, frozen=True):
    """A call of a function that is a value."""

    callee: Core
    args: tuple[Core, ...]
    span: Span


class Knot(Struct, frozen=True):
    """An environment whose last frames hold values that mention it: `slot` inside the values.

    `then` is evaluated with the environment in `slot`.
    """

    base: Core
    pairs: tuple[tuple[Core, Core], ...]
    slot: int
    then: Core


class Handler(Struct, frozen=True, eq=False):
    error: ErrorType
    patterns: tuple[CorePattern, ...]
    guard: Core | None
    body: Core


class Attempt(Struct, frozen=True):
    """A value, or what the first handler gives that takes the declared error."""

    value: Core
    handlers: tuple[Handler, ...]
    span: Span


class Ask(Struct, frozen=True):
    """The next line of input, or None."""


class TakeWay(Struct, frozen=True):
    """The number of the way that a run takes among those that are open; *stuck* where none is."""

    open: tuple[Core, ...]
    span: Span


class Decided(Struct, frozen=True):
    """Whether a choice is decided in this way."""

    choice: str
    alternative: str


class Fetch(Struct, frozen=True):
    """What a store, map or list has under a key; without `instead`, absence is *stuck*."""

    kind: Literal["store", "map", "list"]
    container: Core
    key: Core
    instead: Core | None
    span: Span
    wraps: bool = False


class Loop(Struct, frozen=True):
    """`fold`, `map` or `filter`: a function called with each item of a list."""

    kind: Literal["fold", "map", "filter"]
    items: Core
    start: Core | None
    function: Core
    span: Span


class StepList(Struct, frozen=True):
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


class Bind(Struct, frozen=True):
    """Matches anything and gives it to a slot; without a slot it only matches."""

    slot: int | None


class Equals(Struct, frozen=True):
    value: int | Fraction | str | bool


class Shape(Struct, frozen=True):
    """A node with this tag whose fields match. `wide`: other tags are possible in this place."""

    tag: int
    fields: tuple[CorePattern, ...]
    wide: bool


class Named(Struct, frozen=True):
    inner: CorePattern
    slot: int


class Among(Struct, frozen=True):
    """A node with one of these tags."""

    tags: frozenset[int]
    inner: CorePattern


CorePattern: TypeAlias = Bind | Equals | Shape | Named | Among


class CoreClause(Struct, frozen=True):
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


class ErrorType(Struct, frozen=True, eq=False):
    name: str
    fields: tuple[str, ...]
    types: tuple[Type, ...]
    message: TemplateParts
    span: Span


# ---------------------------------------------------------------------- going over parts


def parts_of(root: object, inside: Mapping[type, tuple[str, ...]] | None = None) -> list[Any]:
    """An expression and everything inside it, clauses and patterns included; `inside` says where
    each kind of part has others."""
    known = INSIDE if inside is None else inside
    found: list[Any] = []
    pending = [root]
    while pending:
        node = pending.pop()
        kind = type(node)
        if kind is tuple:
            pending += node  # type: ignore[arg-type]
        elif (names := known.get(kind)) is not None:
            found.append(node)
            for name in names:
                pending.append(getattr(node, name))
    return found


def known_guard(guard: Core | None, decided: Callable[[str], str]) -> bool | None:
    """What a guard comes to as choices are `decided`; None where they do not say it."""
    match guard:
        case None:
            return True
        case Decided(choice, alternative):
            return decided(choice) == alternative
        case Const(bool() as value):
            return value
        case Test(test, yes, no):
            known = known_guard(test, decided)
            return None if known is None else known_guard(yes if known else no, decided)
    return None


def once_each(make: Callable[[OfT], T]) -> Callable[[OfT], T]:
    """Remembers what is made of a part of a definition, as long as that is there."""
    known: WeakKeyDictionary[OfT, T] = WeakKeyDictionary()

    @wraps(make)
    def recalled(part: OfT) -> T:
        if part not in known:
            known[part] = make(part)
        return known[part]

    return recalled


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
