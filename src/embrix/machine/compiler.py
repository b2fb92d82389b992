"""Compiling checked definitions to Python functions, built as syntax trees.

Each function of an interpreter becomes a piece of code; what a run needs beside them (counters,
helpers) are variables around it (`linking.py`). Every Python name is a letter and a number.

Three variants come from the same code: `plain` counts nothing but fuel; `counted` counts calls,
lookups and depth; `traced` tells a recorder of each judgement that is entered and left.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from typing import Any

from msgspec import Struct

from embrix.brix import core as k
from embrix.brix.builtins import BUILT_INS
from embrix.machine.body import Body
from embrix.machine.constructs import FAR
from embrix.machine.counting import COUNTED, counted
from embrix.machine.emitter import BOUNCE
from embrix.machine.events import Translation, unobserved
from embrix.machine.kept_code import kept_code
from embrix.machine.known_code import known_code
from embrix.machine.linking import CompiledFunction, Variables, code_of, linked
from embrix.machine.numbering import renumbered
from embrix.machine.pycode import (
    add_to,
    assign,
    call,
    compare,
    const,
    do,
    function,
    item,
    load,
    loop,
    when,
)
from embrix.machine.tracing import traced
from embrix.machine.unit import CONSTANTS, Unit, Variant, hot
from embrix.terms.node import FIELDS

HELPERS = (
    "exhausted", "fail", "stuck", "absent", "unfinished", "add", "subtract", "multiply", "negate",
    "divide", "floor_divide", "modulo", "equal", "free", "substitute", "alike", "fresh", "emit",
    "text", "extend_all", "enter", "leave", "clause_of", "mark", "caught", "tail", "wait",
    "waiting", "settle", "failed", "ask", "take_way", "at_state", "store_at",
    "store_find", "store_with", "map_at", "map_find", "map_with",
    "list_at", "list_find", "kind_of", "whole_kind", "rejoined", "identity", "heat", "put",
    *BUILT_INS,
)  # fmt: skip
"""What a run supplies. `enter` to `clause_of` and `tail` to `settle` are for traced code only."""


class Compiled(Struct, frozen=True, eq=False):
    """An interpreter as Python."""

    functions: tuple[CompiledFunction, ...]
    counters: tuple[str, ...]
    """The variables that count, the fuel first."""
    unit: Unit
    """What it was made of, for parts of a program that are turned into Python while it runs."""

    @property
    def exports(self) -> dict[str, str]:
        """What a run calls, and the variable of each."""
        found = {name: f"f{number}" for name, number in self.unit.numbers.items()}
        found |= {f" {name}": name for name in ("stop", "spend", "reset", "counts")}
        return found | {" bounce": BOUNCE, " run": "w"}

    @property
    def translation(self) -> Translation:
        return TRANSLATIONS[self.unit.variant]

    def link(
        self, fuel: int, helpers: Mapping[str, Any], constant: Callable[[Any], Any]
    ) -> Variables:
        """The variables of a run with so much fuel; `constant` says what a constant is in it."""
        unit = self.unit
        values = dict.fromkeys(unit.counters) | dict.fromkeys(self.counters, 0) | CONSTANTS
        return linked(self.functions, {**values, **helpers, "fuel": fuel}, constant)


def compile_interpreter(
    interpreter: k.Interpreter, variant: Variant, *, brief: bool = False
) -> Compiled:
    """Compile all functions of an interpreter, its displays and its laws. `brief` code is soon
    there and made no faster while it runs; it serves all ways of deciding choices and all kinds of
    numbers."""
    unit = Unit(interpreter, variant, brief=brief)
    counters = ["fuel"]
    if variant == "counted":
        counters += [*COUNTED, *(f"n{number}" for number in unit.numbers.values())]
    most = unit.most_arguments()
    unit.counters = [*counters, *bouncing(most)]
    around = {*unit.counters, *CONSTANTS, *HELPERS, FAR, "w"}
    around.update(f"f{number}" for number in unit.numbers.values())
    around.update(f"final_f{unit.numbers[name]}" for name in unit.relations)
    around.update(hot(unit.numbers[name]) for name in unit.staged)

    def compiled(made: Sequence[ast.FunctionDef]) -> list[CompiledFunction]:
        found = []
        for one in made:
            code = code_of(one, TRANSLATIONS[variant], {*around, *unit.constants})
            own = [name for name in code.co_freevars if name in unit.constants]
            constants = {name: unit.constants[name] for name in own}
            found.append(CompiledFunction(one.name, code, constants))
        return found

    def defined(name: str) -> list[CompiledFunction]:
        if brief:
            unit.functions[name] = renumbered(unit.functions[name])
        return compiled(Body(unit, unit.functions[name]).definition())

    kept = kept_code(unit) if brief else None
    needed: tuple[Variant, tuple[str, ...], int] = variant, tuple(counters), most
    functions = (kept and kept.get(needed)) or list(beside(*needed))
    if kept is not None:
        kept.add(needed, functions)
    for name in unit.functions:
        functions += known_code(unit, name, defined, kept) if brief else defined(name)
    if kept is not None:
        kept.save()
    return Compiled(tuple(functions), tuple(counters), unit)


def bouncing(most: int) -> list[str]:
    """The variables of a call that waits: its function, how many arguments it has, and these."""
    return ["j", "c", *(f"a{number}" for number in range(most))]


@lru_cache(100)
def beside(variant: Variant, counters: tuple[str, ...], most: int) -> tuple[CompiledFunction, ...]:
    """What a run needs beside the functions of a definition, of which none has more arguments.
    Most definitions need the same."""
    bounce = bouncing(most)
    made = [run_bounces(most), walk_far(variant == "counted"), *for_runs(counters, bounce)]
    around = {*counters, *bounce, *CONSTANTS, *HELPERS}
    return tuple(
        CompiledFunction(one.name, code_of(one, TRANSLATIONS[variant], around), {}) for one in made
    )


def for_runs(counters: Sequence[str], bounce: Sequence[str]) -> list[ast.FunctionDef]:
    """The functions by which a run gets at its counters: `stop` ends it from outside, `spend` takes
    fuel, `reset` gives fuel for another run, `counts` tells what has been counted."""
    fuel: ast.stmt = ast.Nonlocal(["fuel"])
    spend: list[ast.stmt] = [
        fuel,
        ast.AugAssign(ast.Name("fuel", ast.Store()), ast.Sub(), load("x")),
        when(compare(load("fuel"), ast.Lt(), const(0)), [do(call("exhausted"))]),
    ]
    reset: list[ast.stmt] = [ast.Nonlocal(["fuel", *bounce]), assign("fuel", load("x"))]
    reset += [assign(one, const(None)) for one in bounce]
    table = ast.Dict([const(name) for name in counters], [load(name) for name in counters])
    return [
        function("stop", [], [fuel, assign("fuel", const(-1))]),
        function("spend", ["x"], spend),
        function("reset", ["x"], reset),
        function("counts", [], [ast.Return(table)]),
    ]


TRANSLATIONS: dict[Variant, Translation] = {
    "plain": unobserved,
    "counted": counted,
    "traced": traced,
}
"""What the events of the intermediate form become in each variant."""


def run_bounces(most: int) -> ast.FunctionDef:
    """The function `w`: makes the calls that are waiting until one gives a result."""
    inner: list[ast.stmt] = []
    for count in reversed(range(most + 1)):
        args = [load(f"a{number}") for number in range(count)]
        made: list[ast.stmt] = [assign("x", call("j", *args))]
        inner = [when(compare(load("c"), ast.Eq(), const(count)), made, inner)]
    done = compare(load("x"), ast.IsNot(), load(BOUNCE))
    return function("w", [], [loop(const(True), [*inner, when(done, [ast.Return(load("x"))])])])


def walk_far(counted: bool) -> ast.FunctionDef:
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
