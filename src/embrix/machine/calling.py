"""Writing calls: jumps, bounces, functions that are written out, parts that are entered often."""

from __future__ import annotations

import ast
from abc import abstractmethod
from collections.abc import Sequence

from embrix.brix import core as k
from embrix.machine.emitter import BOUNCE, Emitter, Target, spent
from embrix.machine.events import (
    CallBegun,
    Counted,
    DeepAgain,
    Deeper,
    Finished,
    GivesPlace,
    Leave,
    Shallower,
    ValuePut,
    Waits,
)
from embrix.machine.planned import Inlined, InPlace, Known, TailCall
from embrix.machine.pycode import (
    assign,
    atomic,
    call,
    compare,
    const,
    load,
    row,
    when,
)
from embrix.machine.tails import VALUES
from embrix.machine.unit import hot, is_judgement
from embrix.terms.node import Value


class CallEmitter(Emitter):
    """One function, with everything about its calls."""

    @abstractmethod
    def choose(
        self, subjects: Sequence[ast.expr], clauses: tuple[k.CoreClause, ...], target: Target,
        *, inner: bool,
    ) -> None:  # fmt: skip
        """The first clause that takes the subjects; `inner` where the clauses are those of a
        `match` or a `let`."""

    # ---------------------------------------------------------------- in tail position

    def call_last(self, node: TailCall) -> None:
        """A call in tail position: a jump, a bounce, or a call whose result is returned."""
        if isinstance(node.call, k.CallValue):
            callee, *values = self.operands((node.call.callee, *node.call.args))
            if node.how == "bounce":
                self.bounce(callee, values)
            else:
                self.give(ast.Call(self.held(callee), values, []), None)
            return
        name = node.call.function
        self.counts_call(name)
        values = self.operands(node.call.args)
        if node.enters:
            values = self.enter_last(name, values)
        if node.how == "jump":
            self.jump(values)
            return
        if self.judged and is_judgement(self.unit.functions[name]):
            self.out.append(GivesPlace())
        if node.how == "bounce":
            here = [] if self.unit.functions[name].subject is not None else [load(self.here)]
            self.bounce(load(f"f{self.unit.numbers[name]}"), [*values, *here])
        else:
            # What it returns, a bounce too, is returned.
            self.give(self.plain_call(name, values), None)

    def in_place(self, node: InPlace, target: Target) -> None:
        """A call that takes the place of the one that is written out around it."""
        if isinstance(node.call, k.CallValue):
            callee, *values = self.operands((node.call.callee, *node.call.args))
            called = self.held(callee)
            self.out.append(Shallower())
            made: ast.expr = ast.Call(called, values, [])
            self.give(self.result_of(made, bounces=self.unit.may_bounce(VALUES)), target)
        else:
            name = node.call.function
            self.counts_call(name)
            values = self.operands(node.call.args)
            self.out.append(Shallower())
            made = self.enter(name, values) if node.enters else self.call(name, values)
            self.give(made, target)
        self.out.append(DeepAgain())

    # ---------------------------------------------------------------- parts that are entered often

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
        if self.part or self.unit.may_bounce(self.node):
            # Whoever enters a part expects that it may come back with a call.
            self.bounce(load(known), rest)
        else:
            self.out.append(Shallower())
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

    def write_out(self, node: Inlined, target: Target) -> None:
        """The body of a function in place of its call."""
        if target is None and self.unit.counts and not node.instead:
            # Depth is counted down when the result is there.
            given = self.temporary()
            self.write_out(node, given)
            self.give(load(given), None)
            return
        callee = self.unit.functions[node.function]
        before, temporaries = (self.here, self.called), self.temporaries
        self.counts_call(node.function)
        values = self.operands(node.args)
        # The arguments are no part of what is done inside.
        for slot, value in zip(node.slots, values, strict=True):
            self.out.append(assign(f"s{slot}", value))
        if not node.instead:
            self.out.append(Deeper())
        if node.framed and node.function in self.unit.calls.recursive:
            self.out += spent()
        self.out.append(Counted(f"n{self.unit.numbers[node.function]}"))
        if isinstance(node.here, Known):
            self.here = self.name_of(node.here.value)
        elif node.here is not None:
            self.here = f"s{node.here}"
        self.called = callee.name
        self.into(node.body, target)
        self.here, self.called = before
        if target is not None and self.part:
            # The result is where it belongs; nothing else of the inside is needed.
            self.temporaries = temporaries
        if not node.instead:
            self.out.append(Shallower())

    def name_of(self, value: Value) -> str:
        """The name of a constant that is a term."""
        name = self.unit.constant(value)
        assert isinstance(name, ast.Name)
        return name.id

    def bounce(self, callee: ast.expr, values: list[ast.expr]) -> None:
        """Leave the call to whoever called first."""
        names = ["j", *(f"a{number}" for number in range(len(values))), "c"]
        targets = ast.Tuple([ast.Name(name, ast.Store()) for name in names], ast.Store())
        self.out.append(ast.Assign([targets], row(callee, *values, const(len(values)))))
        if self.judged:
            self.out.append(Waits())
        self.out.append(Leave(load(BOUNCE), judged=False))

    def result_of(self, made: ast.expr, *, bounces: bool) -> ast.expr:
        """What a call not in tail position gives: bounces are made here."""
        if not bounces:
            return made
        name, before = self.temporary(), self.temporary()
        bounced = compare(load(name), ast.Is(), load(BOUNCE))
        self.out += [
            CallBegun(before), assign(name, made), when(bounced, [Finished(name, before)]),
        ]  # fmt: skip
        return load(name)

    def watched_call(self, name: str, values: list[ast.expr]) -> ast.expr:
        """A call; in a trace it is told of what a substitution by hand puts where."""
        if not self.unit.tells_of(name, self.key):
            return self.call(name, values)
        kept = [value if atomic(value) else self.held(value) for value in values]
        value, variable, term = (kept[number] for number in self.unit.substituting[name])
        result = self.temporary()
        self.out += [
            assign(result, self.call(name, kept)),
            ValuePut(result, variable, value, term),
        ]
        return load(result)

    def counts_call(self, name: str) -> None:
        if name in self.unit.substituting and name != self.key:
            self.out.append(Counted("substituted"))

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
