"""What is known of a value while an interpreter is specialised to a program."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TypeAlias

from msgspec import Struct

from embrix.brix import core as k
from embrix.machine.constructs import free_slots
from embrix.machine.residual.statements import Atom, Origin
from embrix.terms.node import CONS, NIL, TUPLE, Value
from embrix.terms.types import Type


class NotResidual(Exception):
    """The program cannot be specialised; the reason is what is said of it."""


class KnownValue(Struct, frozen=True, eq=False):
    """A value that is known: a term of the program or a part of one, a number, a text. `given` is
    true for what stands in the program; `up` is the part of the program it was taken out of."""

    value: Value
    given: bool = False
    up: KnownValue | None = None


class RunValue(Struct, frozen=True, eq=False):
    """A value that only the run knows, where the residual program has it; its type, where that is
    known."""

    atom: Atom
    type: Type | None = None


class MadeValue(Struct, frozen=True, eq=False):
    """A node of a known constructor, with what is known of its fields."""

    tag: int
    fields: tuple[Knowledge, ...]


class Frame(Struct, frozen=True, eq=False):
    """A name in an environment, and what it stands for."""

    name: str | Later
    value: Knowledge


class KnotFrame(Struct, frozen=True, eq=False):
    """A name in an environment whose value mentions it: what it stands for is made where it is
    looked up. `above` is how many frames of the same knot lie over this one."""

    name: str
    knot: k.Knot
    number: int
    captured: tuple[tuple[int, Knowledge], ...]
    above: int


class KnownNames(Struct, frozen=True, eq=False):
    """An environment whose names are known, the innermost first; below them another one that is a
    part of something unknown, perhaps."""

    frames: tuple[Frame | KnotFrame, ...] = ()
    base: Later | None = None


class Later(Struct, frozen=True, eq=False):
    """A part that an unknown value was made with, and that its own code knows: a piece of the
    program, a name, an environment."""

    of: Atom
    tag: int
    field: int


WrittenOut: TypeAlias = tuple[str, KnownValue | None, KnownValue | None, int | None]
"""A call that is written out: the function, the term that it goes through, the last term that any
call goes through there, and the length of the list that it goes through."""


class Abstraction(Struct, frozen=True, eq=False):
    """A function of the notation as a value, with the variables of where it was made, the term
    there, where that is, and the calls that were written out around that place."""

    node: k.Lambda
    slots: dict[int, Knowledge]
    here: Knowledge | None
    origin: Origin = Origin()
    around: tuple[WrittenOut, ...] = ()

    @property
    def captured(self) -> dict[int, Knowledge]:
        """The variables of where it was made that it uses, in order."""
        return {slot: self.slots[slot] for slot in free_slots(self.node) if slot in self.slots}


class OneOfTwo(Struct, frozen=True, eq=False):
    """One of two values with different constructors; the run knows which: the first where the test
    holds. What is in one of them is there only then."""

    test: str
    yes: Knowledge
    no: Knowledge


Knowledge: TypeAlias = (
    KnownValue | RunValue | MadeValue | KnownNames | Later | Abstraction | OneOfTwo
)


class LaterParts:
    """Which parts of unknown values are in what is known of others. What is known is shared (the
    environments of functions hold each other), so it is looked through once."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[Knowledge, frozenset[tuple[Atom, int]]]] = {}

    def of(self, one: Knowledge) -> frozenset[tuple[Atom, int]]:
        """The unknown values, with their constructors."""
        if isinstance(one, Later):
            return frozenset({(one.of, one.tag)})
        if not isinstance(one, MadeValue | KnownNames | OneOfTwo):
            return NO_PARTS
        known = self._known.get(id(one))
        if known is None:
            known = self._known[id(one)] = one, frozenset().union(*map(self.of, _inside(one)))
        return known[1]


NO_PARTS: frozenset[tuple[Atom, int]] = frozenset()


def _inside(one: MadeValue | KnownNames | OneOfTwo) -> Iterator[Knowledge]:
    if isinstance(one, OneOfTwo):
        yield from (one.yes, one.no)
        return
    if isinstance(one, MadeValue):
        yield from one.fields
        return
    if one.base is not None:
        yield one.base
    for frame in one.frames:
        if isinstance(frame, KnotFrame):
            yield from (value for _, value in frame.captured)
            continue
        if isinstance(frame.name, Later):
            yield frame.name
        yield frame.value


def list_parts(one: Knowledge) -> list[Knowledge] | None:
    """The items of a list of a known length, else None."""
    found: list[Knowledge] = []
    while True:
        match one:
            case KnownValue(tuple() as value) if value[0] == NIL:
                return found
            case KnownValue(tuple() as value) if value[0] == CONS:
                found.append(part_of(one, 0))
                one = part_of(one, 1)
            case MadeValue(tag, (item, rest)) if tag == CONS:
                found.append(item)
                one = rest
            case _:
                return None


def part_of(one: KnownValue, field: int) -> KnownValue:
    """A field of a known node."""
    return KnownValue(one.value[2 + field], one.given, one)


def is_below(one: KnownValue, other: Value) -> bool:
    """Whether something was taken out of a part of the program."""
    up = one.up
    while up is not None:
        if up.value is other:
            return True
        up = up.up
    return False


def is_term(one: KnownValue) -> bool:
    """Whether something is a piece of the program."""
    return one.given and isinstance(one.value, tuple)


def tuple_parts(one: Knowledge) -> tuple[Knowledge, ...] | None:
    match one:
        case MadeValue(tag, fields) if tag == TUPLE:
            return fields
        case KnownValue(value) if isinstance(value, tuple) and value[0] == TUPLE:
            return tuple(part_of(one, number) for number in range(len(value) - 2))
    return None
