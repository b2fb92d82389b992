"""Compiling checked definitions to Python functions, built as syntax trees.

An interpreter becomes one Python function that takes the fuel and the helpers of a run and holds
all functions of the definition as closures. Counters are its variables, so that a run shares
nothing with any other. Every Python name is a letter and a number.

Three variants come from the same code: `plain` counts nothing but fuel; `counted` counts calls,
lookups and depth; `traced` tells a recorder of each judgement that is entered and left.
"""

from __future__ import annotations

import ast
from collections.abc import Callable
from typing import Any

from msgspec import Struct

from embrix.brix import core as k
from embrix.brix.builtins import BUILT_INS
from embrix.machine.body import Body
from embrix.machine.constructs import FAR
from embrix.machine.counting import COUNTED, counted
from embrix.machine.emitter import BOUNCE
from embrix.machine.events import Translation, unobserved, with_events
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
    located,
    loop,
    row,
    when,
)
from embrix.machine.tracing import traced
from embrix.machine.unit import Unit, Variant, hot
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
    """An interpreter as Python: call `link` with fuel, constants and helpers to get a run."""

    link: Callable[..., dict[str, Any]]
    constants: tuple[Any, ...]
    unit: Unit
    """What it was made of, for parts of a program that are turned into Python while it runs."""

    @property
    def translation(self) -> Translation:
        return TRANSLATIONS[self.unit.variant]


def compile_interpreter(
    interpreter: k.Interpreter, variant: Variant, *, brief: bool = False
) -> Compiled:
    """Compile all functions of an interpreter, its displays and its laws. `brief` code is soon
    there and made no faster while it runs; it serves all ways of deciding choices and all kinds of
    numbers."""
    return _linked(Unit(interpreter, variant, brief=brief))


def _linked(unit: Unit) -> Compiled:
    """All functions of a unit as one Python function."""
    body: list[ast.stmt] = []
    counters = ["fuel"]
    if unit.variant == "counted":
        counters += COUNTED
        counters += [f"n{number}" for number in unit.numbers.values()]
        body += [assign(name, const(0)) for name in counters[1:]]
    most = unit.most_arguments()
    bounce = ["j", "c", *(f"a{number}" for number in range(most))]
    body += [assign(name, const(None)) for name in bounce]
    counters += bounce
    body += [run_bounces(most), walk_far(unit.variant == "counted")]
    written: list[ast.stmt] = []
    for name, target in unit.functions.items():
        written += Body(unit, target, counters).definition(f"f{unit.numbers[name]}")
    body += with_events(written, TRANSLATIONS[unit.variant])
    stop: list[ast.stmt] = [ast.Nonlocal(["fuel"]), assign("fuel", const(-1))]
    body.append(function("stop", [], stop))
    spend: list[ast.stmt] = [
        ast.Nonlocal(["fuel"]),
        ast.AugAssign(ast.Name("fuel", ast.Store()), ast.Sub(), load("x")),
        when(compare(load("fuel"), ast.Lt(), const(0)), [do(call("exhausted"))]),
    ]
    body.append(function("spend", ["x"], spend))
    reset: list[ast.stmt] = [ast.Nonlocal(["fuel", *bounce]), assign("fuel", load("x"))]
    body.append(function("reset", ["x"], [*reset, *(assign(one, const(None)) for one in bounce)]))
    unit.counters = counters
    counters = counters[: len(counters) - len(bounce)]
    table = ast.Dict([const(name) for name in counters], [load(name) for name in counters])
    body.append(function("counts", [], [ast.Return(table)]))
    exports = {name: f"f{number}" for name, number in unit.numbers.items()}
    exports |= {f" {name}": name for name in ("stop", "counts", "spend", "reset")}
    exports |= {" bounce": BOUNCE, " run": "w"}
    params = ["fuel", *(f"k{n}" for n in range(len(unit.constants))), *HELPERS]
    params += [hot(unit.numbers[name]) for name in unit.staged]
    if unit.staged:
        # Its closure is how the variables of a run are reached from code made later.
        finals = [f"final_{exports[name]}" for name in exports if name in unit.relations]
        names = dict.fromkeys([*params, *unit.counters, *exports.values(), FAR, *finals])
        body.append(function("v", [], [ast.Return(row(*map(load, names)))]))
        exports[" variables"] = "v"
    table = ast.Dict([const(name) for name in exports], [load(v) for v in exports.values()])
    body.append(ast.Return(table))
    module = ast.Module([function("link", params, body)], [])
    code = compile(located(module), "<definition>", "exec")
    space: dict[str, Any] = {"__builtins__": {}}
    exec(code, space)
    return Compiled(space["link"], tuple(unit.constants), unit)


TRANSLATIONS: dict[Variant, Translation] = {
    "plain": unobserved,
    "counted": counted,
    "traced": traced,
}
"""What the events of the intermediate form become in each variant."""


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
