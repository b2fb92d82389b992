"""Whether stores are used one after another: then there is only one, and it can be changed in
place. A lane that goes back to an older store needs all of them."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import (
    Again,
    AgainOn,
    Assigned,
    Atom,
    Direct,
    Dispatch,
    Field,
    Fork,
    Give,
    HandBack,
    Residual,
    Statement,
    statements_in,
)
from embrix.machine.residual.tidying import handed, passed

CHANGES = ("alloc", "reserve", "store_with")


class _Twice(Exception):
    """A store is used that has been handed on."""


def is_linear(program: Program) -> bool:
    """Whether every store of a tidied program is used for the last time where it is changed or
    handed on."""
    if not _all_known(program):
        return False
    try:
        for one in program.residuals.values():
            _Uses(program, one).block(one.body, set())
    except _Twice:
        return False
    return True


def _all_known(program: Program) -> bool:
    """Whether it is known of every variable that holds a store that it does."""
    for function in program.residuals.values():
        stores = function.stores
        for one in statements_in(function.body):
            if isinstance(one, AgainOn):
                held = [isinstance(value, str) and value in stores for value in one.values]
                if not _agree(function, function.own, held):
                    return False
            if not isinstance(one, Assigned):
                continue
            held = [isinstance(arg, str) and arg in stores for arg in one.args]
            match one.operation, one.about:
                case "fetch", _:
                    known = held[0]
                case (("alloc" | "reserve" | "store_with"), _):
                    known = held[0] and one.names[-1] in stores
                case "copy", _:
                    known = held[0] == (one.names[0] in stores)
                case "call", Residual() as other:
                    known = _agree(other, 0, held) and _given(other, one.names, stores)
                case "dispatch", Dispatch() as dispatch:
                    known = all(
                        _agree(other, other.own, held[1:]) and _given(other, one.names, stores)
                        for other in dispatch.methods
                    )
                case "method", Direct(_, other):
                    known = _agree(other, other.own, held[1:]) and _given(other, one.names, stores)
                case _:
                    known = True
            if not known:
                return False
    return True


def _agree(other: Residual, first: int, held: Sequence[bool]) -> bool:
    """Whether a function takes stores where it is given some; its arguments begin with `first`."""
    params = other.params[first:]
    return [param in other.stores for param in params] == [*held]


def _given(other: Residual, names: Sequence[str], stores: set[str]) -> bool:
    """Whether what a function gives is a store where a store is taken."""
    for one in statements_in(other.body):
        if isinstance(one, Give) and len(one.values) == len(names):
            gives = [isinstance(value, str) and value in other.stores for value in one.values]
            if gives != [name in stores for name in names]:
                return False
    return True


class _Uses:
    def __init__(self, program: Program, function: Residual) -> None:
        self.program, self.function, self.stores = program, function, function.stores

    def block(self, statements: list[Statement], gone: set[str]) -> bool:
        """Whether the end of the statements is reached; `gone` are the stores handed on."""
        for one in statements:
            match one:
                case Assigned(_, operation, args):
                    needed = [args[at] for at in passed(self.program, one)]
                    if operation == "fetch":
                        self._look(needed[0], gone)
                        self._held(needed[1:])
                    elif operation in CHANGES:
                        self._take(needed[0], gone)
                        self._held(needed[1:])
                    elif operation in ("call", "dispatch", "method", "copy"):
                        for atom in needed:
                            self._take(atom, gone)
                    else:
                        self._held(needed)
                case Fork(_, yes, no):
                    first, second = set(gone), set(gone)
                    ends = self.block(yes, first), self.block(no, second)
                    for goes_on, found in zip(ends, (first, second), strict=True):
                        if goes_on:
                            gone |= found
                    if not any(ends):
                        return False
                case Give(values):
                    for value in values:
                        self._take(value, gone)
                    return False
                case Again(values):
                    for number, value in enumerate(values):
                        if number in self.function.used:
                            self._take(value, gone)
                    return False
                case AgainOn(_, values):
                    assert self.function.method_of is not None
                    for number in handed(self.program, self.function.method_of):
                        self._take(values[number], gone)
                    return False
                case HandBack():
                    return False
        return True

    def _look(self, atom: Atom, gone: set[str]) -> None:
        if isinstance(atom, Field) or atom in gone:
            raise _Twice

    def _take(self, atom: Atom, gone: set[str]) -> None:
        if isinstance(atom, str) and atom in self.stores:
            self._look(atom, gone)
            gone.add(atom)

    def _held(self, atoms: list[Atom]) -> None:
        """A store that something else holds would be there twice."""
        if any(isinstance(one, str) and one in self.stores for one in atoms):
            raise _Twice
