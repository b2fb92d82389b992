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
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, TypeAlias

from embrix.brix import core as k
from embrix.brix.builtins import BUILT_INS
from embrix.machine.constructs import (
    BOUNCE,
    FAR,
    all_final,
    attempt,
    fetch,
    free_slots,
    knot,
    lookup,
    loop_over,
    repeat,
    spent,
    step_list,
)
from embrix.machine.inlining import (
    DEEPEST,
    Calls,
    bound_slots,
    moved,
    only_decided,
    renumbered,
)
from embrix.machine.matching import LEAVE, Matching
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
    located,
    loop,
    negation,
    row,
    when,
)
from embrix.machine.tails import VALUES, Tails
from embrix.terms.node import (
    CONS,
    EMPTY_MAP,
    EMPTY_NODE,
    EMPTY_STORE,
    FIELDS,
    FRAME,
    NIL_NODE,
    NONE_NODE,
    SOME,
    TUPLE,
)
from embrix.terms.numbers import SMALL
from embrix.terms.types import Con, settle

Variant: TypeAlias = Literal["plain", "counted", "traced"]

Target: TypeAlias = str | tuple[str, ...] | None
"""Where a value goes: to a variable, its components to several, or back to the caller."""

HELPERS = (
    "exhausted", "fail", "stuck", "absent", "unfinished", "add", "subtract", "multiply", "negate",
    "divide", "floor_divide", "modulo", "equal", "free", "substitute", "alike", "fresh", "emit",
    "text", "extend_all", "enter", "leave", "clause_of", "mark", "caught", "tail", "wait",
    "waiting", "settle", "failed", "ask", "store_at", "store_find", "store_with", "map_at",
    "map_find", "map_with",
    "list_at", "list_find", "kind_of", "whole_kind", "rejoined", "identity", "heat", "put",
    *BUILT_INS,
)  # fmt: skip
"""What a run supplies. `enter` to `clause_of` and `tail` to `settle` are for traced code only."""

_COMPARE: dict[str, type[ast.cmpop]] = {
    "less": ast.Lt, "at_most": ast.LtE, "more": ast.Gt, "at_least": ast.GtE, "equal_plain": ast.Eq,
}  # fmt: skip
_QUICK: dict[str, type[ast.operator]] = {
    "add": ast.Add, "subtract": ast.Sub, "multiply": ast.Mult,
}  # fmt: skip
_PLACED = ("divide", "floor_divide", "modulo")
_COUNTED = {
    "alloc": "allocated", "reserve": "allocated", "store_with": "written",
    "substitute": "substituted",
}  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Compiled:
    """An interpreter as Python: call `link` with fuel, constants and helpers to get a run."""

    link: Callable[..., dict[str, Any]]
    constants: tuple[Any, ...]
    unit: Unit
    """What it was made of, for parts of a program that are turned into Python while it runs."""


@dataclass(frozen=True, slots=True, eq=False)
class Undecided:
    """Among the constants: what a choice is decided by when a run begins."""

    choice: str


def compile_interpreter(
    interpreter: k.Interpreter, variant: Variant, *, decided: bool = True
) -> Compiled:
    """Compile all functions of an interpreter, its displays and its laws. What is not `decided`
    serves all ways of deciding its choices (with one kind of numbers); parts of a program are not
    turned into Python then."""
    return Unit(interpreter, variant, decided=decided).compile()


