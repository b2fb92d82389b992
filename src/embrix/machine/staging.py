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
from collections.abc import Callable, Mapping, Sequence
from types import CellType, CodeType, FunctionType
from typing import Any

from embrix.brix import core as k
from embrix.machine.body import Body
from embrix.machine.compiler import Compiled
from embrix.machine.emitter import Target
from embrix.machine.inlining import bound_slots, moved
from embrix.machine.pycode import (
    add_to,
    assign,
    call,
    compare,
    const,
    do,
    function,
    load,
    located,
    when,
)
from embrix.machine.tails import VALUES
from embrix.machine.unit import Unit
from embrix.terms.node import FIELDS, Node, Value

OFTEN = 3_000
"""How often a part is entered before it is turned into Python."""
MOST = 250
"""Calls that are written out in one part; the others stay calls."""
DEEPEST = 24
"""How far calls are written out inside each other."""
MOST_LOOPS = 8
"""Python allows 20 blocks inside each other; loops beyond these are not opened by calls that are
written out."""
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
        made = _Staged(unit, unit.functions[name], unit.counters, _Plan()).whole(node)
        known = self.variables()
        for number in range(len(self.compiled.constants), len(unit.constants)):
            known[f"k{number}"] = CellType(unit.constants[number])
        module = ast.Module([function("around", list(known), [made])], [])
        compiled = compile(located(module), "<part of a program>", "exec")
        code = _inside(_inside(compiled))
        cells = tuple(known[variable] for variable in code.co_freevars)
        return FunctionType(code, {"__builtins__": {}}, "part", None, cells)


def _inside(code: CodeType) -> CodeType:
    return next(one for one in code.co_consts if isinstance(one, CodeType))


class _Plan:
    """What is shared by all bodies that make up one part."""

    def __init__(self) -> None:
        self.left = MOST
        self.open: list[Node] = []
        """The nodes whose clauses stand around the place that is being written."""


