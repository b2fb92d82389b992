"""What residual programs do with numbers, texts and stores, and how values are compared and shown:
carried out at once where everything is known."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import Any

from embrix.machine.residual.knowledge import (
    Abstraction,
    Knowledge,
    KnownValue,
    MadeValue,
    NotResidual,
    OneOfTwo,
    RunValue,
)
from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import Atom, Constant
from embrix.machine.residual.value_layout import of_name
from embrix.terms.node import CONS, NIL_NODE, SOME, TUPLE
from embrix.terms.numbers import DividedByZero, TooLarge, operations
from embrix.terms.types import BOOL, LOC, NAME, NUMBER, TEXT, Tup, Type, listing, maybe, settle

ARITHMETIC = ("add", "subtract", "multiply", "negate", "divide", "floor_divide", "modulo")
COMPARED: dict[str, Callable[[Any, Any], bool]] = {
    "less": lambda a, b: a < b, "at_most": lambda a, b: a <= b, "more": lambda a, b: a > b,
    "at_least": lambda a, b: a >= b, "equal_plain": lambda a, b: a == b,
}  # fmt: skip
FLAT: dict[str, Type] = {
    "length": NUMBER, "part": TEXT, "replaced": TEXT, "begins": BOOL, "whole": maybe(NUMBER),
    "parse_number": maybe(NUMBER), "name_of": NAME, "number": NUMBER,
}  # fmt: skip
"""Operations on numbers and texts alone, and what they give."""
MOST_BITS_KNOWN = 256
"""Numbers with more bits are left to the run."""


class Operations(ABC):
    program: Program
    calls: int

    @abstractmethod
    def let(
        self, operation: str, args: Sequence[Atom], about: object = None, count: int = 1
    ) -> tuple[str, ...]: ...

    @abstractmethod
    def lower(self, one: Knowledge) -> Atom: ...

    @abstractmethod
    def unknown(self, name: str, kind: Type | None) -> RunValue: ...

    @abstractmethod
    def on_containers(self, operation: str, args: Sequence[Knowledge]) -> Knowledge: ...

    @abstractmethod
    def give_up(self, reason: str) -> Exception: ...

    def primitive(self, operation: str, args: Sequence[Knowledge]) -> Knowledge:
        if operation in ARITHMETIC or operation in COMPARED:
            return self._numbers(operation, args)
        if operation == "equal":
            return self._equal(args)
        if operation in FLAT:
            atoms = [self.lower(one) for one in args]
            return RunValue(self.let("primitive", atoms, operation)[0], FLAT[operation])
        match operation, args:
            case "alloc", (RunValue(store, kind), value):
                names = self.let("alloc", (store, self.lower(value)), count=2)
                return MadeValue(TUPLE, (RunValue(names[0], LOC), self.unknown(names[1], kind)))
            case "reserve", (RunValue(store, kind),):
                names = self.let("reserve", (store,), count=2)
                return MadeValue(TUPLE, (RunValue(names[0], LOC), self.unknown(names[1], kind)))
            case "store_with", (RunValue(store, kind), loc, value):
                atoms = [store, self.lower(loc), self.lower(value)]
                return self.unknown(self.let("store_with", atoms)[0], kind)
        return self.on_containers(operation, args)

    def _numbers(self, operation: str, args: Sequence[Knowledge]) -> Knowledge:
        known = [one.value for one in args if isinstance(one, KnownValue)]
        small = all(isinstance(one, float | str | bool) or _small(one) for one in known)
        if len(known) == len(args) and small:
            if operation in COMPARED:
                return KnownValue(COMPARED[operation](*known))
            made = operations(self.program.interpreter.language.numbers)
            try:
                return KnownValue(made[operation](*known))
            except (DividedByZero, TooLarge):
                raise self.give_up("a number that cannot be worked out") from None
        atoms = [self.lower(one) for one in args]
        kind = BOOL if operation in COMPARED else NUMBER
        return RunValue(self.let("primitive", atoms, operation)[0], kind)

    def _equal(self, args: Sequence[Knowledge]) -> Knowledge:
        if all(map(_is_flat, args)):
            return self._numbers("equal_plain", args)
        layout = self.program.layout
        kinds = [self.type_of(one) for one in args]
        atoms = [self.lower(one) for one in args]
        if any(map(layout.is_plain, kinds)):
            return RunValue(self.let("primitive", atoms, "equal")[0], BOOL)
        kind = kinds[0] or kinds[1]
        if kind is None:
            raise NotResidual("values of an unknown type are compared")
        return RunValue(self.let("alike", atoms, kind)[0], BOOL)

    def type_of(self, one: Knowledge) -> Type | None:
        """The type of a value, as far as it is known."""
        match one:
            case RunValue(_, kind):
                return kind
            case Abstraction(node):
                return node.kind
            case KnownValue(bool()):
                return BOOL
            case KnownValue(int() | float() | Fraction()):
                return NUMBER
            case KnownValue(str(), False):
                return TEXT  # what stands in the program may be a name
            case KnownValue(tuple() as value):
                return self.program.layout.type_of(value[0])
            case MadeValue(tag, (item, rest)) if tag == CONS:
                held = self.type_of(item)
                return listing(held) if held is not None else self.type_of(rest)
            case MadeValue(tag, (inner,)) if tag == SOME:
                held = self.type_of(inner)
                return maybe(held) if held is not None else None
            case MadeValue(tag, fields) if tag == TUPLE:
                kinds = [self.type_of(field) for field in fields]
                known = tuple(kind for kind in kinds if kind is not None)
                return Tup(known) if len(known) == len(kinds) else None
            case MadeValue(tag):
                return self.program.layout.type_of(tag)
            case OneOfTwo(_, yes, no):
                return self.type_of(yes) or self.type_of(no)
        return None

    def text(self, parts: Sequence[str | Knowledge]) -> Knowledge:
        """A text with values shown in it."""
        atoms: list[Atom] = []
        kinds: list[Type | None] = []
        for one in parts:
            match one:
                case str():
                    atoms.append(Constant(one))
                    kinds.append(TEXT)
                case KnownValue(str() as word):
                    atoms.append(Constant(word))
                    kinds.append(TEXT)
                case RunValue(atom, kind) if kind is not None and not _is_open(kind):
                    atoms.append(atom)
                    kinds.append(kind)
                case KnownValue(value) if isinstance(value, bool | int | float | Fraction):
                    atoms.append(Constant(value))
                    kinds.append(NUMBER)
                case MadeValue(tag) if (made := self.program.layout.type_of(tag)) is not None:
                    atoms.append(self.lower(one))
                    kinds.append(made)
                case _:
                    raise NotResidual("a value of an unknown type is shown in a text")
        return RunValue(self.let("text", atoms, tuple(kinds))[0], TEXT)


def _small(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and (
        value.bit_length() <= MOST_BITS_KNOWN
    )  # fmt: skip


def _is_flat(one: Knowledge) -> bool:
    match one:
        case KnownValue(value):
            return not isinstance(value, tuple)
        case RunValue(_, kind):
            return of_name(kind, "Number", "Int", "Text", "Name", "Bool", "Loc")
    return False


def _is_open(kind: Type) -> bool:
    kind = settle(kind)
    return isinstance(kind, Tup)


def listed(items: Sequence[Knowledge]) -> Knowledge:
    """A list of known length."""
    found: Knowledge = KnownValue(NIL_NODE)
    for one in reversed(items):
        found = MadeValue(CONS, (one, found))
    return found
