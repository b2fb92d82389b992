"""Whether stores are used one after another: then there is only one, and it can be changed in
place. A lane that goes back to an older store needs all of them."""

from __future__ import annotations

from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import (
    Again,
    Atom,
    Field,
    Give,
    GiveUp,
    If,
    Let,
    Residual,
    Statement,
)
from embrix.machine.residual.tidying import passed

CHANGES = ("alloc", "reserve", "store_with")


class _Twice(Exception):
    """A store is used that has been handed on."""


def is_linear(program: Program) -> bool:
    """Whether every store of a tidied program is used for the last time where it is changed or
    handed on."""
    try:
        for one in program.residuals.values():
            _Uses(program, one).block(one.body, set())
    except _Twice:
        return False
    return True


class _Uses:
    def __init__(self, program: Program, function: Residual) -> None:
        self.program, self.function, self.stores = program, function, function.stores

    def block(self, statements: list[Statement], gone: set[str]) -> bool:
        """Whether the end of the statements is reached; `gone` are the stores handed on."""
        for one in statements:
            match one:
                case Let(_, operation, args):
                    needed = [args[at] for at in passed(self.program, one)]
                    if operation == "fetch":
                        self._look(needed[0], gone)
                        self._held(needed[1:])
                    elif operation in CHANGES:
                        self._take(needed[0], gone)
                        self._held(needed[1:])
                    elif operation in ("call", "dispatch", "copy"):
                        for atom in needed:
                            self._take(atom, gone)
                    else:
                        self._held(needed)
                case If(_, yes, no):
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
                case GiveUp():
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
