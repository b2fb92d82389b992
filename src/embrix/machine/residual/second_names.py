"""Variables of a residual program that are another one under a second name: where two branches came
together of which only one is left."""

from __future__ import annotations

from collections import Counter

from msgspec.structs import replace

from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import (
    Again,
    AgainOn,
    Assigned,
    Atom,
    Field,
    Fork,
    Give,
    Residual,
    Statement,
    statements_in,
)


def without_copies(program: Program) -> None:
    """Use the one variable in place of the other. A variable that two branches give a value has no
    other name."""
    for one in program.residuals.values():
        _Copies(one).leave_out()


class _Copies:
    def __init__(self, function: Residual) -> None:
        self.function = function
        self.names: dict[str, str] = {}

    def leave_out(self) -> None:
        function = self.function
        made = [one for one in statements_in(function.body) if isinstance(one, Assigned)]
        times = Counter(name for one in made for name in one.names)
        for one in made:
            if one.operation == "copy" and times[one.names[0]] == 1 and isinstance(
                source := one.args[0], str
            ):  # fmt: skip
                self.names[one.names[0]] = self.names.get(source, source)
        if not self.names:
            return
        for name, source in self.names.items():
            if name in function.names:
                function.names.setdefault(source, function.names[name])
        function.body[:] = self._block(function.body)

    def _block(self, statements: list[Statement]) -> list[Statement]:
        return [
            self._changed(one) for one in statements
            if not (isinstance(one, Assigned) and one.names[0:1] and one.names[0] in self.names)
        ]  # fmt: skip

    def _changed(self, one: Statement) -> Statement:
        match one:
            case Assigned(_, _, args):
                one.args = self._atoms(args)
            case Fork(conditions, yes, no):
                tests = tuple(replace(test, of=self._atom(test.of)) for test in conditions)
                return Fork(tests, self._block(yes), self._block(no), one.origin)
            case Give(values):
                return Give(self._atoms(values), one.origin)
            case Again(values):
                return Again(self._atoms(values), one.origin)
            case AgainOn(of, values):
                return AgainOn(self._atom(of), self._atoms(values), one.origin)
        return one

    def _atoms(self, atoms: tuple[Atom, ...]) -> tuple[Atom, ...]:
        return tuple(map(self._atom, atoms))

    def _atom(self, atom: Atom) -> Atom:
        if isinstance(atom, Field):
            return Field(self._atom(atom.of), atom.number)
        return self.names.get(atom, atom) if isinstance(atom, str) else atom
