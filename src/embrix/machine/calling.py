"""Writing calls: jumps, bounces, functions that are written out, parts that are entered often."""

from __future__ import annotations

import ast
from abc import abstractmethod
from collections.abc import Sequence

from embrix.brix import core as k
from embrix.machine.emitter import BOUNCE, Emitter, Target
from embrix.machine.inlining import DEEPEST, moved
from embrix.machine.pycode import (
    add_to,
    assign,
    atomic,
    call,
    compare,
    const,
    do,
    load,
    row,
    when,
)
from embrix.machine.unit import hot


class CallEmitter(Emitter):
    """One function, with everything about its calls."""

    @abstractmethod
    def choose(
        self, subjects: Sequence[ast.expr], clauses: tuple[k.CoreClause, ...], target: Target
    ) -> None:
        """The first clause that takes the subjects."""

    # ---------------------------------------------------------------- in tail position

    def call_last(self, name: str, values: list[ast.expr]) -> None:
        """A call in tail position: a jump, a bounce, or a call whose result is returned."""
        if self.jumps(name, None):
            self.jump(values)
            return
        self.flags_tail(name)
        if self.unit.bounces(self.node, name):
            callee = self.unit.functions[name]
            here = [] if callee.subject is not None else [load(self.here)]
            self.bounce(load(f"f{self.unit.numbers[name]}"), [*values, *here])
            return
        # What it returns, a bounce too, is returned.
        self.give(self.plain_call(name, values), None)

    # ---------------------------------------------------------------- parts that are entered often

    def enters(self, name: str, args: tuple[k.Core, ...]) -> bool:
        """Whether a call may enter a part of the program again and again: the body of a closure,
        or the own subject once more."""
        if name not in self.unit.staged:
            return False
        target = self.unit.functions[name]
        subject = target.subject
        if subject is None or subject != target.subjects[0]:
            return False
        term = args[subject]
        if not isinstance(term, k.Local):
            return False
        own = name == self.key and term.slot == target.slots[subject]
        return own or term.slot in self.opened

    def staged_code(self, name: str, values: list[ast.expr]) -> tuple[str, list[ast.expr]]:
        """The variable that gets what is known of the part, or None; and the values, held."""
        number, subject = self.unit.numbers[name], self.unit.functions[name].subject
        assert subject is not None
        values = [value if atomic(value) else self.held(value) for value in values]
        known = self.temporary()
        found = call(hot(number), call("identity", values[subject]))
        self.out.append(assign(known, found))
        warm = assign(known, call("heat", const(number), values[subject]))
        self.out.append(when(compare(load(known), ast.Is(), const(None)), [warm]))
        return known, values

    def enter_last(self, name: str, values: list[ast.expr]) -> list[ast.expr]:
        """In tail position: goes there if the part has been turned into Python."""
        known, values = self.staged_code(name, values)
        rest = self.others(name, values)
        outer, self.out = self.out, []
        if self.unit.may_bounce(self.node):
            self.bounce(load(known), rest)
        else:
            if self.counted:
                self.out.append(add_to("depth", -1))
            made = self.result_of(ast.Call(load(known), rest, []), bounces=True)
            self.out.append(ast.Return(made))
        inner, self.out = self.out, outer
        self.out.append(when(compare(load(known), ast.IsNot(), const(None)), inner))
        return values

    def enter(self, name: str, values: list[ast.expr]) -> ast.expr:
        """Not in tail position: what the part gives, turned into Python or not."""
        known, values = self.staged_code(name, values)
        made = ast.Call(load(known), self.others(name, values), [])
        result = self.temporary()
        cold = assign(result, self.plain_call(name, values))
        none = compare(load(known), ast.Is(), const(None))
        self.out.append(when(none, [cold], [assign(result, made)]))
        return self.result_of(load(result), bounces=True)

    def others(self, name: str, values: list[ast.expr]) -> list[ast.expr]:
        subject = self.unit.functions[name].subject
        return [value for number, value in enumerate(values) if number != subject]

    # ---------------------------------------------------------------- small functions

    def writes_out(self, name: str, target: Target) -> bool:
        """Whether a call is written out here. In tail position depth is not counted twice."""
        fits = self.inlined < DEEPEST and self.unit.calls.written_out(name)
        return fits and not (target is None and self.counted)

    def write_out(self, name: str, args: tuple[k.Core, ...], target: Target) -> None:
        """The body of a function in place of its call."""
        callee = self.unit.functions[name]
        before = self.here, self.called, self.slots
        self.counts_call(name)
        values = self.operands(args)
        mapping = self.unit.room(name, self.slots)
        self.slots += len(mapping)
        names = [f"s{mapping[slot]}" for slot in callee.slots]
        # The arguments are no part of what is done inside.
        self.out += [assign(one, value) for one, value in zip(names, values, strict=True)]
        if self.counted:
            self.out += [add_to(f"n{self.unit.numbers[name]}", 1), *self.goes_deeper()]
        if callee.subject is not None:
            self.here = names[callee.subject]
        self.called = callee.name
        self.inlined += 1
        if callee.body is not None:
            self.into(moved(callee.body, mapping), target)
        else:
            subjects = [load(names[number]) for number in callee.subjects]
            self.choose(subjects, moved(callee.clauses, mapping), target)
        self.inlined -= 1
        self.here, self.called, self.slots = before
        if self.counted:
            self.out.append(add_to("depth", -1))

    def jumps(self, name: str, target: Target) -> bool:
        same = self.unit.functions[name] is self.target
        return same and target is None and not self.traced

    def bounce(self, callee: ast.expr, values: list[ast.expr]) -> None:
        """Leave the call to whoever called first."""
        names = ["j", *(f"a{number}" for number in range(len(values))), "c"]
        targets = ast.Tuple([ast.Name(name, ast.Store()) for name in names], ast.Store())
        self.out.append(ast.Assign([targets], row(callee, *values, const(len(values)))))
        if self.traced:
            self.out.append(do(call("wait", load("i"))))
        self.give(load(BOUNCE), None, bare=self.traced)

    def flags_tail(self, name: str) -> None:
        """In a trace, a judgement called in tail position takes the place of its caller."""
        if self.traced and self.unit.traces(self.unit.functions[name]):
            self.out.append(do(call("tail", load("i"))))

    def result_of(self, made: ast.expr, *, bounces: bool) -> ast.expr:
        """What a call not in tail position gives: bounces are made here."""
        if not bounces:
            return made
        name = self.temporary()
        finish = call("w")
        if self.unit.variant == "traced":
            before = self.temporary()
            self.out.append(assign(before, call("waiting")))
            finish = call("settle", finish, load(before))
        self.out.append(assign(name, made))
        bounced = compare(load(name), ast.Is(), load(BOUNCE))
        self.out.append(when(bounced, [assign(name, finish)]))
        return load(name)

    def tells_of(self, name: str) -> bool:
        """Whether a trace is told of a call: it waits for the result then."""
        traced = self.unit.variant == "traced"
        return traced and name in self.unit.substituting and name != self.key

    def told(self, name: str, values: list[ast.expr]) -> ast.expr:
        """A call; in a trace it is told of what a substitution by hand puts where."""
        order = self.unit.substituting.get(name)
        if self.unit.variant != "traced" or order is None or name == self.key:
            return self.call(name, values)
        kept = [value if atomic(value) else self.held(value) for value in values]
        value, variable, term = (kept[number] for number in order)
        return call("put", variable, value, term, self.call(name, kept))

    def counts_call(self, name: str) -> None:
        if self.counted and name in self.unit.substituting and name != self.key:
            self.out.append(add_to("substituted", 1))

    def jump(self, values: list[ast.expr]) -> None:
        """A tail call of the function to itself."""
        self.loops = True
        names = [f"s{slot}" for slot in self.target.slots]
        moved = [
            (name, value)
            for name, value in zip(names, values, strict=True)
            if not (isinstance(value, ast.Name) and value.id == name)
        ]
        if len(moved) == 1:
            self.out.append(assign(moved[0][0], moved[0][1]))
        elif moved:
            targets = ast.Tuple([ast.Name(name, ast.Store()) for name, _ in moved], ast.Store())
            self.out.append(ast.Assign([targets], row(*(value for _, value in moved))))
        if self.target.subject is None and self.here != "here":
            self.out.append(assign("here", load(self.here)))
        self.out.append(ast.Continue())

    def call(self, name: str, args: list[ast.expr]) -> ast.expr:
        return self.result_of(self.plain_call(name, args), bounces=self.unit.may_bounce(name))

    def plain_call(self, name: str, args: list[ast.expr]) -> ast.expr:
        callee = self.unit.functions[name]
        extra = [] if callee.subject is not None else [load(self.here)]
        return call(f"f{self.unit.numbers[name]}", *args, *extra)
