"""The pass that writes a function out for a term that is known: which clause applies, what stands
in the fields and where it stands in the text are decided, so that only the work on values is left.
(The first Futamura projection, by writing out calls whose subject is known.)"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix import core as k
from embrix.machine.inlining import Inlining
from embrix.machine.numbering import bound_slots, moved
from embrix.machine.planned import Inlined, InPlace, Known, NoClause, changed_clause, with_parts
from embrix.machine.tails import VALUES
from embrix.machine.unit import Unit
from embrix.terms.node import FIELDS, Node, Value

MOST_UNFOLDED = 250
"""Calls that are written out in one part; the others stay calls."""
DEEPEST = 24
"""How far calls are written out inside each other."""
MOST_LOOPS = 8
"""Python allows 20 blocks inside each other; loops beyond these are not opened by calls that are
written out."""


class _Plan:
    """What is shared by everything that makes up one part."""

    def __init__(self, unit: Unit, inlining: Inlining) -> None:
        self.unit = unit
        self.inlining = inlining
        self.left = MOST_UNFOLDED
        self.open: list[Node] = []
        """The nodes whose clauses stand around the place that is being written."""


def specialised(unit: Unit, name: str, node: Node, first: int) -> Any:
    """What a function does with one node as its subject; its further variables are numbered from
    `first` on."""
    target = unit.functions[name]
    plan = _Plan(unit, unit.inlining)
    plan.open.append(node)
    known = {target.slots[target.subjects[0]]: node}
    within = _Specialising(plan, known, first, name)
    return within.chosen(target.clauses, node, last=True)


class _Specialising(Struct, frozen=True):
    """Where the pass is, and what is known there."""

    plan: _Plan
    known: Mapping[int, Value]
    """The variables whose values are known."""
    first: int
    """The first number that no variable has."""
    frame: str
    """The function whose clauses are written out here."""
    outermost: bool = True
    """Whether the result of the frame is that of the whole part."""
    depth: int = 0
    """How deep inside small functions that are written out."""
    loops: int = 0

    def change(self, node: Any, last: bool) -> Any:
        """What takes the place of an expression; `last` is whether its value is that of the
        frame."""
        match node:
            case k.Local(slot) if slot in self.known:
                return Known(self.known[slot])
            case k.Match((k.Local(slot),), _, clauses, span) if slot in self.known:
                own = self.plan.unit.has_span(span)
                return self.chosen(clauses, self.known[slot], last, inner=not own)
            case k.Call() if self._stands(node):
                return self._stood_in(node, last)
            case k.Call(name) if self._in_place(name, last):
                return InPlace(with_parts(node, self.change, False))
            case k.Call(name) if self.plan.inlining.written_out(
                name, self.depth, last and self.outermost
            ):
                return self._written_out(node, last)
            case k.CallValue() if self._in_place(VALUES, last):
                return InPlace(with_parts(node, self.change, False))
            case k.Lambda():
                inner = replace(self, frame=VALUES, outermost=True, depth=0)
                return with_parts(node, inner.change, last)
            case k.Match():
                subjects = tuple(self.change(one, False) for one in node.subjects)
                inner = replace(self, loops=self.loops + 1)
                clauses = tuple(changed_clause(one, inner.change, last) for one in node.clauses)
                return k.Match(subjects, node.slots, clauses, node.span)
            case k.Attempt():
                return with_parts(node, replace(self, loops=self.loops + 1).change, last)
            case _:
                return with_parts(node, self.change, last)

    def chosen(
        self,
        clauses: tuple[k.CoreClause, ...],
        value: Value,
        last: bool,
        mapping: Mapping[int, int] | None = None,
        *,
        inner: bool = False,
    ) -> Any:
        """The clause that takes a known value, with other numbers for its variables. Guards are
        left, one inside the other. `inner` where it is one of a `match` or a `let`."""
        for number, clause in enumerate(clauses):
            bound: dict[int, Value] = {}
            if not taken(clause.patterns[0], value, bound):
                continue
            if mapping is not None:
                clause = moved(clause, mapping)
                bound = {mapping[slot]: part for slot, part in bound.items()}
            anew = set(bound_slots(clause))
            kept = {slot: part for slot, part in self.known.items() if slot not in anew}
            within = replace(self, known={**kept, **bound})
            body = within.change(clause.body, last)
            if clause.guard is None:
                return body
            guard = within.change(clause.guard, False)
            others = self.chosen(clauses[number + 1 :], value, last, mapping, inner=inner)
            return k.Test(guard, body, others)
        return NoClause((Known(value),), inner)

    # ---------------------------------------------------------------- calls

    def _replaces(self, callee: str) -> bool:
        """Whether a call in tail position of the frame takes its place."""
        return callee == self.frame or self.plan.unit.bounces(self.frame, callee)

    def _in_place(self, callee: str, last: bool) -> bool:
        """Whether a call takes the place of the one that is written out here, so that the depth
        that is counted is the same."""
        counts = self.plan.unit.counts and not self.outermost
        return counts and last and self._replaces(callee)

    def _stands(self, node: k.Call) -> bool:
        """Whether the call of a function with a known subject is written out here."""
        plan = self.plan
        if node.function not in plan.unit.staged:
            return False
        value = self._value(node.args[plan.unit.functions[node.function].subjects[0]])
        if not isinstance(value, tuple):
            return False
        fits = plan.left > 0 and len(plan.open) < DEEPEST and self.loops < MOST_LOOPS
        return fits and not any(value is one for one in plan.open)

    def _value(self, node: k.Core) -> Value:
        """The value of an expression if it is known, else None."""
        return self.known.get(node.slot) if isinstance(node, k.Local) else None

    def _stood_in(self, node: k.Call, last: bool) -> Inlined:
        """The clause of a known subject in place of the call."""
        plan = self.plan
        callee = plan.unit.functions[node.function]
        subject = callee.subjects[0]
        value = self._value(node.args[subject])
        instead = last and self._replaces(node.function)
        mapping = plan.inlining.room(node.function, self.first)
        slots, args, known = self._passed(callee, node.args, mapping)
        inner = replace(
            self, known=known, first=self.first + len(mapping), frame=node.function,
            outermost=self.outermost and last and (instead or not plan.unit.counts),
        )  # fmt: skip
        plan.left -= 1
        plan.open.append(value)
        body = inner.chosen(callee.clauses, value, True, mapping)
        plan.open.pop()
        here = self._here(callee, mapping, known)
        return Inlined(node.function, slots, args, body, here, instead, framed=True)

    def _written_out(self, node: k.Call, last: bool) -> Inlined:
        """The body of a small function in place of its call."""
        plan = self.plan
        callee = plan.unit.functions[node.function]
        mapping = plan.inlining.room(node.function, self.first)
        slots, args, known = self._passed(callee, node.args, mapping)
        first = self.first + len(mapping)
        inner = replace(self, known=known, first=first, depth=self.depth + 1)
        inside = plan.inlining.inside(node.function, mapping)
        body = inner.change(inside, last and not (plan.unit.counts and not self.outermost))
        here = self._here(callee, mapping, known)
        return Inlined(node.function, slots, args, body, here)

    def _passed(
        self, callee: k.Function, args: tuple[k.Core, ...], mapping: Mapping[int, int]
    ) -> tuple[tuple[int, ...], tuple[Any, ...], dict[int, Value]]:
        """The variables of the parameters whose values are not known, their values, and what is
        known inside."""
        known = dict(self.known)
        slots, values = [], []
        for slot, arg in zip(callee.slots, args, strict=True):
            if isinstance(arg, k.Local) and arg.slot in self.known:
                known[mapping[slot]] = self.known[arg.slot]
            else:
                known.pop(mapping[slot], None)
                slots.append(mapping[slot])
                values.append(self.change(arg, False))
        return tuple(slots), tuple(values), known

    def _here(
        self, callee: k.Function, mapping: Mapping[int, int], known: Mapping[int, Value]
    ) -> int | Known | None:
        """What holds the term which the clauses of a function are about."""
        if callee.subject is None:
            return None
        slot = mapping[callee.slots[callee.subject]]
        return Known(known[slot]) if slot in known else slot


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
