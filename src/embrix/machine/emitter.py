"""Writing the statements of one function: temporaries, places, where values go."""

from __future__ import annotations

import ast
from abc import ABC, abstractmethod
from collections.abc import Sequence
from typing import TypeAlias

from embrix.brix import core as k
from embrix.machine.events import Deeper, Leave
from embrix.machine.planned import Planned
from embrix.machine.pycode import (
    add_to,
    assign,
    atomic,
    call,
    compare,
    const,
    do,
    function,
    item,
    load,
    row,
    when,
)
from embrix.machine.unit import Unit, is_judgement
from embrix.terms.node import FIELDS

Target: TypeAlias = str | tuple[str, ...] | None
"""Where a value goes: to a variable, its components to several, or back to the caller."""

BOUNCE = "k3"
"""What a function returns in place of its result when another call is to be made: a constant that
is nothing else."""


def spent() -> list[ast.stmt]:
    """A unit of fuel: for each call, and for each round of a loop that calls nothing that takes
    fuel itself."""
    empty = compare(load("fuel"), ast.Lt(), const(0))
    return [add_to("fuel", -1), when(empty, [do(call("exhausted"))])]


class Emitter(ABC):
    """One function on its way to Python. Statements go to `out`; expressions are returned."""

    def __init__(self, unit: Unit, target: k.Function) -> None:
        self.unit = unit
        self.target = target
        self.out: list[ast.stmt] = []
        self.temporaries = 0
        self.judged = is_judgement(target)
        """Whether what is written here belongs to a judgement."""
        self.counts_made = True
        """Whether suspensions that are made here are new."""
        self.loops = False
        subject = target.subject
        self.here = f"s{target.slots[subject]}" if subject is not None else "here"
        self.called = target.name
        """The function whose clauses are at work: a written out one, perhaps."""
        self.key = next(name for name, f in unit.functions.items() if f is target)
        self.own: list[k.CoreClause] = []
        """The clauses of the function itself, as they are written."""
        self.part = False
        """Whether the term of the function is known."""

    @abstractmethod
    def into(self, node: Planned, target: Target) -> None:
        """Evaluate an expression and hand its value to a variable, or return it."""

    @abstractmethod
    def value(self, node: Planned) -> ast.expr:
        """A Python expression for an expression; statements it needs go before."""

    @abstractmethod
    def nested(self) -> Emitter:
        """For the inside of a function that is made here."""

    @property
    def node(self) -> str:
        """The node in the graph of tail calls."""
        return self.key

    def marked(self, clause: int) -> list[ast.stmt]:
        """The mark for a clause of the function that is entered, where such marks are made."""
        if self.unit.marks is None:
            return []
        marks = self.unit.constant(self.unit.marks_of(self.key))
        return [ast.Assign([ast.Subscript(marks, const(clause), ast.Store())], const(1))]

    def stuck_at(self, subjects: Sequence[ast.expr], *, inner: bool = False) -> ast.stmt:
        """No clause of the function takes the subjects, or nothing `inner` does: a `match` or a
        `let` in it."""
        nothing = f"no pattern in {self.called}" if inner else f"no clause of {self.called}"
        return do(call("stuck", self.unit.constant(nothing), row(*subjects), load(self.here)))

    def temporary(self) -> str:
        self.temporaries += 1
        return f"t{self.temporaries}"

    # ---------------------------------------------------------------- destinations

    def give(self, value: ast.expr, target: Target, *, bare: bool = False) -> None:
        """Hand a value to a variable, its components to several, or return it."""
        if isinstance(target, tuple):
            whole = self.held(value)
            for number, name in enumerate(target):
                self.out.append(assign(name, item(whole, FIELDS + number)))
            return
        if target is not None:
            self.out.append(assign(target, value))
            return
        self.out.append(ast.Return(value) if bare else Leave(value, self.judged))

    def held(self, value: ast.expr) -> ast.expr:
        """A value as something that can be called."""
        if isinstance(value, ast.Name):
            return value
        name = self.temporary()
        self.out.append(assign(name, value))
        return load(name)

    def inside(self, node: Planned, target: Target) -> list[ast.stmt]:
        """The statements of an expression evaluated in a branch."""
        outer, self.out = self.out, []
        self.into(node, target)
        inner, self.out = self.out, outer
        return inner

    def operands(self, nodes: tuple[Planned, ...]) -> list[ast.expr]:
        """Values from left to right: what a later one must do first does not overtake."""
        values: list[ast.expr] = []
        for node in nodes:
            mark = len(self.out)
            value = self.value(node)
            if len(self.out) > mark:
                kept: list[ast.stmt] = []
                for number, earlier in enumerate(values):
                    if not atomic(earlier):
                        name = self.temporary()
                        kept.append(assign(name, earlier))
                        values[number] = load(name)
                self.out[mark:mark] = kept
            values.append(value)
        return values

    def place(self) -> ast.expr:
        return item(load(self.here), 1)

    def closure(self, params: list[str], inner: Planned, captured: list[int]) -> ast.expr:
        """A function as a value. What it uses of its surroundings is bound when it is made."""
        body = self.nested()
        body.into(inner, None)
        name = self.temporary()
        taken = [f"s{slot}" for slot in captured if f"s{slot}" not in params]
        if self.here not in taken and self.here not in params:
            taken.append(self.here)
        begin: list[ast.stmt] = [
            ast.Nonlocal(list(self.unit.counters)),
            *spent(),
            Deeper(),
        ]
        made = function(name, [*params, *taken], [*begin, *body.out])
        made.args.defaults = [load(one) for one in taken]
        self.out.append(made)
        return load(name)
