"""Variables of a residual program that are another one under a second name: where two branches came
together of which only one is left, and where what they give is handed on."""

from __future__ import annotations

from collections import Counter

from msgspec.structs import replace

from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import (
    Again,
    AgainOn,
    Assigned,
    Atom,
    Beforehand,
    CaughtElsewhere,
    Constant,
    Field,
    Fork,
    Give,
    Residual,
    ResidualTest,
    Spend,
    Statement,
    atoms_of,
    statements_in,
    without_notes,
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
        self._uses = Counter(_variable(atom) for one in statements_in(function.body)
                             for atom in atoms_of(one))  # fmt: skip
        self._times = Counter(name for one in statements_in(function.body)
                              if isinstance(one, Assigned) for name in one.names)  # fmt: skip
        function.body[:] = self._handed_on(function.body)
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

    def _handed_on(self, statements: list[Statement]) -> list[Statement]:
        """What both branches give a variable goes at once to the one that it is handed on to."""
        found: list[Statement] = []
        for one in statements:
            match one:
                case Fork(conditions, yes, no):
                    made = Fork(conditions, self._handed_on(yes), self._handed_on(no), one.origin)
                    found.append(_as_it_is(made) or made)
                    continue
                case Assigned((name,), "copy", (str() as source,)) if self._uses[source] == 1:
                    givers = [inner for inner in statements_in(_last_fork(found))
                              if isinstance(inner, Assigned) and source in inner.names]  # fmt: skip
                    if givers and len(givers) == self._times[source]:
                        for inner in givers:
                            inner.names = tuple(name if n == source else n for n in inner.names)
                        self._times[name] += len(givers) - 1
                        if source in self.function.names:
                            self.function.names.setdefault(name, self.function.names[source])
                        continue
            found.append(one)
        return found

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


def _variable(atom: Atom) -> Atom:
    """The variable that an atom reads."""
    while isinstance(atom, Field):
        atom = atom.of
    return atom


def _last_fork(statements: list[Statement]) -> list[Statement]:
    """The fork at the end of some statements, with notes behind it perhaps; else nothing."""
    for one in reversed(statements):
        if isinstance(one, Fork):
            return [one]
        if not isinstance(one, Beforehand | CaughtElsewhere | Spend):
            break
    return []


def _as_it_is(fork: Fork) -> Assigned | None:
    """A copy of what is tested, where that is what the branches note."""
    match fork.conditions, without_notes(fork.yes), without_notes(fork.no):
        case (
            (ResidualTest("true", str() as of),),
            [Assigned((name,), "copy", (Constant(True),))],
            [Assigned((again,), "copy", (Constant(False),))],
        ) if name == again:
            return Assigned((name,), "copy", (of,), None, fork.origin)
    return None
