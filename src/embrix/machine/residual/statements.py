"""The statements of residual programs.

Each operation gives its results to variables of their own, each of which gets a value once (those
that two branches lead to get it in each of them). What a program does stands in the order in which
it is done.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, TypeAlias

from msgspec import Struct, field

from embrix.terms.node import Place, Value
from embrix.terms.types import Type
from embrix.text.source import Span


class Constant(Struct, frozen=True, eq=False):
    value: Value


class Field(Struct, frozen=True, eq=False):
    """A field of a node, counted from zero."""

    of: Atom
    number: int


Atom: TypeAlias = str | Constant | Field
"""A variable, a constant, or a field of one."""


class Origin(Struct, frozen=True):
    """Where something comes from: a place in the program, and a clause of the interpreter."""

    place: Place | None = None
    clause: Span | None = None


class Assigned(Struct, eq=False):
    """`names` get what an operation gives. `about` says more: the name of a primitive, a function,
    a shape."""

    names: tuple[str, ...]
    operation: str
    args: tuple[Atom, ...]
    about: Any = None
    origin: Origin = Origin()
    whole: bool = False
    """Whether it is known that it works on whole numbers."""
    floats: bool = False
    """Whether it is known that it works on those of the machine."""


class ResidualTest(Struct, frozen=True, eq=False):
    """A test of a value: `true`, `tag`, `equals`."""

    test: str
    of: Atom
    about: Any = None


class Fork(Struct, eq=False):
    """All conditions hold, or they do not."""

    conditions: tuple[ResidualTest, ...]
    yes: list[Statement]
    no: list[Statement]
    origin: Origin = Origin()


class Give(Struct, eq=False):
    """The function gives its results."""

    values: tuple[Atom, ...]
    origin: Origin = Origin()


class Again(Struct, eq=False):
    """The function begins again with other arguments."""

    values: tuple[Atom, ...]
    origin: Origin = Origin()


class AgainOn(Struct, eq=False):
    """The method begins again, on another value of its shape."""

    of: Atom
    values: tuple[Atom, ...]
    origin: Origin = Origin()


class HandBack(Struct, eq=False):
    """The run goes on in the interpreter, from the beginning: it fails, or needs what residual
    programs do not have."""

    reason: str
    origin: Origin = Origin()


class Spend(Struct, eq=False):
    """So many calls of functions of the interpreter are made here."""

    calls: int


class Beforehand(Struct, eq=False):
    """A note, nothing that is done: a function of the interpreter was called here, and which of its
    clauses applies is decided, with all that it does with what is known."""

    function: str
    origin: Origin


class CaughtElsewhere(Struct, eq=False):
    """A note, nothing that is done: what fails from here on may be caught, and that the interpreter
    does."""

    origin: Origin


Statement: TypeAlias = (
    Assigned | Fork | Give | Again | AgainOn | HandBack | Spend | Beforehand | CaughtElsewhere
)


class ValueShape(Struct, eq=False):
    """What is known of values that are made at one place of the program: their constructor, and
    how their fields are put together of the parts that only the run knows."""

    number: int
    tag: int
    key: tuple[Any, ...]
    build: Any
    """Makes the fields from the parts."""
    methods: dict[int, Residual] = field(default_factory=dict)
    """By the number of a dispatch the function that does it for values of this shape."""

    @property
    def is_function(self) -> bool:
        """Whether the values are functions of the notation."""
        return self.tag < 0


class LeftOfChoice(Struct, eq=False):
    """A choice between clauses that is made inside a value: clauses, those of a function itself or
    of a match, the type of what they give, the slots that they need, and what happens where none of
    them applies."""

    clauses: tuple[Any, ...]
    own: bool
    kind: Type
    slots: tuple[int, ...]
    end: str


class Dispatch(Struct, eq=False):
    """A function of the interpreter applied to parts that a value was made with."""

    number: int
    function: str
    tag: int
    args: Any
    """Makes the arguments from the fields and what is handed on."""
    args_types: tuple[Any, ...] = ()
    methods: list[Residual] = field(default_factory=list)
    """What does it, for each shape."""
    result: Type | None = None
    left: LeftOfChoice | None = None
    """What is done, where that is no call."""

    @property
    def calls_function(self) -> bool:
        """Whether it calls a function of the notation."""
        return self.tag < 0


class Direct(Struct, eq=False):
    """A dispatch on a value whose shape is known: its method."""

    dispatch: Dispatch
    method: Residual


class Residual(Struct, eq=False):
    """A function of the residual program."""

    number: int
    function: str
    """That of the interpreter that it was made of."""
    params: tuple[str, ...] = ()
    body: list[Statement] = field(default_factory=list)
    own: int = 0
    """How many of the parameters are parts of the value whose method it is."""
    method_of: Dispatch | None = None
    shape: int = -1
    """The number of the shape whose method it is."""
    names: dict[str, str] = field(default_factory=dict)
    """What variables are called in the program, where it has a name for them."""
    stores: set[str] = field(default_factory=set)
    """The variables that hold stores."""
    environments: dict[int, Any] = field(default_factory=dict)
    """What is known of the environments among its results, by their number."""
    origin: Origin = Origin()
    state: str = "new"
    about: Any = ()
    """What is known of its arguments."""
    result: Type | None = None
    """The type of its result, where the function that it was made of does not say that."""
    gives: Any = None
    """The type of its result, where it goes through a list and that is known."""
    used: frozenset[int] = frozenset()
    """The parameters that it needs, by number; those of a method do not count what is its own."""


def statements_in(statements: Sequence[Statement]) -> list[Statement]:
    """Some statements, and all inside them."""
    found: list[Statement] = []
    for one in statements:
        found.append(one)
        if isinstance(one, Fork):
            found += statements_in(one.yes)
            found += statements_in(one.no)
    return found


def without_notes(statements: Sequence[Statement]) -> list[Statement]:
    """Some statements without the notes on what has been decided."""
    found: list[Statement] = []
    for one in statements:
        if isinstance(one, Fork):
            yes, no = without_notes(one.yes), without_notes(one.no)
            found.append(Fork(one.conditions, yes, no, one.origin))
        elif not isinstance(one, Beforehand | CaughtElsewhere):
            found.append(one)
    return found


def atoms_of(one: Statement) -> list[Atom]:
    """What a statement itself uses."""
    match one:
        case Assigned(_, _, args):
            return [*args]
        case Fork(conditions):
            return [condition.of for condition in conditions]
        case Give(values) | Again(values):
            return [*values]
        case AgainOn(of, values):
            return [of, *values]
    return []