class _Staged(Body):
    """The code of a function for a subject that is known."""

    def __init__(self, unit: Unit, target: k.Function, counters: list[str], plan: _Plan) -> None:
        super().__init__(unit, target, counters)
        self.plan = plan
        self.known: dict[int, Value] = {}
        """The variables whose values are known."""
        self.frames: list[tuple[Target, str]] = []
        """For the calls that are written out around here: where their results go, whose they
        are. What goes to the same place is in tail position."""
        self.closed = False
        self.blocks = 0

    def whole(self, node: Node) -> ast.stmt:
        """The function of all parameters but the subject."""
        target = self.target
        subject = target.subjects[0]
        params = [f"s{slot}" for number, slot in enumerate(target.slots) if number != subject]
        self.frames = [(None, self.key)]
        begin: list[ast.stmt] = [ast.Nonlocal(list(self.counters))]
        if self.counted:
            begin += self.goes_deeper()
        self.plan.open.append(node)
        self.counts(self.key)
        slot = target.slots[subject]
        self.known[slot] = node
        self.here = self.name_of(node)
        self.choose_known(target.clauses, node, None)
        return function("part", params, [*begin, *self.out])

    def name_of(self, node: Node) -> str:
        name = self.unit.constant(node)
        assert isinstance(name, ast.Name)
        return name.id

    def counts(self, name: str) -> None:
        """What a call uses and what is counted of it."""
        if name in self.unit.calls.recursive:
            self.out.append(add_to("fuel", -1))
            spent = compare(load("fuel"), ast.Lt(), const(0))
            self.out.append(when(spent, [do(call("exhausted"))]))
        if self.counted:
            self.out.append(add_to(f"n{self.unit.numbers[name]}", 1))

    # ---------------------------------------------------------------- what is known

    def value_of(self, node: k.Core) -> tuple[bool, Value]:
        """Whether the value of an expression is known, and the value."""
        if isinstance(node, k.Local) and node.slot in self.known:
            return True, self.known[node.slot]
        return False, None

    def value(self, node: k.Core) -> ast.expr:
        found, known = self.value_of(node)
        if found:
            return self.unit.constant(known)
        if isinstance(node, k.Call):
            if self.stands(node):
                given = self.temporary()
                self.into(node, given)
                return load(given)
        elif isinstance(node, k.Test) and isinstance(node.test, k.Decided):
            return self.value(self.branch(node))
        return super().value(node)

    def branch(self, node: k.Test) -> k.Core:
        assert isinstance(node.test, k.Decided)
        decided = self.unit.decided(node.test.choice) == node.test.alternative
        return node.yes if decided else node.no

    def into(self, node: k.Core, target: Target) -> None:
        match node:
            case k.Test(k.Decided()):
                self.into(self.branch(node), target)
            case k.Match((subject,), _, clauses) if self.value_of(subject)[0]:
                self.choose_known(clauses, self.value_of(subject)[1], target)
            case k.Call() if self.stands(node):
                self.stand_in(node, target)
            case k.Call() if target is not None and target == self.frames[-1][0]:
                self.last_of_inner(node, target)
            case k.CallValue(callee, args) if (
                self.counted and target is not None and target == self.frames[-1][0]
                and self.replaces(VALUES)
            ):  # fmt: skip
                function_value, *values = self.operands((callee, *args))
                self.in_place(ast.Call(self.held(function_value), values, []), target)
            case _:
                super().into(node, target)

    def choose_known(
        self,
        clauses: tuple[k.CoreClause, ...],
        value: Value,
        target: Target,
        mapping: Mapping[int, int] | None = None,
    ) -> None:
        """The clause that takes a known value, with other numbers for its variables. Guards are
        left, one inside the other."""
        for number, clause in enumerate(clauses):
            bound: dict[int, Value] = {}
            if not taken(clause.patterns[0], value, bound):
                continue
            if mapping is not None:
                clause = moved(clause, mapping)
                bound = {mapping[slot]: part for slot, part in bound.items()}
            for slot in bound_slots(clause):
                self.known.pop(slot, None)
            self.known.update(bound)
            if clause.guard is None:
                self.into(clause.body, target)
                return
            guard = self.value(clause.guard)
            yes = self.inside(clause.body, target)
            outer, self.out = self.out, []
            self.choose_known(clauses[number + 1 :], value, target, mapping)
            no, self.out = self.out, outer
            self.out.append(when(guard, yes, no))
            return
        self.out.append(self.stuck_at([self.unit.constant(value)]))

    # ---------------------------------------------------------------- calls that are written out

    def stands(self, node: k.Call) -> bool:
        """Whether the call of a function with a known subject is written out here."""
        if node.function not in self.unit.staged:
            return False
        subject = self.unit.functions[node.function].subjects[0]
        found, value = self.value_of(node.args[subject])
        if not found or not isinstance(value, tuple):
            return False
        fits = self.plan.left > 0 and len(self.plan.open) < DEEPEST and self.blocks < MOST_LOOPS
        return fits and not any(value is one for one in self.plan.open)

    def stand_in(self, node: k.Call, target: Target) -> None:
        """The clause of a known subject in place of the call."""
        last = target == self.frames[-1][0]
        if self.counted and last and not self.replaces(node.function):
            given = self.temporary()
            self.stand_in(node, given)
            self.give(load(given), target)
            return
        deeper = self.counted and not last
        name = node.function
        callee = self.unit.functions[name]
        before = self.here, self.called, self.slots, dict(self.known)
        temporaries = self.temporaries
        self.counts_call(name)
        number = callee.subjects[0]
        value = self.value_of(node.args[number])[1]
        others = [n for n in range(len(callee.slots)) if n != number]
        facts = {n: self.value_of(node.args[n]) for n in others}
        passed = [n for n in others if not facts[n][0]]
        values = self.operands(tuple(node.args[n] for n in passed))
        mapping = self.unit.room(name, self.slots)
        self.slots += len(mapping)
        for n in others:
            if facts[n][0]:
                self.known[mapping[callee.slots[n]]] = facts[n][1]
        names = [f"s{mapping[callee.slots[n]]}" for n in passed]
        self.out += [assign(one, given) for one, given in zip(names, values, strict=True)]
        if deeper:
            self.out += self.goes_deeper()
        self.counts(name)
        self.known[mapping[callee.slots[number]]] = value
        if callee.subject is not None:
            self.here = self.subject_name(callee, mapping)
        self.called = callee.name
        self.plan.left -= 1
        self.plan.open.append(value)
        self.frames.append((target, name))
        self.choose_known(callee.clauses, value, target, mapping)
        self.frames.pop()
        self.plan.open.pop()
        self.here, self.called, self.slots, self.known = before
        # The result is where it belongs; nothing else of the inside is needed.
        self.temporaries = temporaries
        if deeper:
            self.out.append(add_to("depth", -1))

    def subject_name(self, callee: k.Function, mapping: dict[int, int]) -> str:
        """The variable that holds the term which the clauses of a function are about."""
        assert callee.subject is not None
        slot = mapping[callee.slots[callee.subject]]
        return self.name_of(self.known[slot]) if slot in self.known else f"s{slot}"

    def replaces(self, callee: str) -> bool:
        """Whether a call in tail position of what is written here takes its place."""
        current = self.frames[-1][1]
        return callee == current or self.unit.bounces(current, callee)

    def last_of_inner(self, node: k.Call, target: Target) -> None:
        """A call in tail position of a call that is written out: it takes the place of that one,
        as it would without being written out."""
        name = node.function
        if not self.counted and self.writes_out(name, target):
            self.write_out(name, node.args, target)
            return
        if not self.counted or not self.replaces(name):
            self.give(super().value(node), target)
            return
        self.counts_call(name)
        values = self.operands(node.args)
        self.out.append(add_to("depth", -1))
        made = self.enter(name, values) if self.enters(name, node.args) else self.call(name, values)
        self.give(made, target)
        self.out.append(add_to("depth", 1))

    def in_place(self, made: ast.expr, target: Target) -> None:
        """A call of a function value that takes the place of what is written out here."""
        self.out.append(add_to("depth", -1))
        self.give(self.result_of(made, bounces=self.unit.may_bounce(VALUES)), target)
        self.out.append(add_to("depth", 1))

    def write_out(self, name: str, args: tuple[k.Core, ...], target: Target) -> None:
        callee = self.unit.functions[name]
        kept = dict(self.known)
        mapping = self.unit.room(name, self.slots)
        facts = {
            mapping[slot]: self.value_of(arg) for slot, arg in zip(callee.slots, args, strict=True)
        }
        self.known.update({slot: value for slot, (found, value) in facts.items() if found})
        temporaries = self.temporaries
        super().write_out(name, args, target)
        self.known = kept
        if target is not None:
            self.temporaries = temporaries

    # ---------------------------------------------------------------- blocks and functions inside

    def choose(
        self, subjects: Sequence[ast.expr], clauses: tuple[k.CoreClause, ...], target: Target
    ) -> None:
        self.blocks += 1
        super().choose(subjects, clauses, target)
        self.blocks -= 1

    def attempt(self, node: k.Attempt, target: Target) -> None:
        self.blocks += 1
        super().attempt(node, target)
        self.blocks -= 1

    def nested(self) -> Body:
        inner = _Staged(self.unit, self.target, self.counters, self.plan)
        inner.known = dict(self.known)
        inner.here, inner.called = self.here, self.called
        inner.temporaries, inner.slots = self.temporaries, self.slots
        inner.opened = set(self.opened)
        inner.frames = [(None, VALUES)]
        inner.closed = True
        return inner

    def captured(self, slot: int) -> str:
        name = f"s{slot}"
        if slot in self.known:
            self.out.append(assign(name, self.unit.constant(self.known[slot])))
        return name

    # ---------------------------------------------------------------- the way back

    def jumps(self, name: str, target: Target) -> bool:
        return False

    @property
    def node(self) -> str:
        return VALUES if self.closed else self.frames[0][1]

    def enters(self, name: str, args: tuple[k.Core, ...]) -> bool:
        """What was too much to be written out is entered as well."""
        target = self.unit.functions[name]
        if name in self.unit.staged and target.subject == target.subjects[0]:
            found, value = self.value_of(args[target.subjects[0]])
            if found:
                return isinstance(value, tuple)
        return super().enters(name, args)

    def enter_last(self, name: str, values: list[ast.expr]) -> list[ast.expr]:
        """A part always bounces: whoever enters it expects that."""
        known, values = self.staged_code(name, values)
        rest = self.others(name, values)
        outer, self.out = self.out, []
        self.bounce(load(known), rest)
        inner, self.out = self.out, outer
        self.out.append(when(compare(load(known), ast.IsNot(), const(None)), inner))
        return values

    def call_last(self, name: str, values: list[ast.expr]) -> None:
        """A call of the function itself, which elsewhere is a jump, bounces."""
        if self.replaces(name):
            callee = self.unit.functions[name]
            here = [] if callee.subject is not None else [load(self.here)]
            self.bounce(load(f"f{self.unit.numbers[name]}"), [*values, *here])
            return
        self.give(self.plain_call(name, values), None)


def taken(pattern: k.CorePattern, value: Value, bound: dict[int, Value]) -> bool:
    """Whether a pattern takes a value; what its variables stand for then."""
    match pattern:
        case k.Bind(slot):
            if slot is not None:
                bound[slot] = value
            return True
        case k.Named(inner, slot):
            bound[slot] = value
            return taken(inner, value, bound)
        case k.Among(tags, inner):
            return value[0] in tags and taken(inner, value, bound)
        case k.Equals(wanted):
            return value is wanted if isinstance(wanted, bool) else bool(value == wanted)
        case k.Shape(tag, fields, wide):
            if wide and value[0] != tag:
                return False
            parts = zip(fields, value[FIELDS:], strict=False)
            return all(taken(field, part, bound) for field, part in parts)
