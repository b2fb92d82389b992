"""What is known of an interpreter before any Python is written: which calls jump, bounce or are
written out, which functions are judgements, which substitute."""

from __future__ import annotations

import ast
from collections.abc import Hashable, Mapping
from itertools import count
from typing import Any, Literal, TypeAlias

from msgspec import Struct

from embrix.brix import core as k
from embrix.machine.decided import only_decided
from embrix.machine.inlining import DEEPEST, Calls, Inlining
from embrix.machine.numbering import renumbered, slots_inside
from embrix.machine.pycode import const, load
from embrix.machine.tails import Tails
from embrix.terms.node import EMPTY_MAP, EMPTY_NODE, EMPTY_STORE, NIL_NODE, NONE_NODE
from embrix.text.source import Span

Variant: TypeAlias = Literal["plain", "counted", "traced"]

QUICK: dict[str, type[ast.operator]] = {
    "add": ast.Add, "subtract": ast.Sub, "multiply": ast.Mult,
}  # fmt: skip
"""Operations on numbers that Python carries out itself where both are small and whole."""


NOTHING = object()
"""What is nothing else: it stands for a result that is still to come, and for what is not there."""
CONSTANTS: dict[str, Any] = {
    "k0": EMPTY_NODE, "k1": NIL_NODE, "k2": NONE_NODE, "k3": NOTHING,
}  # fmt: skip
"""The constants that all code knows."""
EMPTIES: dict[str, Any] = {"Set": frozenset(), "Store": EMPTY_STORE, "Map": EMPTY_MAP}
"""The empty things of each type; an environment is the default."""
_NUMBERS = count(len(CONSTANTS))
"""Of the constants of single definitions: no two have the same name."""


class Undecided(Struct, frozen=True, eq=False):
    """Among the constants: what a choice is decided by when a run begins."""

    choice: str


class MarkedClauses(Struct, frozen=True):
    """Among the constants: where a function with so many clauses marks those that it enters."""

    function: str
    clauses: int


class Unit:
    """An interpreter on its way to Python."""

    def __init__(
        self, interpreter: k.Interpreter, variant: Variant, *, brief: bool = False
    ) -> None:
        """A `brief` unit is soon compiled: it serves all ways of deciding the choices, and nothing
        is written out or carried out in any way that makes only long runs faster."""
        self.interpreter = interpreter
        self.variant = variant
        self.marks: dict[str, MarkedClauses] | None = {} if brief else None
        """Where functions mark the clauses that they enter, if they do."""
        choices = interpreter.choices if brief else ()
        self.undecided = {name: Undecided(name) for name in choices}
        self.constants: dict[str, Any] = {}
        """What cannot be written as a Python constant, by the names it has in the code."""
        self.asked: dict[tuple[str, str], Hashable] = {}
        """What the code of one function depends on about another (`known_code.py`)."""
        self.functions = dict(interpreter.functions)
        for tag, shown in interpreter.shown.items():
            self.functions[f"shown {tag}"] = shown
        for name, sentence in interpreter.sentences.items():
            self.functions[f"sentence {name}"] = sentence
        for number, law in enumerate(interpreter.laws):
            self.functions[f"law {number}"] = law.function
            for part, condition in enumerate(law.conditions):
                self.functions[f"when {number} {part}"] = condition
        if not brief:
            self.functions = {
                name: renumbered(only_decided(one, self.decided))
                for name, one in self.functions.items()
            }
        self._spans = {id(one.span) for one in self.functions.values()}
        self.counters: list[str] = []
        """The variables of a run that its functions change."""
        self.calls = Calls(self.functions, interpreter.main)
        self.quick = QUICK if interpreter.language.numbers != "float" and not brief else {}
        """Operations on numbers that are carried out at once where both are small and whole."""
        self.numbers = {name: number for number, name in enumerate(self.functions)}
        self.tails = Tails(self.functions)
        self.substituting = substituters(interpreter)
        self.roles = {c.tag: c.role for c in interpreter.constructors.values() if c.role}
        self.relations = {name for name, target in self.functions.items() if target.finals}
        """The functions of which it is asked whether a term is final."""
        for target in self.functions.values():
            if not _ASKING.isdisjoint(k.kinds_inside(target)):
                found = (part for part in k.parts_inside(target) if type(part) in _ASKING)
                self.relations.update(part.function for part in found)
        self.counts = variant == "counted"
        # Depth is counted once for a call in tail position, so such calls stay what they are.
        self.inlining = Inlining(
            self.functions, self.calls, last=not self.counts, deepest=0 if brief else DEEPEST
        )
        plain = variant != "traced" and not brief
        self.staged = stageable(self.functions, self.calls) if plain else ()
        """The functions that go through a term: what they do with one part of a program can be
        turned into Python once it has been done often."""
        self.watched = watched(self.functions, interpreter.main, interpreter.repeating)
        """Whether the steps that `main` repeats tell what states they come to."""
        self.knots = any(k.Knot in k.kinds_inside(one) for one in self.functions.values())

    def has_span(self, span: Span) -> bool:
        """Whether it is that of a function; what is inside one has another."""
        return id(span) in self._spans

    def marks_of(self, name: str) -> MarkedClauses:
        """Where a function marks its clauses; it is its own clause where it has none."""
        assert self.marks is not None
        own = MarkedClauses(name, max(1, len(self.functions[name].clauses)))
        return self.marks.setdefault(name, own)

    def constant(self, value: Any) -> ast.expr:
        """A Python constant, or a name for what cannot be written as one."""
        if isinstance(value, int | float | str | bool) or value is None:
            return const(value)
        for name, known in (*CONSTANTS.items(), *self.constants.items()):
            if known is value:
                return load(name)
        name = f"k{next(_NUMBERS)}"
        self.constants[name] = value
        return load(name)

    def bounces(self, caller: str, callee: str) -> bool:
        """Whether a tail call is carried out by whoever called first. Traced code lets every call
        bounce that may come back with one: its judgements are left when there is a result."""
        if self.variant == "traced":
            return callee in self.tails.bouncing
        return self.tails.bounces(caller, callee)

    def may_bounce(self, callee: str) -> bool:
        return callee in self.tails.bouncing

    def free(self, name: str) -> int:
        """The first number that no variable of a function has."""
        target = self.functions[name]
        return max([*target.slots, *slots_inside(target)], default=-1) + 1

    def decided(self, choice: str) -> str:
        known = self.interpreter.choices[choice]
        return self.interpreter.decided.get(choice, known.default)

    def tells_of(self, callee: str, caller: str) -> bool:
        """Whether a trace is told of a call: it waits for the result then."""
        return self.variant == "traced" and callee in self.substituting and callee != caller

    def traces(self, target: k.Function) -> bool:
        return self.variant == "traced" and is_judgement(target)

    def most_arguments(self) -> int:
        """The greatest number of arguments that a call may have, the place included."""
        counts = [len(target.params) for target in self.functions.values()]
        for target in self.functions.values():
            for part in k.parts_inside(target):
                if isinstance(part, k.Lambda):
                    counts.append(len(part.slots))
        return max(counts, default=0) + 1


