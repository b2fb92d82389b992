"""Running residual programs, and the values they give as any run has them."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from fractions import Fraction
from functools import cached_property, partial
from types import CodeType
from typing import Any

import immutables
from msgspec import Struct

from embrix.brix import core as k
from embrix.machine.display import Display
from embrix.machine.exchange import Exchange
from embrix.machine.limits import Limits
from embrix.machine.primitives import primitives
from embrix.machine.residual.knowledge import (
    Frame,
    Knowledge,
    KnownNames,
    KnownValue,
    MadeValue,
    NotResidual,
    RunValue,
)
from embrix.machine.residual.program import Program
from embrix.machine.residual.second_names import without_copies
from embrix.machine.residual.specialiser import Specialiser
from embrix.machine.residual.statements import (
    Again,
    AgainOn,
    Assigned,
    Beforehand,
    Constant,
    Give,
    Origin,
    Residual,
    statements_in,
)
from embrix.machine.residual.tidying import gather_calls, tidied
from embrix.machine.residual.value_kinds import simplified
from embrix.machine.residual.value_layout import ValueLayout
from embrix.machine.residual.writing_python import PythonText, TooNested
from embrix.machine.stack import with_room
from embrix.terms.node import (
    CONS,
    EMPTY_NODE,
    EMPTY_STORE,
    FIELDS,
    FRAME,
    LOCATION,
    MAP,
    SOME,
    STORE,
    TUPLE,
    UNIT_NODE,
    Node,
    Value,
    make_list,
    same,
)
from embrix.terms.numbers import operations
from embrix.terms.types import Con, Tup, Type, replaced_names, settle
from embrix.text.collecting import uncollected

MOST_STATEMENTS = 6_000
"""Statements of a residual program that is looked at."""
DEEP = 20_000
"""Calls of Python inside each other while a program is specialised."""


class HandedBack(Exception):
    """The run goes on in the interpreter, from the beginning."""


class Bounce(tuple[Any, ...]):
    """A call that is left to be made: what is called, and with what."""

    __slots__ = ()


HOLE: Any = object()
"""What a reserved location holds."""


class Ran(Struct, frozen=True):
    """What a run gives, what comes beside it, where something does, and the calls that it made.
    Putting together what is beside may raise `HandedBack`."""

    value: Value
    beside: Callable[[], Sequence[Value]] | None
    spent: int


class Surroundings(Exchange):
    """What a run has around it: what it reads and writes, and how much it may use."""

    def __init__(
        self, limits: Limits, display: Display, given_input: Sequence[str],
        given: Sequence[Value] = (),
    ) -> None:  # fmt: skip
        """`given` is what the names supplied by hand stand for."""
        self.limits = limits
        self.given = given
        self._display = display
        self.open_exchange(given_input)
        self.space: dict[str, Any] = {}
        self._stopped = False

    def begin(self, space: dict[str, Any]) -> None:
        """A run begins whose variables are these."""
        self.space = space
        if self._stopped:
            space["fuel"] = -1

    def stop(self) -> None:
        """End the run from another thread."""
        self._stopped = True
        self.space["fuel"] = -1

    def text(self, parts: Sequence[Value], spend: Callable[[int], None]) -> str:
        most = self.limits.text
        shown = [one if isinstance(one, str) else self._display.show(one, most) for one in parts]
        return self.joined(shown, spend)


class ResidualProgram:
    """A program that an interpreter has been specialised to, ready to run."""

    def __init__(self, program: Program, main: Residual) -> None:
        tidied(program)
        simplified(program)
        without_copies(program)
        tidied(program)
        for one in program.residuals.values():
            gather_calls(one.body)
        self.program = program
        self.main = main
        self.python = PythonText(program)
        try:
            self.text = self.python.text()
        except TooNested:
            raise NotResidual("branches lie too deep inside each other") from None
        self._code = compile(self.text, "<residual>", "exec")

    def prepared(self, run: Surroundings, fuel: int, code: CodeType) -> dict[str, Any]:
        """The functions of the program for one run."""
        space: dict[str, Any] = {
            **self.python.values, "fuel": fuel, "most": fuel, "HandedBack": HandedBack,
            "made": 0, "done": 0, "HOLE": HOLE, "Fraction": Fraction,
            "empty_store": EMPTY_STORE, "len": len, "B": Bounce,
            "int": int, "float": float, "bool": bool, "str": str, "tuple": tuple,
            "isinstance": isinstance, "__builtins__": {},
        }  # fmt: skip

        def spend(calls: int) -> None:
            space["fuel"] -= calls
            if space["fuel"] < 0:
                raise HandedBack

        numbers = self.program.interpreter.language.numbers
        known = primitives(run.limits, spend, numbers, HOLE)
        space |= {f"op_{name}": operation for name, operation in known.items()}
        space["op_equal"] = partial(same, meter=spend)
        space |= operations(numbers, run.limits.number_bits, spend)
        ordinary = _Ordinary(self)

        def text(kinds: Sequence[Type], parts: Sequence[Value]) -> str:
            return run.text([ordinary.value(one, kind)
                             for one, kind in zip(parts, kinds, strict=True)], spend)  # fmt: skip

        def alike(kind: Type, one: Any, other: Any) -> bool:
            if one.__class__ is other.__class__ and one.__class__ in (int, str, bool):
                return bool(one == other)
            left, right = ordinary.value(one, kind), ordinary.value(other, kind)
            return same(left, right, meter=spend)

        space |= {"emit": run.emit, "ask": run.ask, "text": text, "alike": alike}
        exec(code, space)
        layout = self.program.layout
        tags = layout.shaped | {one.tag for one in self.program.shapes.values()}
        kinds = {tag: type(f"T{tag}", (tuple,), {"__slots__": ()}) for tag in tags}
        for tag, kind in kinds.items():
            space[f"T{tag}"] = kind
        for shape in self.program.shapes.values():
            methods = {
                f"m{number}": space[f"f{one.number}"] for number, one in shape.methods.items()
            }
            made = type(f"S{shape.number}", (kinds[shape.tag],),
                        {"__slots__": (), "shape": shape, **methods})  # fmt: skip
            space[f"S{shape.number}"] = made
            space[f"S{shape.number}_0"] = made(())
        return space

    def run(self, run: Surroundings) -> Ran:
        """What the program comes to. Raises `HandedBack`."""
        return self._carried_out(run, self._code)[0]

    def counted(self, run: Surroundings) -> tuple[int, int]:
        """How many calls a run makes, and how many other operations. Raises `HandedBack`."""
        text = PythonText(self.program, counted=True).text()
        _, space = self._carried_out(run, compile(text, "<residual>", "exec"))
        return space["made"], space["done"]

    def _carried_out(self, run: Surroundings, code: CodeType) -> tuple[Ran, dict[str, Any]]:
        space = self.prepared(run, run.limits.calls, code)
        run.begin(space)
        before = sys.getrecursionlimit()
        sys.setrecursionlimit(max(before, run.limits.depth + 1_000))
        try:
            with uncollected():
                return with_room(partial(self._ran, space, run.given)), space
        except Exception:
            raise HandedBack from None
        finally:
            sys.setrecursionlimit(before)

    @cached_property
    def has_store(self) -> bool:
        return any(one.stores for one in self.program.residuals.values())

    def counts(self) -> tuple[int, int, int]:
        """Its functions, the calls of the interpreter that are decided beforehand, and those that
        are left."""
        found = [one for function in self.program.residuals.values()
                 for one in statements_in(function.body)]  # fmt: skip
        decided = sum(isinstance(one, Beforehand) for one in found)
        left = sum(isinstance(one, Again | AgainOn) or (
            isinstance(one, Assigned) and one.operation in ("call", "dispatch", "method")
        ) for one in found)  # fmt: skip
        return len(self.program.residuals), decided, left

    def runs_to_its_end(self, display: Display, limits: Limits | None = None) -> bool:
        """Whether it gives a value itself, without input."""
        try:
            self.run(Surroundings(limits or Limits(), display, ()))
        except HandedBack:
            return False
        return True

    def _ran(self, space: dict[str, Any], given: Sequence[Value]) -> Ran:
        layout = self.program.layout
        args = [laid_out(layout, given[number]) for number in sorted(self.main.used)]
        found = space[f"f{self.main.number}"](*args)
        while found.__class__ is Bounce:
            found = found[0](*found[1:])
        spent = space["most"] - space["fuel"]
        parts = list(found) if self._several else [found]
        ordinary = _Ordinary(self)
        kind = settle(self.program.functions[self.main.function].result)
        if not isinstance(kind, Tup) or not kind.items:
            return Ran(ordinary.result(kind, parts, [0]), None, spent)
        # A large state takes longer to put together than the run took: it is made when it is
        # looked at.
        at = [0]
        value = ordinary.result(kind.items[0], parts, at)

        def beside() -> list[Value]:
            return [ordinary.result(one, parts, at) for one in kind.items[1:]]

        return Ran(value, beside, spent)

    @cached_property
    def _several(self) -> bool:
        gives = [one for one in statements_in(self.main.body) if isinstance(one, Give)]
        return bool(gives) and len(gives[0].values) > 1


def write(program: Program, one: Residual, args: Sequence[Knowledge]) -> None:
    """Write the body of a function."""
    Specialiser(program, one).write(args)


def specialise(
    interpreter: k.Interpreter, term: Node, names: Sequence[str] = (), most: int = MOST_STATEMENTS
) -> ResidualProgram:
    """The residual program of a program under an interpreter; its parameters are the names that are
    supplied by hand, and it has no more than so many statements. Raises `NotResidual`."""
    reasons: list[NotResidual] = []
    for layout in Program.layouts(interpreter):
        try:
            return _specialised(interpreter, term, names, most, layout)
        except NotResidual as reason:
            reasons.append(reason)
    raise reasons[0]


def _specialised(
    interpreter: k.Interpreter, term: Node, names: Sequence[str], most: int, layout: ValueLayout
) -> ResidualProgram:
    program = Program(interpreter, term, write, most, layout)
    params = tuple(f"p{number}" for number in range(len(names)))
    main = Residual(0, interpreter.main, params, origin=Origin())
    main.names |= dict(zip(params, names, strict=True))
    main.state = "open"
    program.residuals["main"] = main
    before = sys.getrecursionlimit()
    sys.setrecursionlimit(max(before, DEEP))
    try:
        Specialiser(program, main).write_main(names)
        while program.pending:
            program.pending.pop()()
        return ResidualProgram(program, main)
    except RecursionError:
        raise NotResidual("the program lies too deep") from None
    finally:
        sys.setrecursionlimit(before)


def laid_out(layout: ValueLayout, value: Value) -> Any:
    """A value as residual programs have it. Raises `HandedBack` for one that holds pieces of a
    program."""
    if not isinstance(value, tuple):
        return value
    if value[0] in layout.bare:
        return value[FIELDS]
    if value[0] in layout.shaped or value[0] not in layout.constructors:
        raise HandedBack
    return (value[0], None, *(laid_out(layout, field) for field in value[FIELDS:]))


class _Ordinary:
    """Values of residual programs as nodes."""

    def __init__(self, whole: ResidualProgram) -> None:
        self.whole = whole
        self.layout = whole.program.layout
        self.linear = whole.python.linear
        self._by_owner: dict[str, dict[str, int]] = {}
        for tag, bare in self.layout.bare.items():
            self._by_owner.setdefault(self.layout.constructors[tag].owner, {})[bare] = tag

    def result(self, kind: Type, parts: list[Any], at: list[int]) -> Value:
        kind = settle(kind)
        if isinstance(kind, Tup) and kind.items:
            return (TUPLE, None, *[self.result(one, parts, at) for one in kind.items])
        if isinstance(kind, Con) and kind.name == "Env":
            _, build, types = self.whole.main.environments[at[0]]
            at[0] += 1
            known = [RunValue(Constant(parts.pop(0)), one) for one in types]
            return self.known(build(iter(known), ()), kind)
        return self.value(parts.pop(0), kind)

    def value(self, value: Any, kind: Type | None) -> Value:
        if kind is None:
            raise HandedBack
        kind = settle(kind)
        if isinstance(kind, Tup):
            if not kind.items:
                return UNIT_NODE
            return (TUPLE, None, *map(self.value, value[FIELDS:], kind.items))
        if not isinstance(kind, Con):
            raise HandedBack
        match kind.name:
            case "Number" | "Int" | "Text" | "Name" | "Bool":
                return value
            case "Loc":
                return (LOCATION, None, value)
            case "List":
                items = []
                while value[0] == CONS:
                    items.append(self.value(value[FIELDS], kind.args[0]))
                    value = value[FIELDS + 1]
                return make_list(items)
            case "Maybe":
                if value[0] != SOME:
                    return value
                return (SOME, None, self.value(value[FIELDS], kind.args[0]))
            case "Store":
                return self._store(value, kind.args[0])
            case "Set":
                return value
            case "Map":
                held = {key: self.value(one, kind.args[1]) for key, one in value[FIELDS].items()}
                return (MAP, None, immutables.Map(held))
        if kind.name in self.layout.sorts:
            return value
        return self._made(value, kind)

    def _store(self, value: Any, item: Type) -> Node:
        pairs = enumerate(value) if self.linear else value[FIELDS].items()
        held = {loc: self.value(one, item) for loc, one in pairs if one is not HOLE}
        size = len(value) if self.linear else value[3]
        return (STORE, None, immutables.Map(held), size)

    def _made(self, value: Any, kind: Con) -> Value:
        shape = getattr(value, "shape", None)
        if shape is not None:
            build, types = shape.build
            parts = [RunValue(Constant(one), t) for one, (t, _) in zip(value, types, strict=True)]
            fields = build(iter(parts))
            types = self._types(shape.tag, kind)
            made = [self.known(one, t) for one, t in zip(fields, types, strict=True)]
            return (shape.tag, None, *made)
        if value.__class__ is tuple:
            types = self._types(value[0], kind)
            return (value[0], None, *map(self.value, value[FIELDS:], types))
        names = {bool: ("truth",), str: ("text",)}.get(value.__class__, ("number", "whole"))
        own = self._by_owner.get(kind.name, {})
        tag = next((own[name] for name in names if name in own), None)
        if tag is None:
            raise HandedBack
        return (tag, None, value)

    def _types(self, tag: int, kind: Con) -> list[Type]:
        constructor = self.layout.constructors[tag]
        known = dict(zip(constructor.params, kind.args, strict=False))
        return [replaced_names(one, known) for one in constructor.types]

    def known(self, one: Knowledge, kind: Type | None) -> Value:
        match one:
            case KnownValue(value):
                return value
            case RunValue(Constant(value), own):
                return self.value(value, own or kind)
            case MadeValue(tag, fields) if tag == CONS and isinstance(kind, Con):
                rest = self.known(fields[1], kind)
                return (CONS, None, self.known(fields[0], kind.args[0]), rest)
            case MadeValue(tag, fields) if tag in self.layout.shaped and isinstance(kind, Con):
                pairs = zip(fields, self._types(tag, kind), strict=True)
                return (tag, None, *(self.known(field, t) for field, t in pairs))
            case KnownNames(frames, None):
                kind = settle(kind) if kind is not None else None
                item = kind.args[0] if isinstance(kind, Con) and kind.args else None
                made = EMPTY_NODE
                for frame in reversed(frames):
                    if not isinstance(frame, Frame):
                        raise HandedBack
                    made = (FRAME, None, frame.name, self.known(frame.value, item), made)
                return made
        raise HandedBack
