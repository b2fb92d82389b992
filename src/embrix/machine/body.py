"""Writing functions: from expressions of the core to statements of Python.

A call in tail position to the function itself becomes a jump, except where it is traced.
"""

from __future__ import annotations

import ast
from collections.abc import Sequence
from typing import Any

from embrix.brix import core as k
from embrix.machine.calling import CallEmitter
from embrix.machine.constructs import (
    all_final,
    attempt,
    fetch,
    free_slots,
    knot,
    lookup,
    loop_over,
    repeat,
    step_list,
)
from embrix.machine.emitter import Target, spent
from embrix.machine.events import Counted, Deeper, Entered
from embrix.machine.matching import LEAVE, Matching
from embrix.machine.planned import (
    Entering,
    Inlined,
    InPlace,
    Known,
    NoClause,
    Planned,
    TailCall,
    changed_clause,
)
from embrix.machine.pycode import (
    assign,
    atomic,
    call,
    compare,
    const,
    do,
    function,
    load,
    loop,
    negation,
    row,
    when,
)
from embrix.machine.tail_calls import TailCalls
from embrix.machine.tails import VALUES
from embrix.machine.unit import EMPTIES
from embrix.terms.node import (
    CONS,
    EMPTY_NODE,
    FRAME,
    NIL_NODE,
    NONE_NODE,
    SOME,
    TUPLE,
)
from embrix.terms.numbers import SMALL
from embrix.terms.types import Con, settle

_COMPARE: dict[str, type[ast.cmpop]] = {
    "less": ast.Lt, "at_most": ast.LtE, "more": ast.Gt, "at_least": ast.GtE, "equal_plain": ast.Eq,
}  # fmt: skip
_PLACED = ("divide", "floor_divide", "modulo")
_COUNTED = {
    "alloc": "allocated", "reserve": "allocated", "store_with": "written",
    "substitute": "substituted",
}  # fmt: skip


