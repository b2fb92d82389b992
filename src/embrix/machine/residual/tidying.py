"""What nobody needs is left out of a residual program: parameters, and what is only made."""

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
    Residual,
    Spend,
    Statement,
)

IDLE = ("node", "shape", "field", "copy", "store")
"""Operations that do nothing beside giving a result."""


def tidied(program: Program) -> None:
    """Find what each function needs, and leave the rest out."""
    functions = [*program.residuals.values()]
    for one in functions:
        one.used = frozenset()
    changed = True
    while changed:
        changed = False
        functions.reverse()  # what is needed goes from those that are called to those that call
        for one in functions:
            needed = _Needs(program, one, drop=False).of_function()
            if needed != one.used:
                one.used = needed
                changed = True
    for one in functions:
        _Needs(program, one, drop=True).of_function()


def gather_calls(statements: list[Statement]) -> None:
    """Count all calls of a stretch of statements at its beginning. Only a run that comes to its end
    counts, and that one goes through the whole stretch."""
    calls = sum(one.calls for one in statements if isinstance(one, Spend))
    statements[:] = [one for one in statements if not isinstance(one, Spend)]
    for one in statements:
        if isinstance(one, Fork):
            gather_calls(one.yes)
            gather_calls(one.no)
    if calls:
        statements.insert(0, Spend(calls))


def handed(program: Program, dispatch: Dispatch) -> frozenset[int]:
    """The arguments of a dispatch that some method needs, by number."""
    found: set[int] = set()
    for method in dispatch.methods:
        found |= {one - method.own for one in method.used if one >= method.own}
    return frozenset(found)


class _Needs:
    def __init__(self, program: Program, function: Residual, *, drop: bool) -> None:
        self.program, self.function, self.drop = program, function, drop

    def of_function(self) -> frozenset[int]:
        needed = self._block(self.function.body, set())
        return frozenset(n for n, name in enumerate(self.function.params) if name in needed)

    def _block(self, statements: list[Statement], after: set[str]) -> set[str]:
        """The variables that are needed before some statements, given those needed after them."""
        needed = set(after)
        for number in reversed(range(len(statements))):
            one = statements[number]
            match one:
                case Assigned(names, operation, args):
                    if operation in IDLE and needed.isdisjoint(names):
                        if self.drop:
                            del statements[number]
                        continue
                    needed -= set(names)
                    for at in self._passed(one):
                        _add(needed, args[at])
                case Fork(conditions, yes, no):
                    needed = self._block(yes, needed) | self._block(no, needed)
                    for condition in conditions:
                        _add(needed, condition.of)
                case Give(values):
                    needed = set()
                    for value in values:
                        _add(needed, value)
                case AgainOn(of, values):
                    needed = set()
                    _add(needed, of)
                    assert self.function.method_of is not None
                    for number_ in handed(self.program, self.function.method_of):
                        _add(needed, values[number_])
                case Again(values):
                    needed = set()
                    for number_, value in enumerate(values):
                        if number_ in self.function.used:
                            _add(needed, value)
        return needed

    def _passed(self, let: Assigned) -> Sequence[int]:
        return passed(self.program, let)


def passed(program: Program, let: Assigned) -> Sequence[int]:
    """Which arguments of an operation are needed, by number."""
    match let.about:
        case Residual(used=used) if let.operation == "call":
            return sorted(used)
        case Dispatch() as dispatch if let.operation == "dispatch":
            return [0, *(number + 1 for number in sorted(handed(program, dispatch)))]
        case Direct(dispatch) if let.operation == "method":
            return [0, *(number + 1 for number in sorted(handed(program, dispatch)))]
    return range(len(let.args))


def _add(needed: set[str], atom: Atom) -> None:
    while isinstance(atom, Field):
        atom = atom.of
    if isinstance(atom, str):
        needed.add(atom)