class Unit:
    """An interpreter on its way to Python."""

    def __init__(
        self, interpreter: k.Interpreter, variant: Variant, *, decided: bool = True
    ) -> None:
        self.interpreter = interpreter
        self.variant = variant
        self.undecided = {} if decided else {name: Undecided(name) for name in interpreter.choices}
        self.constants: list[Any] = [EMPTY_NODE, NIL_NODE, NONE_NODE, object()]
        self.functions = dict(interpreter.functions)
        for tag, shown in interpreter.shown.items():
            self.functions[f"shown {tag}"] = shown
        for number, law in enumerate(interpreter.laws):
            self.functions[f"law {number}"] = law.function
        self.functions = {
            name: renumbered(only_decided(one, self.decided) if decided else one)
            for name, one in self.functions.items()
        }
        self.variables: dict[str, tuple[int, ...]] = {}
        self.calls = Calls(self.functions, interpreter.main)
        exact = interpreter.language.numbers != "float"
        self.quick = _QUICK if exact else {}
        """Operations on numbers that are carried out at once where both are small and whole."""
        self.numbers = {name: number for number, name in enumerate(self.functions)}
        self.tails = Tails(self.functions)
        self.substituting = substituters(interpreter)
        self.roles = {c.tag: c.role for c in interpreter.constructors.values() if c.role}
        bodies = [(target.body, target.clauses) for target in self.functions.values()]
        plain = variant != "traced" and decided
        self.staged = stageable(self.functions, self.calls) if plain else ()
        """The functions that go through a term: what they do with one part of a program can be
        turned into Python once it has been done often."""
        self.knots = any(isinstance(part, k.Knot) for part in k.parts_of(tuple(bodies)))

    def constant(self, value: Any) -> ast.expr:
        """A Python constant, or a name for what cannot be written as one."""
        if isinstance(value, int | float | str | bool) or value is None:
            return const(value)
        for number, known in enumerate(self.constants):
            if known is value:
                return load(f"k{number}")
        self.constants.append(value)
        return load(f"k{len(self.constants) - 1}")

    def bounces(self, caller: str, callee: str) -> bool:
        """Whether a tail call is carried out by whoever called first. Traced code lets every call
        bounce that may come back with one: its judgements are left when there is a result."""
        if self.variant == "traced":
            return callee in self.tails.bouncing
        return self.tails.bounces(caller, callee)

    def may_bounce(self, callee: str) -> bool:
        return callee in self.tails.bouncing

    def room(self, name: str, first: int) -> dict[int, int]:
        """Numbers from `first` on for all variables of a function."""
        if name not in self.variables:
            target = self.functions[name]
            bound = bound_slots((target.body, target.clauses))
            self.variables[name] = tuple(dict.fromkeys([*target.slots, *bound]))
        return {slot: first + number for number, slot in enumerate(self.variables[name])}

    def decided(self, choice: str) -> str:
        known = self.interpreter.choices[choice]
        return self.interpreter.decided.get(choice, known.default)

    def traces(self, target: k.Function) -> bool:
        return self.variant == "traced" and is_judgement(target)

    def compile(self) -> Compiled:
        body: list[ast.stmt] = []
        counters = ["fuel"]
        if self.variant == "counted":
            counters += COUNTED
            counters += [f"n{number}" for number in self.numbers.values()]
            body += [assign(name, const(0)) for name in counters[1:]]
        most = self.most_arguments()
        bounce = ["j", "c", *(f"a{number}" for number in range(most))]
        body += [assign(name, const(None)) for name in bounce]
        counters += bounce
        body += [run_bounces(most), walk_far(self.variant == "counted")]
        for name, target in self.functions.items():
            body += Body(self, target, counters).definition(f"f{self.numbers[name]}")
        stop: list[ast.stmt] = [ast.Nonlocal(["fuel"]), assign("fuel", const(-1))]
        body.append(function("stop", [], stop))
        spend: list[ast.stmt] = [
            ast.Nonlocal(["fuel"]),
            ast.AugAssign(ast.Name("fuel", ast.Store()), ast.Sub(), load("x")),
            when(compare(load("fuel"), ast.Lt(), const(0)), [do(call("exhausted"))]),
        ]
        body.append(function("spend", ["x"], spend))
        self.counters = counters
        counters = counters[: len(counters) - len(bounce)]
        table = ast.Dict([const(name) for name in counters], [load(name) for name in counters])
        body.append(function("counts", [], [ast.Return(table)]))
        exports = {name: f"f{number}" for name, number in self.numbers.items()}
        more = {"stop": "stop", "counts": "counts", "spend": "spend", "bounce": BOUNCE, "run": "w"}
        exports |= {f" {name}": variable for name, variable in more.items()}
        params = ["fuel", *(f"k{n}" for n in range(len(self.constants))), *HELPERS]
        params += [hot(self.numbers[name]) for name in self.staged]
        if self.staged:
            # Its closure is how the variables of a run are reached from code made later.
            finals = [f"final_{exports[name]}" for name, f in self.functions.items() if f.finals]
            names = dict.fromkeys([*params, *self.counters, *exports.values(), FAR, *finals])
            body.append(function("v", [], [ast.Return(row(*map(load, names)))]))
            exports[" variables"] = "v"
        table = ast.Dict([const(name) for name in exports], [load(v) for v in exports.values()])
        body.append(ast.Return(table))
        module = ast.Module([function("link", params, body)], [])
        code = compile(located(module), "<definition>", "exec")
        space: dict[str, Any] = {"__builtins__": {}}
        exec(code, space)
        return Compiled(space["link"], tuple(self.constants), self)

    def most_arguments(self) -> int:
        """The greatest number of arguments that a call may have, the place included."""
        counts = [len(target.params) for target in self.functions.values()]
        for target in self.functions.values():
            for part in k.parts_of((target.body, target.clauses)):
                if isinstance(part, k.Lambda):
                    counts.append(len(part.slots))
        return max(counts, default=0) + 1


