"""Compiling checked definitions to Python functions, built as syntax trees.

An interpreter becomes one Python function that takes the fuel and the helpers of a run and holds
all functions of the definition as closures. Counters are its variables, so that a run shares
nothing with any other. Every Python name is a letter and a number.

Three variants come from the same code: `plain` counts nothing but fuel; `counted` counts calls,
lookups and depth; `traced` tells a recorder of each judgement that is entered and left.

A call in tail position to the function itself becomes a jump, except where it is traced.
"""

from __future__ import annotations

import ast
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, TypeAlias

from embrix.brix import core as k
from embrix.brix.builtins import BUILT_INS
from embrix.machine.matching import Matching
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
    loop,
    negation,
    row,
    when,
)
from embrix.terms.node import CONS, EMPTY_NODE, FIELDS, FRAME, NIL_NODE, NONE_NODE, SOME, TUPLE
from embrix.terms.types import Con, settle

Variant: TypeAlias = Literal["plain", "counted", "traced"]

HELPERS = (
    "exhausted", "fail", "stuck", "absent", "unfinished", "add", "subtract", "multiply", "negate",
    "divide", "floor_divide", "modulo", "equal", "free", "substitute", "alike", "fresh", "emit",
    "text", "extend_all", "enter", "leave", "clause_of", *BUILT_INS,
)  # fmt: skip
"""What a run supplies. `enter`, `leave` and `clause_of` are called by traced code only."""

_COMPARE: dict[str, type[ast.cmpop]] = {
    "less": ast.Lt, "at_most": ast.LtE, "more": ast.Gt, "at_least": ast.GtE, "equal_plain": ast.Eq,
}  # fmt: skip
_PLACED = ("divide", "floor_divide", "modulo")


@dataclass(frozen=True, slots=True, eq=False)
class Compiled:
    """An interpreter as Python: call `link` with fuel, constants and helpers to get a run."""

    link: Callable[..., dict[str, Any]]
    constants: tuple[Any, ...]


def compile_interpreter(interpreter: k.Interpreter, variant: Variant) -> Compiled:
    """Compile all functions of an interpreter, its displays and its laws."""
    return _Unit(interpreter, variant).compile()


class _Unit:
    def __init__(self, interpreter: k.Interpreter, variant: Variant) -> None:
        self.interpreter = interpreter
        self.variant = variant
        self.constants: list[Any] = [EMPTY_NODE, NIL_NODE, NONE_NODE]
        self.functions = dict(interpreter.functions)
        for tag, shown in interpreter.shown.items():
            self.functions[f"shown {tag}"] = shown
        for number, law in enumerate(interpreter.laws):
            self.functions[f"law {number}"] = law.function
        self.numbers = {name: number for number, name in enumerate(self.functions)}

    def constant(self, value: Any) -> ast.expr:
        """A Python constant, or a name for what cannot be written as one."""
        if isinstance(value, int | float | str | bool) or value is None:
            return const(value)
        for number, known in enumerate(self.constants):
            if known is value:
                return load(f"k{number}")
        self.constants.append(value)
        return load(f"k{len(self.constants) - 1}")

    def traces(self, target: k.Function) -> bool:
        return self.variant == "traced" and is_judgement(target)

    def compile(self) -> Compiled:
        body: list[ast.stmt] = []
        counters = ["fuel"]
        if self.variant == "counted":
            counters += ["lookups", "hops", "depth", "deepest", "rounds"]
            counters += [f"n{number}" for number in self.numbers.values()]
            body += [assign(name, const(0)) for name in counters[1:]]
        for name, target in self.functions.items():
            body += _Body(self, target, counters).definition(f"f{self.numbers[name]}")
        stop: list[ast.stmt] = [ast.Nonlocal(["fuel"]), assign("fuel", const(-1))]
        body.append(function("stop", [], stop))
        spend: list[ast.stmt] = [
            ast.Nonlocal(["fuel"]),
            ast.AugAssign(ast.Name("fuel", ast.Store()), ast.Sub(), load("x")),
            when(compare(load("fuel"), ast.Lt(), const(0)), [do(call("exhausted"))]),
        ]
        body.append(function("spend", ["x"], spend))
        table = ast.Dict([const(name) for name in counters], [load(name) for name in counters])
        body.append(function("counts", [], [ast.Return(table)]))
        exports = {name: f"f{number}" for name, number in self.numbers.items()}
        keys = [const(name) for name in (*exports, " stop", " counts", " spend")]
        values = [load(name) for name in (*exports.values(), "stop", "counts", "spend")]
        body.append(ast.Return(ast.Dict(list(keys), values)))
        params = ["fuel", *(f"k{n}" for n in range(len(self.constants))), *HELPERS]
        module = ast.Module([function("link", params, body)], [])
        code = compile(ast.fix_missing_locations(module), "<definition>", "exec")
        space: dict[str, Any] = {"__builtins__": {}}
        exec(code, space)
        return Compiled(space["link"], tuple(self.constants))


