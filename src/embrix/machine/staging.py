"""Parts of a program that are entered often, turned into Python while the program runs.

A definitional interpreter that goes through its program by structure looks at the same nodes each
time the body of a function is entered. Once that has happened often enough, the clauses are put
together for this one body: which clause applies, what stands in the fields and where it stands in
the text are known, so that only the work on values is left. (The first Futamura projection, by
writing out calls whose subject is known.)

What happens is the same as before: outcomes, places, output and all that is counted. Only the
depth at which Python has no more room may differ.
"""

from __future__ import annotations

import ast
import copy
from collections.abc import Callable
from types import CellType, CodeType, FunctionType
from typing import Any

from embrix.machine.body import Body
from embrix.machine.compiler import Compiled
from embrix.machine.emitter import spent
from embrix.machine.events import Counted, Deeper, with_events
from embrix.machine.pycode import function, located
from embrix.machine.specialising import specialised
from embrix.machine.tail_calls import TailCalls
from embrix.terms.node import Node, Value

OFTEN = 3_000
"""How often a part is entered before it is turned into Python."""
MOST_PARTS = 4_096
"""Parts that are remembered at a time."""


class Stages:
    """The parts of a program that one run has met, and what was made of them."""

    def __init__(self, compiled: Compiled) -> None:
        self.compiled = compiled
        self.unit = compiled.unit
        self.names = list(self.unit.numbers)
        self.made: dict[str, dict[int, Callable[..., Value]]] = {
            name: {} for name in self.unit.staged
        }
        self.met: dict[tuple[int, int], list[Any]] = {}
        """For the number of a function and the identity of a node: the node, and how often."""
        self.around: FunctionType | None = None

    def finders(self) -> list[Callable[[int], Callable[..., Value] | None]]:
        """What finds the code of a part by its identity, for each function that has stages."""
        return [table.get for table in self.made.values()]

    def connect(self, around: FunctionType | None) -> None:
        """Told of a function that mentions all variables of a run."""
        self.around = around

    def variables(self) -> dict[str, CellType]:
        """The variables of the run, by name."""
        assert self.around is not None
        assert self.around.__closure__ is not None
        names = self.around.__code__.co_freevars
        return dict(zip(names, self.around.__closure__, strict=True))

    def heat(self, number: int, node: Node) -> Callable[..., Value] | None:
        """Told that a function enters a part for which there is no code yet: the code, when the
        part has been entered often enough."""
        known = self.met.get((number, id(node)))
        if known is None:
            if len(self.met) >= MOST_PARTS:
                self.forget()
            self.met[number, id(node)] = [node, 1]
            return None
        known[1] += 1
        if known[1] < OFTEN:
            return None
        name = self.names[number]
        self.made[name][id(node)] = code = self.turned(name, node)
        return code

    def forget(self) -> None:
        """Begin again: what is remembered by its identity must stay alive, and that is bounded."""
        self.met.clear()
        for table in self.made.values():
            table.clear()

    def turned(self, name: str, node: Node) -> Callable[..., Value]:
        """What a function does with one node, as a Python function of its other arguments."""
        unit = copy.copy(self.unit)
        unit.constants = list(self.unit.constants)
        made = _Part(unit, unit.functions[name], unit.counters).whole(node)
        known = self.variables()
        for number in range(len(self.compiled.constants), len(unit.constants)):
            known[f"k{number}"] = CellType(unit.constants[number])
        written = with_events([made], self.compiled.translation)
        module = ast.Module([function("around", list(known), written)], [])
        compiled = compile(located(module), "<part of a program>", "exec")
        code = _inside(_inside(compiled))
        cells = tuple(known[variable] for variable in code.co_freevars)
        return FunctionType(code, {"__builtins__": {}}, "part", None, cells)


def _inside(code: CodeType) -> CodeType:
    return next(one for one in code.co_consts if isinstance(one, CodeType))


class _Part(Body):
    """The code of a function for a subject that is known."""

    def whole(self, node: Node) -> ast.stmt:
        """The function of all parameters but the subject."""
        unit, target = self.unit, self.target
        self.part = True
        self.here = self.name_of(node)
        subject = target.subjects[0]
        params = [f"s{slot}" for number, slot in enumerate(target.slots) if number != subject]
        decided = specialised(unit, self.key, node, unit.free(self.key))
        marked = TailCalls(unit, self.key, self.key, part=True).change(decided, True)
        begin: list[ast.stmt] = [ast.Nonlocal(list(self.counters)), Deeper()]
        if self.key in unit.calls.recursive:
            begin += spent()
        begin.append(Counted(f"n{unit.numbers[self.key]}"))
        self.into(marked, None)
        return function("part", params, [*begin, *self.out])