COUNTED = [
    "lookups", "hops", "depth", "deepest", "rounds", "allocated", "read", "written", "made",
    "forced", "reused", "substituted",
]  # fmt: skip
"""What counted code counts besides the calls of each function."""


def run_bounces(most: int) -> ast.stmt:
    """The function `w`: makes the calls that are waiting until one gives a result."""
    inner: list[ast.stmt] = []
    for count in reversed(range(most + 1)):
        args = [load(f"a{number}") for number in range(count)]
        made: list[ast.stmt] = [assign("x", call("j", *args))]
        inner = [when(compare(load("c"), ast.Eq(), const(count)), made, inner)]
    done = compare(load("x"), ast.IsNot(), load(BOUNCE))
    return function("w", [], [loop(const(True), [*inner, when(done, [ast.Return(load("x"))])])])


def walk_far(counted: bool) -> ast.stmt:
    """The function `h0`: the frame with a name, or the empty environment. It uses fuel as well."""
    unlike = compare(item(load("a"), FIELDS), ast.NotEq(), load("b"))
    going = ast.BoolOp(ast.And(), [compare(load("a"), ast.IsNot(), load("k0")), unlike])
    step: list[ast.stmt] = [assign("a", item(load("a"), FIELDS + 2)), add_to("d", 1)]
    spent = ast.BinOp(load("d"), ast.FloorDiv(), const(HOPS))
    body: list[ast.stmt] = [
        ast.Nonlocal(["fuel", *(["hops"] if counted else [])]),
        assign("d", const(0)),
        loop(going, step),
        ast.AugAssign(ast.Name("fuel", ast.Store()), ast.Sub(), spent),
        when(compare(load("fuel"), ast.Lt(), const(0)), [do(call("exhausted"))]),
    ]
    if counted:
        body.append(ast.AugAssign(ast.Name("hops", ast.Store()), ast.Add(), load("d")))
    return function(FAR, ["a", "b"], [*body, ast.Return(load("a"))])


HOPS = 8
"""Frames that are passed for the fuel of one call."""


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


def stageable(functions: Mapping[str, k.Function], calls: Calls) -> tuple[str, ...]:
    """The functions that choose a clause by one term, or a list of them, and come back."""
    return tuple(
        name
        for name, target in functions.items()
        if target.clauses and len(target.subjects) == 1 and not target.finals
        and name in calls.recursive
    )  # fmt: skip


def hot(number: int) -> str:
    """The variable that finds what a function does with a part of a program, by its identity."""
    return f"y{number}"


def is_judgement(target: k.Function) -> bool:
    """Judgements make the trace: functions declared as one, and small-step relations."""
    return target.judgement is not None or bool(target.finals)