def is_judgement(target: k.Function) -> bool:
    """Judgements make the trace: functions declared as one, and small-step relations."""
    return target.judgement is not None or bool(target.finals)


class _Body:
    """One function. Statements go to `out`; expressions are returned."""

    def __init__(self, unit: _Unit, target: k.Function, counters: list[str]) -> None:
        self.unit = unit
        self.target = target
        self.counters = counters
        self.out: list[ast.stmt] = []
        self.temporaries = 0
        self.traced = unit.traces(target)
        self.counted = unit.variant == "counted"
        self.loops = False
        subject = target.subject
        self.here = f"s{target.slots[subject]}" if subject is not None else "here"

    # ---------------------------------------------------------------- the function itself

    def definition(self, name: str) -> list[ast.stmt]:
        target = self.target
        params = [f"s{slot}" for slot in target.slots]
        if target.subject is None:
            params.append("here")
        if target.body is not None:
            self.into(target.body, None)
        else:
            subjects = [load(f"s{target.slots[n]}") for n in target.subjects]
            Matching(self).clauses(subjects, target.clauses, None)
            self.out.append(self.stuck_at(subjects))
        inner: list[ast.stmt] = [
            add_to("fuel", -1),
            when(compare(load("fuel"), ast.Lt(), const(0)), [do(call("exhausted"))]),
        ]
        if self.counted:
            inner.append(add_to(f"n{self.unit.numbers[self.key]}", 1))
        inner += self.out
        begin: list[ast.stmt] = [ast.Nonlocal(list(self.counters))]
        if self.counted:
            deeper = compare(load("depth"), ast.Gt(), load("deepest"))
            begin += [add_to("depth", 1), when(deeper, [assign("deepest", load("depth"))])]
        if self.traced:
            number = const(self.unit.numbers[self.key])
            args = row(*(load(param) for param in params[: len(target.slots)]))
            begin.append(assign("i", call("enter", number, args)))
        if self.loops:
            inner = [loop(const(True), inner)]
        result = [function(name, params, begin + inner)]
        if target.finals:
            result.append(self.final_test(name))
        return result

    @property
    def key(self) -> str:
        return next(name for name, f in self.unit.functions.items() if f is self.target)

    def final_test(self, name: str) -> ast.stmt:
        """The function that says whether a subject of this relation is final."""
        self.out = []
        for pattern in self.target.finals:
            clause = k.CoreClause((pattern,), None, k.Const(True), self.target.span)
            Matching(self, bare=True).clauses([load("x")], (clause,), None)
        return function(f"final_{name}", ["x"], [*self.out, ast.Return(const(False))])

    def stuck_at(self, subjects: list[ast.expr]) -> ast.stmt:
        name = self.unit.constant(self.target.name)
        return do(call("stuck", name, row(*subjects), load(self.here)))

    def temporary(self) -> str:
        self.temporaries += 1
        return f"t{self.temporaries}"

    # ---------------------------------------------------------------- destinations

    def give(self, value: ast.expr, target: str | None, *, bare: bool = False) -> None:
        """Hand a value to a variable, or return it."""
        if target is not None:
            self.out.append(assign(target, value))
            return
        if self.traced and not bare:
            value = call("leave", load("i"), value)
        elif self.counted and not bare:
            if not atomic(value):
                self.out.append(assign("r", value))
                value = load("r")
            self.out.append(add_to("depth", -1))
        self.out.append(ast.Return(value))

    def into(self, node: k.Core, target: str | None) -> None:
        """Evaluate an expression and hand its value to a variable, or return it."""
        match node:
            case k.Test(test, yes, no):
                condition = self.value(test)
                self.out.append(when(condition, self.inside(yes, target), self.inside(no, target)))
            case k.Match():
                self.match(node, target)
            case k.Emit(text, then):
                self.out.append(do(call("emit", self.value(text))))
                self.into(then, target)
            case k.Call(name, args) if self.jumps(name, target):
                self.jump(args)
            case _:
                self.give(self.value(node), target)

    def inside(self, node: k.Core, target: str | None) -> list[ast.stmt]:
        """The statements of an expression evaluated in a branch."""
        outer, self.out = self.out, []
        self.into(node, target)
        inner, self.out = self.out, outer
        return inner

    def jumps(self, name: str, target: str | None) -> bool:
        same = self.unit.functions[name] is self.target
        return same and target is None and not self.traced

    def jump(self, args: tuple[k.Core, ...]) -> None:
        """A tail call of the function to itself."""
        self.loops = True
        values = self.operands(args)
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
        self.out.append(ast.Continue())

    def match(self, node: k.Match, target: str | None) -> None:
        subjects: list[ast.expr] = []
        for slot, value in zip(node.slots, self.operands(node.subjects), strict=True):
            if isinstance(value, ast.Name) and not value.id.startswith("t"):
                subjects.append(value)
            else:
                self.out.append(assign(f"s{slot}", value))
                subjects.append(load(f"s{slot}"))
        matching = Matching(self)
        if matching.irrefutable(node.clauses[0]):
            matching.clauses(subjects, node.clauses[:1], target)
            return
        if target is None:
            matching.clauses(subjects, node.clauses, target)
            if not matching.irrefutable(node.clauses[-1]):
                self.out.append(self.stuck_at(subjects))
            return
        done = self.temporary()
        self.out.append(assign(done, const(False)))
        for clause in node.clauses:
            outer, self.out = self.out, []
            matching.clauses(subjects, (clause,), target, done)
            inner, self.out = self.out, outer
            self.out.append(when(negation(load(done)), inner))
        self.out.append(when(negation(load(done)), [self.stuck_at(subjects)]))

    # ---------------------------------------------------------------- expressions

    def operands(self, nodes: tuple[k.Core, ...]) -> list[ast.expr]:
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

    def value(self, node: k.Core) -> ast.expr:
        """A Python expression for an expression; statements it needs go before."""
        match node:
            case k.Const(value):
                return self.unit.constant(value)
            case k.Local(slot):
                return load(f"s{slot}")
            case k.Build(constructor, args):
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
                is_set = isinstance(settled, Con) and settled.name == "Set"
                return self.unit.constant(NO_NAMES if is_set else EMPTY_NODE)
            case k.Call(name, args):
                return self.call(name, self.operands(args))
            case k.Primitive(operation, args):
                return self.primitive(operation, self.operands(args))
            case k.Lookup():
                return self.lookup(node)
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
                return self.repeat(node)
            case k.IsFinal(name, inner):
                return call(f"final_f{self.unit.numbers[name]}", self.value(inner))
            case k.Todo(note):
                return call("unfinished", const(note), load(self.here))
            case k.Test(test, yes, no):
                return self.chosen(test, yes, no)
            case k.Match() | k.Emit():
                name = self.temporary()
                self.into(node, name)
                return load(name)

    def chosen(self, test: k.Core, yes: k.Core, no: k.Core) -> ast.expr:
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

    def call(self, name: str, args: list[ast.expr]) -> ast.expr:
        callee = self.unit.functions[name]
        extra = [] if callee.subject is not None else [load(self.here)]
        return call(f"f{self.unit.numbers[name]}", *args, *extra)

    def primitive(self, operation: str, args: list[ast.expr]) -> ast.expr:
        if operation in _COMPARE:
            return compare(args[0], _COMPARE[operation](), args[1])
        if operation in _PLACED:
            args = [*args, load(self.here)]
        return call(operation, *args)

    def lookup(self, node: k.Lookup) -> ast.expr:
        """A walk along the frames, written out in the caller."""
        environment, key = self.operands((node.environment, node.key))
        frame, name = self.temporary(), self.temporary()
        self.out += [assign(frame, environment), assign(name, key)]
        if self.counted:
            self.out.append(add_to("lookups", 1))
        here = load(frame)
        unlike = compare(item(here, FIELDS), ast.NotEq(), load(name))
        empty = self.unit.constant(EMPTY_NODE)
        going = ast.BoolOp(ast.And(), [compare(here, ast.IsNot(), empty), unlike])
        step: list[ast.stmt] = [assign(frame, item(here, FIELDS + 2))]
        if self.counted:
            step.append(add_to("hops", 1))
        self.out.append(loop(going, step))
        found = compare(here, ast.IsNot(), empty)
        if node.instead is None:
            missing: list[ast.stmt] = [do(call("absent", load(name), load(self.here)))]
            self.out.append(when(ast.UnaryOp(ast.Not(), found), missing))
            return item(here, FIELDS + 1)
        result = self.temporary()
        taken: list[ast.stmt] = [assign(result, item(here, FIELDS + 1))]
        self.out.append(when(found, taken, self.inside(node.instead, result)))
        return load(result)

    def repeat(self, node: k.Repeat) -> ast.expr:
        relation = self.unit.functions[node.function]
        number = self.unit.numbers[node.function]
        names = [self.temporary() for _ in node.args]
        for name, value in zip(names, self.operands(node.args), strict=True):
            self.out.append(assign(name, value))
        subject = names[relation.subjects[0]]
        final = call(f"final_f{number}", load(subject))
        step = assign(subject, self.call(node.function, [load(name) for name in names]))
        counting = [add_to("rounds", 1)] if self.counted else []
        self.out.append(loop(negation(final), [*counting, step]))
        return load(subject)


NO_NAMES: frozenset[str] = frozenset()