class Body(CallEmitter):
    """One function."""

    # ---------------------------------------------------------------- the function itself

    def definition(self) -> list[ast.FunctionDef]:
        target = self.target
        number = self.unit.numbers[self.key]
        name = f"f{number}"
        params = [f"s{slot}" for slot in target.slots]
        if target.subject is None:
            params.append("here")
        free = self.unit.free(self.key)
        marked = TailCalls(self.unit, self.key, self.key)
        if target.body is not None:
            inlined = self.unit.inlining.expression(target.body, True, free)
            self.out += self.marked(0)
            self.into(marked.change(inlined, True), None)
        else:
            subjects = [load(f"s{target.slots[n]}") for n in target.subjects]
            for clause in target.clauses:
                inlined = self.unit.inlining.clause(clause, True, free)
                self.own.append(marked.clause(inlined))
            Matching(self).clauses(subjects, self.own, None)
            self.out.append(self.stuck_at(subjects))
        inner: list[ast.stmt] = []
        if self.key in self.unit.calls.recursive:
            # What never comes back to itself is bounded by what calls it.
            inner += spent()
        inner += [Counted(f"n{number}"), *self.out]
        begin: list[ast.stmt] = [ast.Nonlocal(list(self.unit.counters)), Deeper()]
        if self.judged:
            begin.append(Entered(number, row(*(load(p) for p in params[: len(target.slots)]))))
        if self.loops:
            inner = [loop(const(True), inner)]
        result = [function(name, params, begin + inner)]
        if self.key in self.unit.relations:
            result.append(self.final_test(name))
        return result

    def final_test(self, name: str) -> ast.FunctionDef:
        """The function that says whether the subjects of this relation are final."""
        self.out = []
        params = [f"x{number}" for number in self.target.subjects]
        self.here = f"x{self.target.control}"
        marked = TailCalls(self.unit, self.key, self.key)
        for clause in self.target.finals:
            inlined = self.unit.inlining.clause(clause, False, self.unit.free(self.key))
            final = changed_clause(inlined, marked.change, False)
            Matching(self, bare=True).clauses([load(param) for param in params], (final,), None)
        begin: list[ast.stmt] = [ast.Nonlocal(list(self.unit.counters))]
        if any(clause.guard is not None for clause in self.target.finals):
            begin += spent()  # it may go down a whole term, each time it is asked
        return function(f"final_{name}", params, [*begin, *self.out, ast.Return(const(False))])

    def into(self, node: Planned, target: Target) -> None:
        """Evaluate an expression and hand its value to a variable, or return it."""
        match node:
            case k.BuildTuple(items) if isinstance(target, tuple):
                for name, value in zip(target, self.operands(items), strict=True):
                    self.out.append(assign(name, value))
            case Inlined():
                self.write_out(node, target)
            case TailCall():
                self.call_last(node)
            case InPlace():
                self.in_place(node, target)
            case NoClause(subjects, inner):
                self.out.append(self.stuck_at(self.operands(subjects), inner=inner))
            case k.Test(test, yes, no):
                condition = self.value(test)
                self.out.append(when(condition, self.inside(yes, target), self.inside(no, target)))
            case k.Match():
                self.match(node, target)
            case k.Emit(text, then):
                self.out.append(do(call("emit", self.value(text))))
                self.into(then, target)
            case k.Knot():
                knot(self, node)
                self.into(node.then, target)
            case k.Attempt():
                attempt(self, node, target)
            case _:
                self.give(self.value(node), target)

    def match(self, node: k.Match, target: Target) -> None:
        if self.takes_apart(node, target):
            return
        subjects: list[ast.expr] = []
        for slot, value in zip(node.slots, self.operands(node.subjects), strict=True):
            if isinstance(value, ast.Name) and not value.id.startswith("t"):
                subjects.append(value)
            else:
                self.out.append(assign(f"s{slot}", value))
                subjects.append(load(f"s{slot}"))
        inner = not self.unit.has_span(node.span)
        self.choose(subjects, node.clauses, target, inner=inner)

    def takes_apart(self, node: k.Match, target: Target) -> bool:
        """`let (a, b) = …`: the components go to their names, and no tuple is made."""
        if len(node.subjects) != 1 or len(node.clauses) != 1 or node.clauses[0].guard is not None:
            return False
        subject, pattern = node.subjects[0], node.clauses[0].patterns[0]
        if not isinstance(pattern, k.Shape) or pattern.tag != TUPLE or pattern.wide:
            return False
        made = isinstance(subject, k.BuildTuple)
        if not made and not isinstance(subject, Inlined):
            return False
        if not all(isinstance(part, k.Bind) for part in pattern.fields):
            return False
        names = tuple(
            f"s{part.slot}" if isinstance(part, k.Bind) and part.slot is not None
            else self.temporary()
            for part in pattern.fields
        )  # fmt: skip
        self.into(subject, names)
        self.into(node.clauses[0].body, target)
        return True

    def choose(
        self, subjects: Sequence[ast.expr], clauses: tuple[k.CoreClause, ...], target: Target,
        *, inner: bool,
    ) -> None:  # fmt: skip
        """The first clause that takes the subjects; `inner` where the clauses are those of a
        `match` or a `let`."""
        matching = Matching(self)
        if matching.irrefutable(clauses[0]):
            matching.clauses(subjects, clauses[:1], target)
            return
        last = matching.irrefutable(clauses[-1])
        if target is None:
            matching.clauses(subjects, clauses, target)
            if not last:
                self.out.append(self.stuck_at(subjects, inner=inner))
            return
        outer, self.out = self.out, []
        matching.clauses(subjects, clauses, target, LEAVE)
        if not last:
            self.out.append(self.stuck_at(subjects, inner=inner))
        turn, self.out = self.out, outer
        self.out.append(loop(const(True), turn))

    # ---------------------------------------------------------------- expressions

    def value(self, node: Planned) -> ast.expr:
        """A Python expression for an expression; statements it needs go before."""
        match node:
            case k.Const(value):
                return self.unit.constant(value)
            case k.Local(slot):
                return load(f"s{slot}")
            case k.Build(constructor, args):
                if self.counts_made and constructor.role == "suspended":
                    self.out.append(Counted("made"))
                place = self.place() if constructor.is_form else const(None)
                return row(const(constructor.tag), place, *self.operands(args))
            case k.BuildTuple(items):
                return row(const(TUPLE), const(None), *self.operands(items))
            case k.BuildList(items, rest):
                tail = (rest,) if rest is not None else ()
                values = self.operands((*items, *tail))
                result = values.pop() if rest is not None else self.unit.constant(NIL_NODE)
                for part in reversed(values):
                    result = row(const(CONS), const(None), part, result)
                return result
            case k.Optional(inner):
                if inner is None:
                    return self.unit.constant(NONE_NODE)
                return row(const(SOME), const(None), self.value(inner))
            case k.Empty(kind):
                settled = settle(kind)
                named = settled.name if isinstance(settled, Con) else ""
                return self.unit.constant(EMPTIES.get(named, EMPTY_NODE))
            case k.Call(name, args):
                self.counts_call(name)
                return self.watched_call(name, self.operands(args))
            case Entering(k.Call(name, args)):
                self.counts_call(name)
                return self.enter(name, self.operands(args))
            case Known(value):
                return self.unit.constant(value)
            case k.CallValue(callee, args):
                values = self.operands((callee, *args))
                made = ast.Call(self.held(values[0]), values[1:], [])
                return self.result_of(made, bounces=self.unit.may_bounce(VALUES))
            case k.Lambda(slots, inner):
                return self.closure([f"s{slot}" for slot in slots], inner, free_slots(node))
            case k.Ask():
                name = self.temporary()
                self.out.append(assign(name, call("ask")))
                return load(name)
            case k.TakeWay(guards):
                name = self.temporary()
                open_ = row(*self.operands(guards))
                self.out.append(assign(name, call("take_way", open_, load(self.here))))
                return load(name)
            case k.Decided(choice, alternative):
                if choice in self.unit.undecided:
                    way = self.unit.constant(self.unit.undecided[choice])
                    return compare(way, ast.Eq(), const(alternative))
                return const(self.unit.decided(choice) == alternative)
            case k.Fetch():
                return fetch(self, node)
            case k.Loop():
                return loop_over(self, node)
            case k.StepList(name, items, args):
                return step_list(self, name, items, args)
            case k.Primitive(operation, args):
                return self.primitive(operation, self.operands(args))
            case k.Lookup():
                return lookup(self, node)
            case k.Extend(environment, key, value):
                base, bound_name, bound = self.operands((environment, key, value))
                return row(const(FRAME), const(None), bound_name, bound, base)
            case k.ExtendAll(environment, items):
                return call("extend_all", *self.operands((environment, items)))
            case k.Template(parts):
                cores = tuple(p if not isinstance(p, str) else k.Const(p) for p in parts)
                plain = row(*(const(isinstance(p, str)) for p in parts))
                return call("text", plain, row(*self.operands(cores)))
            case k.Fail(error, args, at):
                values = self.operands(args if at is None else (*args, at))
                node_at = load(self.here) if at is None else values.pop()
                return call("fail", self.unit.constant(error), row(*values), node_at)
            case k.Repeat():
                return repeat(self, node)
            case k.IsFinal(name, args, True):
                return all_final(self, name, args)
            case k.IsFinal(name, args):
                return call(f"final_f{self.unit.numbers[name]}", *self.operands(args))
            case k.Todo(note, _, code):
                return call("unfinished", const(note), load(self.here), const(code))
            case k.Test(test, yes, no):
                return self.chosen(test, yes, no)
            case k.Match() | k.Emit() | k.Knot() | k.Attempt() | Inlined() | InPlace() | NoClause():
                name = self.temporary()
                self.into(node, name)
                return load(name)
            case TailCall():
                raise AssertionError("a call in tail position gives its result to nobody else")

    def chosen(self, test: Planned, yes: Planned, no: Planned) -> ast.expr:
        """`if` as an expression where its branches need no statements, else through a variable."""
        condition = self.value(test)
        outer = self.out
        yes_out: list[ast.stmt] = []
        no_out: list[ast.stmt] = []
        self.out = yes_out
        yes_value = self.value(yes)
        self.out = no_out
        no_value = self.value(no)
        self.out = outer
        if not yes_out and not no_out:
            return ast.IfExp(condition, yes_value, no_value)
        name = self.temporary()
        yes_out.append(assign(name, yes_value))
        no_out.append(assign(name, no_value))
        self.out.append(when(condition, yes_out, no_out))
        return load(name)

    def primitive(self, operation: str, args: list[ast.expr]) -> ast.expr:
        if operation in _COMPARE:
            return compare(args[0], _COMPARE[operation](), args[1])
        if operation in self.unit.quick:
            return self.quickly(operation, args)
        if operation in _PLACED:
            args = [*args, load(self.here)]
        if operation in _COUNTED:
            self.out.append(Counted(_COUNTED[operation]))
        return call(operation, *args)

    def quickly(self, operation: str, args: list[ast.expr]) -> ast.expr:
        """Both numbers are within the limits, so that the result can be looked at afterwards."""
        result = self.temporary()
        left, right = (arg if atomic(arg) else self.held(arg) for arg in args)
        self.out.append(assign(result, ast.BinOp(left, self.unit.quick[operation](), right)))
        other = compare(call("kind_of", load(result)), ast.IsNot(), load("whole_kind"))
        small = ast.Compare(
            const(-SMALL), [ast.Lt(), ast.Lt()], [load(result), const(SMALL)]
        )  # fmt: skip
        again = assign(result, call(operation, left, right))
        self.out.append(when(ast.BoolOp(ast.Or(), [other, negation(small)]), [again]))
        return load(result)

    def nested(self) -> Body:
        """For the inside of a function that is made here."""
        return _Closure(self)


class _Closure(Body):
    """The inside of a function that is a value: in the same scope of names, never traced."""

    def __init__(self, outer: Body) -> None:
        super().__init__(outer.unit, outer.target)
        self.judged = False
        self.here = outer.here
        self.called = outer.called
        self.temporaries = outer.temporaries
        self.part = outer.part

    @property
    def node(self) -> str:
        return VALUES


def nothing_kept(main: k.Function) -> list[Any]:
    """What `main` takes up where no run has been before: everything empty."""
    kinds = (settle(kind) for kind in main.types[2:])
    return [EMPTIES.get(kind.name if isinstance(kind, Con) else "", EMPTY_NODE) for kind in kinds]


"""The empty things of each type; an environment is the default."""
