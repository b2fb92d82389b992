"""Residual programs as Python."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any

from embrix.machine.residual.bounces import (
    bouncing,
    calls_function,
    followed,
    is_end,
    may_bounce,
)
from embrix.machine.residual.linearity import is_linear
from embrix.machine.residual.operations import ARITHMETIC
from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import (
    Again,
    AgainOn,
    Assigned,
    Atom,
    Constant,
    Field,
    Fork,
    Give,
    HandBack,
    Residual,
    ResidualTest,
    Spend,
    Statement,
    ValueShape,
    atoms_of,
    statements_in,
    without_notes,
)
from embrix.machine.residual.tidying import handed, passed
from embrix.terms.node import FIELDS, FIRST_FREE_TAG, STORE
from embrix.terms.numbers import SMALL

_SIGNS = {"add": "+", "subtract": "-", "multiply": "*", "less": "<", "at_most": "<=", "more": ">",
          "at_least": ">=", "equal_plain": "=="}  # fmt: skip
_COMPARED = ("less", "at_most", "more", "at_least", "equal_plain")
MOST_NESTED = 90
"""Blocks inside each other that Python reads."""


class TooNested(Exception):
    """Python does not read so many blocks inside each other."""


class PythonText:
    """The text of all functions, and the values that it names."""

    def __init__(self, program: Program, *, counted: bool = False) -> None:
        """`counted`: whether it counts calls (`made`) and other operations (`done`)."""
        self.program = program
        self.counted = counted
        self.floats = program.interpreter.language.numbers == "float"
        self.whole = program.interpreter.language.numbers == "integer"
        self.linear = is_linear(program)
        self.bouncing = bouncing(program)
        self.reserves = any(
            isinstance(one, Assigned) and one.operation == "reserve"
            for function in program.residuals.values() for one in statements_in(function.body)
        )  # fmt: skip
        self.values: dict[str, Any] = {}
        self._names: dict[int, str] = {}

    def text(self) -> str:
        parts = [_Function(self, one).text() for one in self.program.residuals.values()]
        return "\n".join(parts)

    def constant(self, value: Any) -> str:
        if value is None or isinstance(value, bool | str) or (
            isinstance(value, int) and -SMALL < value < SMALL
        ):  # fmt: skip
            return repr(value)
        known = self._names.get(id(value))
        if known is None:
            known = self._names[id(value)] = f"k{len(self.values)}"
            self.values[known] = value
        return known

    def shape(self, one: ValueShape) -> str:
        return f"S{one.number}"

    def tag_test(self, of: str, tag: int) -> str:
        layout = self.program.layout
        bare = layout.bare.get(tag)
        if bare == "whole":
            return f"{of}.__class__ is int"
        if bare == "number":
            if self.floats:
                return f"{of}.__class__ is float"
            one = f"{of}.__class__ is int"
            return one if self.whole else f"({one} or {of}.__class__ is Fraction)"
        if bare is not None:
            return f"{of}.__class__ is {'bool' if bare == 'truth' else 'str'}"
        if tag in layout.shaped:
            return f"isinstance({of}, T{tag})"
        if tag < FIRST_FREE_TAG:
            return f"{of}[0] == {tag}"
        owner = layout.constructors[tag].owner
        beside = [one.tag for one in layout.constructors.values() if one.owner == owner]
        if any(one in layout.bare or one in layout.shaped for one in beside):
            return f"({of}.__class__ is tuple and {of}[0] == {tag})"
        return f"{of}[0] == {tag}"


class _Function:
    def __init__(self, whole: PythonText, function: Residual) -> None:
        self.whole, self.function = whole, function
        self.lines: list[str] = []
        self.body = without_notes(function.body)
        self.held: tuple[str, str] | None = None
        """A variable that is used once, in the statement that follows, and what it is."""
        self.uses: Counter[str] = Counter()
        for one in statements_in(self.body):
            for atom in atoms_of(one):
                while isinstance(atom, Field):
                    atom = atom.of
                if isinstance(atom, str):
                    self.uses[atom] += 1
        self.loops = any(isinstance(one, Again | AgainOn) for one in statements_in(self.body))

    def text(self) -> str:
        one = self.function
        self.lines.append(f"def f{one.number}({', '.join(self.params)}):")
        self.lines.append("  global fuel, made, done")
        depth = 1
        if self.loops:
            self.lines.append("  while True:")
            depth = 2
        for number in range(one.own):
            if number in one.used:
                self.line(depth, f"{one.params[number]} = self[{number}]")
        self.block(self.body, depth)
        return "\n".join(self.lines)

    @property
    def params(self) -> list[str]:
        """What is handed to it: to a method, all that any method needs that does the same."""
        one = self.function
        if one.method_of is None:
            return [name for number, name in enumerate(one.params) if number in one.used]
        needed = sorted(handed(self.whole.program, one.method_of))
        return ["self", *(one.params[one.own + number] for number in needed)]

    # ---------------------------------------------------------------- statements

    def line(self, depth: int, text: str) -> None:
        self.lines.append("  " * depth + text)

    def settle(self, depth: int) -> None:
        if self.held is not None:
            name, text = self.held
            self.held = None
            self.line(depth, f"{name} = {text}")

    def block(self, statements: Sequence[Statement], depth: int) -> None:
        if depth > MOST_NESTED:
            raise TooNested
        if not statements:
            self.line(depth, "pass")
        self.statements(statements, depth)
        self.settle(depth)

    def statements(self, statements: Sequence[Statement], depth: int) -> None:
        for one, after in followed(statements):
            if isinstance(one, Assigned) and is_end(one, after) and (
                calls_function(one) or may_bounce(one, self.whole.bouncing)
            ):  # fmt: skip
                self.end(one, depth)
                return
            self.statement(one, depth)

    def end(self, one: Assigned, depth: int) -> None:
        """Give what a call gives; a function of the notation is left to be called by the caller."""
        self.settle(depth)
        if self.whole.counted:
            self.line(depth, "made += 1")
        function, args = self.called(one, self.handed(one))
        if calls_function(one):
            self.line(depth, f"return B(({', '.join([function, *args])},))")
        else:
            self.line(depth, f"return {function}({', '.join(args)})")

    def handed(self, one: Assigned) -> list[str]:
        """What an operation needs. What is held back is written here, so this is asked once."""
        return [self.atom(one.args[at]) for at in passed(self.whole.program, one)]

    def called(self, one: Assigned, args: list[str]) -> tuple[str, list[str]]:
        """What is called, and with what."""
        match one.operation:
            case "call":
                return f"f{one.about.number}", args
            case "dispatch":
                return f"{args[0]}.m{one.about.number}", args[1:]
        return f"f{one.about.method.number}", args

    def call(self, one: Assigned, handed: list[str], depth: int) -> None:
        """A call, with those that it leaves to be made."""
        function, args = self.called(one, handed)
        target, text = ", ".join(one.names), f"{function}({', '.join(args)})"
        if not may_bounce(one, self.whole.bouncing):
            self.line(depth, f"{target} = {text}")
            return
        found = one.names[0] if len(one.names) == 1 else "found"
        self.line(depth, f"{found} = {text}")
        self.line(depth, f"while {found}.__class__ is B: {found} = {found}[0](*{found}[1:])")
        if len(one.names) != 1:
            self.line(depth, f"{target} = {found}")

    def statement(self, one: Statement, depth: int) -> None:
        if self.held is not None and not self._takes(one):
            self.settle(depth)
        match one:
            case Assigned():
                self.let(one, depth)
            case Fork(conditions, yes, no):
                test = " and ".join(self.condition(c) for c in conditions)
                if not yes:
                    self.line(depth, f"if not ({test}):")
                    self.block(no, depth + 1)
                    return
                self.line(depth, f"if {test}:")
                self.block(yes, depth + 1)
                if not no:
                    return
                if _ends(yes):
                    self.statements(no, depth)
                    return
                self.line(depth, "else:")
                self.block(no, depth + 1)
            case Give(values):
                self.line(depth, f"return {', '.join(map(self.atom, values))}")
            case Again(values):
                self.again([
                    (name, self.atom(value)) for n, (name, value) in
                    enumerate(zip(self.function.params, values, strict=True))
                    if n in self.function.used
                ], depth)  # fmt: skip
            case AgainOn(of, values):
                own, method_of = self.function.own, self.function.method_of
                assert method_of is not None
                self.again([("self", self.atom(of)), *(
                    (self.function.params[own + number], self.atom(values[number]))
                    for number in sorted(handed(self.whole.program, method_of))
                )], depth)  # fmt: skip
            case HandBack():
                self.line(depth, "raise HandedBack")
            case Spend(calls):
                self.line(depth, f"fuel -= {calls}")
                self.line(depth, "if fuel < 0: raise HandedBack")

    def again(self, pairs: Sequence[tuple[str, str]], depth: int) -> None:
        """The next round, with other values of some variables."""
        if self.whole.counted:
            self.line(depth, "made += 1")
        changed = [(name, text) for name, text in pairs if name != text]
        if changed:
            names = ", ".join(name for name, _ in changed)
            self.line(depth, f"{names} = {', '.join(text for _, text in changed)}")
        self.line(depth, "continue")

    def _takes(self, one: Statement) -> bool:
        """Whether the variable that is held back is used in this statement itself."""
        assert self.held is not None
        return any(atom == self.held[0] for atom in atoms_of(one))

    def condition(self, one: ResidualTest) -> str:
        of = self.atom(one.of)
        if one.test == "true":
            return of
        if one.test == "there":
            return f"{of} is not HOLE"
        if one.test == "equals":
            if isinstance(one.about, bool):
                return f"{of} is {one.about}"
            return f"{of} == {self.whole.constant(one.about)}"
        if one.test == "among":
            tests = [self.whole.tag_test(of, tag) for tag in sorted(one.about)]
            return f"({' or '.join(tests)})"
        return self.whole.tag_test(of, one.about)

    def atom(self, one: Atom) -> str:
        if isinstance(one, str):
            if self.held is not None and self.held[0] == one:
                text = self.held[1]
                self.held = None
                return f"({text})"
            return one
        if isinstance(one, Constant):
            return self.whole.constant(one.value)
        return f"{self.atom(one.of)}[{one.number + FIELDS}]"

    def let(self, one: Assigned, depth: int) -> None:
        if self.whole.counted and one.operation != "copy":
            called = one.operation in ("call", "dispatch", "method")
            self.line(depth, "made += 1" if called else "done += 1")
        args = self.handed(one)
        target = ", ".join(one.names)
        match one.operation:
            case "primitive":
                self.primitive(one, args, depth)
            case "copy":
                self.line(depth, f"{target} = {args[0]}")
            case "field":
                self.line(depth, f"{target} = {args[0]}[{one.about + FIELDS}]")
            case "node":
                self.line(depth, f"{target} = ({', '.join([str(one.about), 'None', *args])},)")
            case "shape":
                shape = self.whole.shape(one.about)
                made = f"{shape}(({', '.join(args)},))" if args else f"{shape}_0"
                self.line(depth, f"{target} = {made}")
            case "call" | "dispatch" | "method":
                self.call(one, args, depth)
            case "emit":
                self.line(depth, f"emit({args[0]})")
            case "ask":
                self.line(depth, f"{target} = ask()")
            case "alike":
                kind = self.whole.constant(one.about)
                self.line(depth, f"{target} = alike({kind}, {args[0]}, {args[1]})")
            case "text":
                kinds = self.whole.constant(one.about)
                self.line(depth, f"{target} = text({kinds}, ({', '.join(args)},))")
            case _:
                self.store(one, args, depth)

    def primitive(self, one: Assigned, args: list[str], depth: int) -> None:
        name, operation = one.names[0], one.about
        if operation in _COMPARED:
            text = f"{args[0]} {_SIGNS[operation]} {args[1]}"
            if self.uses[name] == 1:
                self.held = (name, text)
                return
            self.line(depth, f"{name} = {text}")
        elif operation == "negate":
            self.line(depth, f"{name} = -{args[0]}")
        elif operation in _SIGNS:
            self.line(depth, f"{name} = {args[0]} {_SIGNS[operation]} {args[1]}")
            if not one.floats:
                again = f"{name} = {operation}({args[0]}, {args[1]})"
                other = "" if one.whole else f"{name}.__class__ is not int or "
                if self.whole.floats and not one.whole:
                    other = f"{name}.__class__ is int and "
                small = f"-{SMALL} < {name} < {SMALL}"
                self.line(depth, f"if {other}not {small}: {again}")
        elif operation in ARITHMETIC:
            self.line(depth, f"{name} = {operation}({', '.join(args)})")
        else:
            self.line(depth, f"{name} = op_{operation}({', '.join(args)})")

    def store(self, one: Assigned, args: list[str], depth: int) -> None:
        names = one.names
        linear = self.whole.linear
        match one.operation:
            case "store":
                self.line(depth, f"{names[0]} = {'[]' if linear else 'empty_store'}")
            case "fetch":
                found = f"{args[0]}[{args[1]}]" if linear else f"{args[0]}[2].get({args[1]}, HOLE)"
                self.line(depth, f"{names[0]} = {found}")
                if self.whole.reserves or not linear:
                    self.line(depth, f"if {names[0]} is HOLE: raise HandedBack")
            case "alloc" | "reserve":
                value = args[1] if one.operation == "alloc" else "HOLE"
                if linear:
                    self.line(depth, f"{names[0]} = len({args[0]})")
                    self.line(depth, f"{args[0]}.append({value})")
                    self.line(depth, f"{names[1]} = {args[0]}")
                    return
                held = f"{args[0]}[2]"
                if one.operation == "alloc":
                    held += f".set({names[0]}, {value})"
                self.line(depth, f"{names[0]} = {args[0]}[3]")
                self.line(depth, f"{names[1]} = ({STORE}, None, {held}, {names[0]} + 1)")
            case "store_with":
                if linear:
                    self.line(depth, f"{args[0]}[{args[1]}] = {args[2]}")
                    self.line(depth, f"{names[0]} = {args[0]}")
                    return
                held = f"{args[0]}[2].set({args[1]}, {args[2]})"
                self.line(depth, f"{names[0]} = ({STORE}, None, {held}, {args[0]}[3])")
            case other:
                raise AssertionError(other)


def _ends(statements: Sequence[Statement]) -> bool:
    """Whether the end of the statements is never reached."""
    if not statements:
        return False
    match statements[-1]:
        case Give() | Again() | AgainOn() | HandBack():
            return True
        case Fork(_, yes, no):
            return _ends(yes) and _ends(no)
    return False
