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
from types import CellType
from typing import Any

from embrix.machine.body import Body
from embrix.machine.compiler import Compiled
from embrix.machine.emitter import spent
from embrix.machine.events import Counted, Deeper
from embrix.machine.linking import Variables, code_of, function_of
from embrix.machine.pycode import function
from embrix.machine.specialising import specialised
from embrix.machine.tail_calls import TailCalls
from embrix.machine.unit import hot
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
        self.variables: Variables = {}
        """Those of the run."""

    def finders(self) -> dict[str, Callable[[int], Callable[..., Value] | None]]:
        """What finds the code of a part by its identity, for each function that has stages, by the
        names of variables."""
        return {hot(self.unit.numbers[name]): table.get for name, table in self.made.items()}

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
        unit.constants = dict(self.unit.constants)
        made = _Part(unit, unit.functions[name]).whole(node)
        more = {
            constant: CellType(value)
            for constant, value in unit.constants.items() if constant not in self.variables
        }  # fmt: skip
        variables = {**self.variables, **more}
        return function_of("part", code_of(made, self.compiled.translation, variables), variables)


class _Part(Body):
    """The code of a function for a subject that is known."""

    def whole(self, node: Node) -> ast.FunctionDef:
        """The function of all parameters but the subject."""
        unit, target = self.unit, self.target
        self.part = True
        self.here = self.name_of(node)
        subject = target.subjects[0]
        params = [f"s{slot}" for number, slot in enumerate(target.slots) if number != subject]
        decided = specialised(unit, self.key, node, unit.free(self.key))
        marked = TailCalls(unit, self.key, self.key, part=True).change(decided, True)
        begin: list[ast.stmt] = [ast.Nonlocal(list(self.unit.counters)), Deeper()]
        if self.key in unit.calls.recursive:
            begin += spent()
        begin.append(Counted(f"n{unit.numbers[self.key]}"))
        self.into(marked, None)
        return function("part", params, [*begin, *self.out])