def substituters(interpreter: k.Interpreter) -> dict[str, tuple[int, int, int]]:
    """The functions that a law holds against `substitute`: they substitute as well. For each the
    numbers of the parameters that are the value, the name and the term."""
    found: dict[str, tuple[int, int, int]] = {}
    for law in interpreter.laws:
        parts = list(k.parts_of(law.function.body))
        derived = [p for p in parts if isinstance(p, k.Primitive) and p.operation == "substitute"]
        for one in derived:
            for part in parts:
                if isinstance(part, k.Call) and len(part.args) == len(one.args):
                    order = [part.args.index(arg) for arg in one.args if arg in part.args]
                    if len(order) == 3:
                        found[part.function] = (order[0], order[1], order[2])
    return found


def watched(functions: Mapping[str, k.Function], main: str, repeating: str) -> str:
    """The function that tells the states from which it repeats steps: the one in which a run does,
    where the run may have several ways to go on and comes there once; else nothing."""
    several = any(k.TakeWay in k.kinds_inside(target) for target in functions.values())
    if not several or repeating not in functions:
        return ""
    repeats = sum(isinstance(part, k.Repeat) for part in k.parts_inside(functions[repeating]))
    callers: dict[str, list[str]] = {}
    for name, target in functions.items():
        for part in k.parts_inside(target):
            if isinstance(part, k.Call):
                callers.setdefault(part.function, []).append(name)
    at, seen = repeating, {repeating}
    while repeats == 1 and k.kinds_inside(functions[at]).isdisjoint((k.Lambda, k.Attempt)):
        above = callers.get(at, [])
        if at == main:
            return "" if above else repeating
        if len(above) != 1 or above[0] in seen:
            return ""
        at = above[0]
        seen.add(at)
    return ""


def stageable(functions: Mapping[str, k.Function], calls: Calls) -> tuple[str, ...]:
    """The functions that choose a clause by one term, or a list of them, and come back."""
    return tuple(
        name
        for name, target in functions.items()
        if target.clauses and len(target.subjects) == 1 and not target.finals
        and name in calls.recursive
    )  # fmt: skip


_ASKING = frozenset({k.Repeat, k.StepList, k.IsFinal})
"""What asks of a function whether a term is final."""


def hot(number: int) -> str:
    """The variable that finds what a function does with a part of a program, by its identity."""
    return f"y{number}"


def is_judgement(target: k.Function) -> bool:
    """Judgements make the trace: functions declared as one, and small-step relations."""
    return target.judgement is not None or bool(target.finals)
