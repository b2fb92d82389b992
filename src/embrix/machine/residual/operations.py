"""What residual programs do with numbers, texts, lists and stores: carried out at once where
everything is known."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import Any

from embrix.machine.residual.knowledge import (
    Knowledge,
    KnownValue,
    MadeValue,
    NotResidual,
    RunValue,
    list_parts,
)
from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import Atom, Constant
from embrix.machine.residual.value_layout import of_name
from embrix.terms.node import CONS, NIL_NODE, TUPLE
from embrix.terms.numbers import DividedByZero, TooLarge, operations
from embrix.terms.types import BOOL, LOC, NAME, NUMBER, TEXT, Tup, Type, maybe, settle

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
        lists = [list_parts(one) for one in args]
        if all(one is not None for one in lists):
            return self._lists(operation, [one for one in lists if one is not None])
        raise NotResidual(f"“{operation}” is not specialised")

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
        kinds = [self._type(one) for one in args]
        if any(map(layout.is_plain, kinds)):
            atoms = [self.lower(one) for one in args]
            return RunValue(self.let("primitive", atoms, "equal")[0], BOOL)
        raise NotResidual("values of any kind are compared")

    def _type(self, one: Knowledge) -> Type | None:
        match one:
            case RunValue(_, kind):
                return kind
            case MadeValue(tag):
                return self.program.layout.type_of(tag)
        return None

    def _lists(self, operation: str, lists: list[list[Knowledge]]) -> Knowledge:
        match operation, lists:
            case "size", [items]:
                self.calls += len(items)
                return KnownValue(self._number(len(items)))
            case "zip", [first, second]:
                pairs = [MadeValue(TUPLE, pair) for pair in zip(first, second, strict=False)]
                self.calls += len(pairs)
                return _listed(pairs)
            case "reversed", [items]:
                self.calls += len(items)
                return _listed([*reversed(items)])
            case "appended", [first, second]:
                self.calls += len(first)
                return _listed([*first, *second])
        raise NotResidual(f"“{operation}” is not specialised")

    def _number(self, n: int) -> int | float:
        return n

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


def _listed(items: Sequence[Knowledge]) -> Knowledge:
    found: Knowledge = KnownValue(NIL_NODE)
    for one in reversed(items):
        found = MadeValue(CONS, (one, found))
    return found