class Body:
    """One function. Statements go to `out`; expressions are returned."""

    def __init__(self, unit: Unit, target: k.Function, counters: list[str]) -> None:
        self.unit = unit
        self.target = target
        self.counters = counters
        self.out: list[ast.stmt] = []
        self.temporaries = 0
        self.traced = unit.traces(target)
        self.counted = unit.variant == "counted"
        self.counts_made = True
        """Whether suspensions that are made here are new."""
        self.loops = False
        subject = target.subject
        self.here = f"s{target.slots[subject]}" if subject is not None else "here"
        self.called = target.name
        """The function whose clauses are at work: a written out one, perhaps."""
        self.inlined = 0
        self.opened: set[int] = set()
        """Variables that hold a field of something that was taken apart, the parts of the own
        subject excepted: a term among them is entered from outside."""
        self.key = next(name for name, f in unit.functions.items() if f is target)
        used = [*target.slots, *bound_slots((target.body, target.clauses, target.finals))]
        self.slots = max(used, default=-1) + 1
        """The first number that no variable has."""

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
        inner: list[ast.stmt] = []
        if self.key in self.unit.calls.recursive:
            # What never comes back to itself is bounded by what calls it.
            inner += spent()
        if self.counted:
            inner.append(add_to(f"n{self.unit.numbers[self.key]}", 1))
        inner += self.out
        begin: list[ast.stmt] = [ast.Nonlocal(list(self.counters))]
        if self.counted:
            begin += self.goes_deeper()
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

    def final_test(self, name: str) -> ast.stmt:
        """The function that says whether a subject of this relation is final."""
        self.out = []
        for pattern in self.target.finals:
            clause = k.CoreClause((pattern,), None, k.Const(True), self.target.span)
            Matching(self, bare=True).clauses([load("x")], (clause,), None)
        return function(f"final_{name}", ["x"], [*self.out, ast.Return(const(False))])

    def stuck_at(self, subjects: Sequence[ast.expr]) -> ast.stmt:
        name = self.unit.constant(self.called)
        return do(call("stuck", name, row(*subjects), load(self.here)))

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
        if self.traced and not bare:
            value = call("leave", load("i"), value)
        elif self.counted and not bare:
            if not atomic(value):
                self.out.append(assign("r", value))
                value = load("r")
            self.out.append(add_to("depth", -1))
        self.out.append(ast.Return(value))

    def into(self, node: k.Core, target: Target) -> None:
        """Evaluate an expression and hand its value to a variable, or return it."""
        match node:
            case k.BuildTuple(items) if isinstance(target, tuple):
                for name, value in zip(target, self.operands(items), strict=True):
                    self.out.append(assign(name, value))
            case k.Call(name, args) if self.writes_out(name, target):
                self.write_out(name, args, target)
            case k.Test(test, yes, no):
                condition = self.value(test)
                self.out.append(when(condition, self.inside(yes, target), self.inside(no, target)))
            case k.Match():
                self.match(node, target)
            case k.Emit(text, then):
                self.out.append(do(call("emit", self.value(text))))
                self.into(then, target)
            case k.Call(name, args) if target is None and self.tells_of(name):
                self.give(self.told(name, self.operands(args)), target)
            case k.Call(name, args) if target is None:
                self.counts_call(name)
                values = self.operands(args)
                if self.enters(name, args):
                    values = self.enter_last(name, values)
                self.call_last(name, values)
            case k.CallValue(callee, args) if target is None and self.unit.bounces(
                self.node, VALUES
            ):
                function_value, *values = self.operands((callee, *args))
                self.bounce(function_value, values)
            case k.CallValue(callee, args) if target is None:
                values = self.operands((callee, *args))
                self.give(ast.Call(self.held(values[0]), values[1:], []), target)
            case k.Knot():
                knot(self, node)
                self.into(node.then, target)
            case k.Attempt():
                self.attempt(node, target)
            case _:
                self.give(self.value(node), target)

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

    def goes_deeper(self) -> list[ast.stmt]:
        deeper = compare(load("depth"), ast.Gt(), load("deepest"))
        return [add_to("depth", 1), when(deeper, [assign("deepest", load("depth"))])]

    def inside(self, node: k.Core, target: Target) -> list[ast.stmt]:
        """The statements of an expression evaluated in a branch."""
        outer, self.out = self.out, []
        self.into(node, target)
        inner, self.out = self.out, outer
        return inner

    def jumps(self, name: str, target: Target) -> bool:
        same = self.unit.functions[name] is self.target
        return same and target is None and not self.traced

    @property
    def node(self) -> str:
        """The node in the graph of tail calls."""
        return self.key

    def held(self, value: ast.expr) -> ast.expr:
        """A value as something that can be called."""
        if isinstance(value, ast.Name):
            return value
        name = self.temporary()
        self.out.append(assign(name, value))
        return load(name)

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
        self.choose(subjects, node.clauses, target)

    def takes_apart(self, node: k.Match, target: Target) -> bool:
        """`let (a, b) = …`: the components go to their names, and no tuple is made."""
        if len(node.subjects) != 1 or len(node.clauses) != 1 or node.clauses[0].guard is not None:
            return False
        subject, pattern = node.subjects[0], node.clauses[0].patterns[0]
        if not isinstance(pattern, k.Shape) or pattern.tag != TUPLE or pattern.wide:
            return False
        made = isinstance(subject, k.BuildTuple)
        if not made and not (isinstance(subject, k.Call) and self.writes_out(subject.function, "")):
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
        self, subjects: Sequence[ast.expr], clauses: tuple[k.CoreClause, ...], target: Target
    ) -> None:
        """The first clause that takes the subjects."""
        matching = Matching(self)
        if matching.irrefutable(clauses[0]):
            matching.clauses(subjects, clauses[:1], target)
            return
        last = matching.irrefutable(clauses[-1])
        if target is None:
            matching.clauses(subjects, clauses, target)
            if not last:
                self.out.append(self.stuck_at(subjects))
            return
        outer, self.out = self.out, []
        matching.clauses(subjects, clauses, target, LEAVE)
        if not last:
            self.out.append(self.stuck_at(subjects))
        inner, self.out = self.out, outer
        self.out.append(loop(const(True), inner))

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
                if self.counted and self.counts_made and constructor.role == "suspended":
                    self.out.append(add_to("made", 1))
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
            case k.Call(name, args) if self.writes_out(name, ""):
                given = self.temporary()
                self.write_out(name, args, given)
                return load(given)
            case k.Call(name, args):
                self.counts_call(name)
                values = self.operands(args)
                if self.enters(name, args):
                    return self.enter(name, values)
                return self.told(name, values)
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
            case k.IsFinal(name, inner, True):
                return all_final(self, name, inner)
            case k.IsFinal(name, inner):
                return call(f"final_f{self.unit.numbers[name]}", self.value(inner))
            case k.Todo(note):
                return call("unfinished", const(note), load(self.here))
            case k.Test(test, yes, no):
                return self.chosen(test, yes, no)
            case k.Match() | k.Emit() | k.Knot() | k.Attempt():
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
        return self.result_of(self.plain_call(name, args), bounces=self.unit.may_bounce(name))

    def plain_call(self, name: str, args: list[ast.expr]) -> ast.expr:
        callee = self.unit.functions[name]
        extra = [] if callee.subject is not None else [load(self.here)]
        return call(f"f{self.unit.numbers[name]}", *args, *extra)

    def primitive(self, operation: str, args: list[ast.expr]) -> ast.expr:
        if operation in _COMPARE:
            return compare(args[0], _COMPARE[operation](), args[1])
        if operation in self.unit.quick:
            return self.quickly(operation, args)
        if operation in _PLACED:
            args = [*args, load(self.here)]
        if self.counted and operation in _COUNTED:
            self.out.append(add_to(_COUNTED[operation], 1))
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

    def closure(self, params: list[str], inner: k.Core, captured: list[int]) -> ast.expr:
        """A function as a value. What it uses of its surroundings is bound when it is made."""
        body = self.nested()
        body.into(inner, None)
        name = self.temporary()
        taken = [self.captured(slot) for slot in captured if f"s{slot}" not in params]
        if self.here not in taken and self.here not in params:
            taken.append(self.here)
        begin: list[ast.stmt] = [
            ast.Nonlocal(list(self.counters)),
            *spent(),
        ]
        if self.counted:
            deeper = compare(load("depth"), ast.Gt(), load("deepest"))
            begin += [add_to("depth", 1), when(deeper, [assign("deepest", load("depth"))])]
        made = function(name, [*params, *taken], [*begin, *body.out])
        assert isinstance(made, ast.FunctionDef)
        made.args.defaults = [load(one) for one in taken]
        self.out.append(made)
        return load(name)

    def attempt(self, node: k.Attempt, target: Target) -> None:
        """A value under protection."""
        attempt(self, node, target)

    def nested(self) -> Body:
        """For the inside of a function that is made here."""
        return _Closure(self)

    def captured(self, slot: int) -> str:
        """The variable of what a function that is made here uses."""
        return f"s{slot}"


class _Closure(Body):
    """The inside of a function that is a value: in the same scope of names, never traced."""

    def __init__(self, outer: Body) -> None:
        super().__init__(outer.unit, outer.target, outer.counters)
        self.traced = False
        self.here = outer.here
        self.called = outer.called
        self.temporaries = outer.temporaries
        self.opened = set(outer.opened)

    @property
    def node(self) -> str:
        return VALUES

    def jumps(self, name: str, target: Target) -> bool:
        return False


EMPTIES: dict[str, Any] = {"Set": frozenset(), "Store": EMPTY_STORE, "Map": EMPTY_MAP}
"""The empty things of each type; an environment is the default."""
