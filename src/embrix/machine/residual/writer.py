"""Writing one residual function: statements, values as the run has them, results."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.machine.residual.knowledge import (
    Abstraction,
    Knowledge,
    KnownNames,
    KnownValue,
    MadeValue,
    NotResidual,
    OneOfTwo,
    RunValue,
    WrittenOut,
    tuple_parts,
)
from embrix.machine.residual.operations import Operations
from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import (
    Assigned,
    Atom,
    Constant,
    Field,
    Fork,
    Give,
    HandBack,
    Residual,
    ResidualTest,
    Spend,
    Statement,
)
from embrix.machine.residual.value_layout import of_name
from embrix.terms.node import TUPLE
from embrix.terms.types import Con, Tup, Type, settle

Slots = dict[int, Knowledge]


class Dead(Exception):
    """What follows is never reached."""


class Writer(Operations):
    """One function on its way: what it has come to so far."""

    def __init__(self, program: Program, residual: Residual) -> None:
        self.program = program
        self.residual = residual
        self.out: list[Statement] = residual.body
        self.open: list[WrittenOut] = []
        """The calls that are written out around this place."""
        self.lowered: dict[int, tuple[Knowledge, Atom]] = {}
        """By identity what has been made as the run has it, and the variable that holds it."""
        self.facts: dict[str, int] = {}
        """Variables whose constructor has been tested."""
        self.applied_here: dict[int, Abstraction] = {}
        """By identity the functions of the notation that have been written out here."""
        self.two_seen = False
        """Whether something is one of two values."""
        self.calls = 0
        """Calls since the last statement that counts them."""
        self.origin = residual.origin
        self._variables = 0

    def fresh(self) -> str:
        self._variables += 1
        return f"v{self._variables}"

    def put(self, statement: Statement) -> None:
        self.program.statements += 1
        if self.program.statements > self.program.most:
            raise NotResidual(f"more than {self.program.most:,} statements")
        self.out.append(statement)

    def let(
        self, operation: str, args: Sequence[Atom], about: object = None, count: int = 1
    ) -> tuple[str, ...]:
        names = tuple(self.fresh() for _ in range(count))
        self.put(Assigned(names, operation, tuple(args), about, self.origin))
        return names

    def flush(self) -> None:
        if self.calls:
            self.put(Spend(self.calls))
            self.calls = 0

    def give_up(self, reason: str) -> Dead:
        self.calls = 0
        self.put(HandBack(reason, self.origin))
        return Dead()

    def lower(self, one: Knowledge) -> Atom:
        """A value as the run has it."""
        match one:
            case RunValue(atom):
                return atom
            case KnownValue(value):
                return Constant(value)
            case MadeValue(tag, fields):
                if tag in self.program.layout.bare:
                    return self.lower(fields[0])
                made = self.lowered.get(id(one))
                if made is None:
                    made = self.lowered[id(one)] = one, self._made(one)
                return made[1]
            case Abstraction():
                made = self.lowered.get(id(one))
                if made is None:
                    shape, atoms = self.program.function_shape(one, self.lower, self.type_of)
                    made = self.lowered[id(one)] = one, self.let("shape", atoms, shape)[0]
                return made[1]
            case OneOfTwo():
                made = self.lowered.get(id(one))
                if made is None:
                    made = self.lowered[id(one)] = one, self._one_of(one)
                return made[1]
        raise NotResidual("a piece of the program is not known where it is needed")

    def give_to(self, name: str, one: Knowledge, statements: list[Statement]) -> None:
        """Give a value to a variable at the end of a branch."""
        outer, lowered = self.out, self.lowered
        self.out, self.lowered = statements, dict(lowered)
        try:
            self.put(Assigned((name,), "copy", (self.lower(one),), None, self.origin))
        finally:
            self.out, self.lowered = outer, lowered

    def _one_of(self, one: OneOfTwo) -> str:
        """One of two values, made where it is that one."""
        name = self.fresh()
        yes: list[Statement] = []
        no: list[Statement] = []
        self.give_to(name, one.yes, yes)
        self.give_to(name, one.no, no)
        self.put(Fork((ResidualTest("true", one.test),), yes, no, self.origin))
        return name

    def _made(self, one: MadeValue) -> Atom:
        if one.tag in self.program.layout.shaped:
            shape, atoms = self.program.shape(one, self.lower)
            return self.let("shape", atoms, shape)[0]
        return self.let("node", [self.lower(field) for field in one.fields], one.tag)[0]

    def give(self, one: Knowledge) -> None:
        """Give a result of the function that is written."""
        atoms: list[Atom] = []
        self._give_parts(one, self._result, atoms)
        self.flush()
        self.put(Give(tuple(atoms), self.origin))

    @property
    def _result(self) -> Type:
        if self.residual.result is not None:
            return self.residual.result
        return self.program.functions[self.residual.function].result

    def _give_parts(self, one: Knowledge, kind: Type, atoms: list[Atom], at: int = 0) -> int:
        """Take a result apart; `at` counts the environments in it."""
        kind = settle(kind)
        if isinstance(kind, Tup) and kind.items:
            parts = tuple_parts(one)
            if parts is None and isinstance(one, RunValue):
                parts = tuple(RunValue(Field(one.atom, n), t) for n, t in enumerate(kind.items))
            assert parts is not None
            for part, inner in zip(parts, kind.items, strict=True):
                at = self._give_parts(part, inner, atoms, at)
            return at
        if isinstance(kind, Con) and kind.name == "Env":
            if not isinstance(one, KnownNames) or one.base is not None:
                raise NotResidual("an environment that is given is not known")
            key, found, build = self.program.split(one, kind, self.lower)
            known = self.residual.environments.setdefault(
                at, (key, build, [t for _, t, _ in found])
            )
            if known[0] != key:
                raise NotResidual("a function gives environments with different names")
            atoms += [atom for atom, _, _ in found]
            return at + 1
        atoms.append(self.lower(one))
        return at

    def _taken(self, kind: Type, of: Residual | None, names: list[str], at: list[int]) -> Knowledge:
        """A result put together again of the variables that hold its parts."""
        kind = settle(kind)
        if isinstance(kind, Tup) and kind.items:
            return MadeValue(TUPLE, tuple(self._taken(t, of, names, at) for t in kind.items))
        if isinstance(kind, Con) and kind.name == "Env":
            assert of is not None
            _, build, types = of.environments[at[0]]
            at[0] += 1
            parts = [RunValue(names.pop(0), one) for one in types]
            made: Knowledge = build(iter(parts), ())
            return made
        return self.unknown(names.pop(0), kind)

    def unknown(self, name: str, kind: Type | None) -> RunValue:
        if of_name(kind, "Store"):
            self.residual.stores.add(name)
        return RunValue(name, kind)

    def _width(self, kind: Type, of: Residual | None, at: list[int]) -> int:
        kind = settle(kind)
        if isinstance(kind, Tup) and kind.items:
            return sum(self._width(one, of, at) for one in kind.items)
        if isinstance(kind, Con) and kind.name == "Env":
            if of is None:
                raise NotResidual("a method gives an environment")
            at[0] += 1
            return len(of.environments[at[0] - 1][2])
        return 1

    def _called(
        self, operation: str, args: Sequence[Atom], about: object, kind: Type, of: Residual | None
    ) -> Knowledge:
        self.flush()
        names = self.let(operation, args, about, self._width(kind, of, [0]))
        return self._taken(kind, of, list(names), [0])

    def _last(self, found: Knowledge, last: bool) -> Knowledge | None:
        if last:
            self.give(found)
            return None
        return found
