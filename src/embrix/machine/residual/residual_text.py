"""Residual programs to be read: in a notation like that of definitions, with the names of the
program; each line with its place in the program and the clause that it comes from."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

from msgspec import Struct

from embrix.machine.residual.bounces import followed, is_end
from embrix.machine.residual.knowledge import KnownValue
from embrix.machine.residual.residual_run import ResidualProgram
from embrix.machine.residual.statements import (
    Again,
    AgainOn,
    Assigned,
    Atom,
    Beforehand,
    CaughtElsewhere,
    Constant,
    Direct,
    Field,
    Fork,
    Give,
    HandBack,
    Origin,
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
from embrix.terms.node import CONS, MAP, NIL, NONE, SOME, TUPLE, Place
from embrix.terms.numbers import write_number
from embrix.text.source import Span
from embrix.text.visible import cut

_SIGNS = {"add": "+", "subtract": "-", "multiply": "*", "less": "<", "at_most": "<=", "more": ">",
          "at_least": ">=", "equal_plain": "==", "divide": "/", "equal": "=="}  # fmt: skip
_PURE = ("primitive", "alike", "field", "node", "shape", "copy", "text")
_KINDS = {
    "number": "a number",
    "whole": "a whole number",
    "truth": "a truth value",
    "text": "a text",
}
SHORT = 40
"""Characters of a piece of the program in a line."""


class ResidualLine(Struct, frozen=True):
    """A line: how far it is set in, its place in the program, and the clause that it comes from.
    `decided` is a note on what was decided beforehand."""

    text: str
    inset: int
    place: Place | None = None
    clause: Span | None = None
    decided: bool = False


def residual_lines(left: ResidualProgram, text: str) -> list[ResidualLine]:
    """All functions of a residual program, the program itself first; `text` is the program."""
    names = _Names(left, text)
    found: list[ResidualLine] = []
    for one in left.program.residuals.values():
        found += _FunctionText(left, names, one).lines()
        found.append(ResidualLine("", 0))
    return found[:-1]


class _Names:
    """What the functions are called."""

    def __init__(self, left: ResidualProgram, text: str) -> None:
        self.left, self.text = left, text
        self.of: dict[int, str] = {}
        taken: Counter[str] = Counter()
        for one in left.program.residuals.values():
            name = self._name(one)
            taken[name] += 1
            self.of[one.number] = name if taken[name] == 1 else f"{name}_{taken[name]}"

    def _name(self, one: Residual) -> str:
        if one is self.left.main:
            return "program"
        called = self.left.program.called
        for arg in one.about:
            if isinstance(arg, KnownValue) and id(arg.value) in called:
                return called[id(arg.value)]
        return one.function

    def snippet(self, place: Place | None) -> str:
        """A piece of the program in one line."""
        if place is None:
            return ""
        return cut(" ".join(self.text[slice(*place)].split()), SHORT)


class _FunctionText:
    def __init__(self, left: ResidualProgram, names: _Names, one: Residual) -> None:
        self.left, self.names, self.one = left, names, one
        self.program = left.program
        self.hides = left.python.linear
        """Whether there is one store, which need not be named."""
        self.held: dict[str, str] = {}
        """What stands for variables that are used once."""
        self.given: dict[str, str] = {}
        self._taken: set[str] = set()
        self.uses: Counter[str] = Counter()
        for statement in statements_in(one.body):
            for atom in atoms_of(statement):
                while isinstance(atom, Field):
                    atom = atom.of
                if isinstance(atom, str):
                    self.uses[atom] += 1

    def lines(self) -> list[ResidualLine]:
        params = [self.atom(name) for name in self._params() if not self._hidden(name)]
        origin = self._first_origin()
        about = self.names.snippet(origin.place) if self.one is not self.left.main else ""
        head = f"{self.names.of[self.one.number]}({', '.join(params)})"
        note = f"   {self.one.function} of {about}" if about else ""
        return [
            ResidualLine(f"{head}{note}", 0, origin.place),
            *self.block(self.one.body, 1),
        ]

    def _params(self) -> list[str]:
        one = self.one
        if one.method_of is None:
            return [name for number, name in enumerate(one.params) if number in one.used]
        own = [name for number, name in enumerate(one.params[: one.own]) if number in one.used]
        needed = sorted(handed(self.program, one.method_of))
        return [*own, *(one.params[one.own + number] for number in needed)]

    def _first_origin(self) -> Origin:
        """The place of what is decided or done first; where a choice is made inside a value, first
        comes what it looks for there, and the place is that of what it does."""
        found = [one for one in statements_in(self.one.body)
                 if not isinstance(one, Spend) and one.origin.place is not None]  # fmt: skip
        of = self.one.method_of
        if of is not None and of.left is not None:
            found.sort(key=lambda one: isinstance(one, Beforehand))
        return found[0].origin if found else self.one.origin

    def _hidden(self, atom: Atom) -> bool:
        return self.hides and isinstance(atom, str) and atom in self.one.stores

    # ---------------------------------------------------------------- statements

    def block(self, statements: Sequence[Statement], inset: int) -> list[ResidualLine]:
        found: list[ResidualLine] = []
        for one, after in followed(statements):
            if isinstance(one, Assigned) and is_end(one, after):
                line = ResidualLine(self.calling(one), inset, one.origin.place, one.origin.clause)
                return [*found, line]
            found += self.statement(one, inset)
        return found

    def statement(self, one: Statement, inset: int) -> Iterator[ResidualLine]:
        if isinstance(one, Spend):
            return
        place, clause = one.origin.place, one.origin.clause

        def line(text: str, *, decided: bool = False) -> ResidualLine:
            return ResidualLine(text, inset, place, clause, decided)

        match one:
            case Beforehand(function):
                yield line(f"{function} of {self.names.snippet(place)}", decided=True)
            case CaughtElsewhere():
                yield line("# what fails from here on may be caught: in the interpreter")
            case Assigned():
                text = self.let(one)
                if text:
                    yield line(text)
            case Fork(conditions, yes, no) if not without_notes(yes) and _gives_up(no):
                end = self.giving_up(without_notes(no)[0])
                yield line(f"require {self.conditions(conditions)} else {end}")
                yield from self.block(yes, inset)
            case Fork(conditions, yes, no):
                yield line(f"if {self.conditions(conditions)} then")
                yield from self.block(yes, inset + 1)
                if no:
                    yield line("else")
                    yield from self.block(no, inset + 1)
            case Give(values):
                shown = [self.atom(value) for value in values if not self._hidden(value)]
                yield line(", ".join(shown) or "done")
            case Again(values):
                args = [self.atom(value) for number, value in enumerate(values)
                        if number in self.one.used and not self._hidden(value)]  # fmt: skip
                yield line(f"{self.names.of[self.one.number]}({', '.join(args)})   again")
            case AgainOn(of, values):
                assert self.one.method_of is not None
                args = [self.atom(of), *(
                    self.atom(values[number])
                    for number in sorted(handed(self.program, self.one.method_of))
                    if not self._hidden(values[number])
                )]  # fmt: skip
                yield line(f"{self.names.of[self.one.number]} of {', '.join(args)}   again")
            case HandBack():
                yield line(self.giving_up(one))

    def giving_up(self, one: Statement) -> str:
        assert isinstance(one, HandBack)
        kind, _, name = one.reason.partition(" ")
        return f"fail {name}" if kind == "error" else f"stuck: {one.reason}"

    def conditions(self, conditions: Sequence[ResidualTest]) -> str:
        return " and ".join(map(self.condition, conditions))

    def condition(self, one: ResidualTest) -> str:
        of = self.atom(one.of)
        if one.test == "true":
            return of
        if one.test == "there":
            return f"{of} is there"
        if one.test == "equals":
            return f"{of} == {self.atom(Constant(one.about))}"
        tags = [one.about] if one.test == "tag" else sorted(one.about)
        return f"{of} is {' or '.join(map(self.kind, tags))}"

    def kind(self, tag: int) -> str:
        layout = self.program.layout
        if tag in layout.bare:
            return _KINDS[layout.bare[tag]]
        return self.constructor(tag)

    def constructor(self, tag: int) -> str:
        own = {CONS: "[_, .._]", NIL: "[]", NONE: "None", SOME: "Some"}
        known = self.program.layout.constructors.get(tag)
        return own.get(tag) or (known.name if known is not None else str(tag))

    # ---------------------------------------------------------------- operations

    def let(self, one: Assigned) -> str:
        args = [one.args[at] for at in passed(self.program, one)]
        names = [name for name in one.names if not self._hidden(name)]
        shown = [self.atom(arg) for arg in args if not self._hidden(arg)]
        match one.operation, one.about:
            case "store", _ if self.hides:
                return ""
            case "copy", _ if self._hidden(one.names[0]):
                return ""
            case "alloc", _ if self.hides:
                text = f"new location with {shown[0]}"
            case "reserve", _ if self.hides:
                text = "new location"
            case "store_with", _ if self.hides:
                return f"store[{shown[0]}] := {shown[1]}"
            case "fetch", _:
                where = "store" if self.hides else shown.pop(0)
                text = f"{where}[{shown[0]}]"
            case (("call" | "dispatch" | "method"), _):
                text = self.calling(one)
            case "shape", ValueShape() as shape:
                text = self.shape(shape, shown)
            case "primitive", operation:
                text = self.primitive(str(operation), shown)
            case "node", int() as tag:
                text = self.node(tag, shown)
            case "field", number:
                text = f"{shown[0]}.{int(number) + 1}"
            case "copy", _:
                text = shown[0]
            case "emit", _:
                return f"emit {shown[0]}"
            case "text", _:
                text = " ++ ".join(shown) if len(shown) > 1 else f'"{{{shown[0]}}}"'
            case "alike", _:
                text = f"{_operand(shown[0])} == {_operand(shown[1])}"
            case operation, _:
                text = f"{operation}({', '.join(shown)})"
        if one.operation in _PURE and len(one.names) == 1 and self.uses[one.names[0]] == 1 and (
            one.operation != "copy"
        ):  # fmt: skip
            self.held[one.names[0]] = text
            return ""
        if not names:
            return text
        return f"let {', '.join(map(self.atom, names))} = {text}"

    def calling(self, one: Assigned) -> str:
        """A call of a function, or of what a value is made with."""
        args = [one.args[at] for at in passed(self.program, one)]
        shown = [self.atom(arg) for arg in args if not self._hidden(arg)]
        with_ = f" with {', '.join(shown[1:])}" if shown[1:] else ""
        match one.about:
            case Residual(number=number):
                return f"{self.names.of[number]}({', '.join(shown)})"
            case Direct(_, method):
                return f"{self.names.of[method.number]} of {_operand(shown[0])}{with_}"
        return f"run {_operand(shown[0])}{with_}"

    def shape(self, shape: ValueShape, args: Sequence[str]) -> str:
        """A value with its code, and what it holds beside."""
        code = [self.names.of[one.number] for one in shape.methods.values()]
        held = f" with {', '.join(args)}" if args else ""
        if shape.is_function:
            return f"({', '.join(code)}{held})" if held or len(code) != 1 else code[0]
        name = self.constructor(shape.tag)
        return f"{name}({', '.join(code)}{held})"

    def node(self, tag: int, args: Sequence[str]) -> str:
        if tag == TUPLE:
            return f"({', '.join(args)})"
        if tag == CONS:
            item, rest = args
            if rest == "[]":
                return f"[{item}]"
            return f"[{item}, {rest[1:]}" if rest.startswith("[") else f"[{item}, ..{rest}]"
        return f"{self.constructor(tag)}({', '.join(args)})" if args else self.constructor(tag)

    def primitive(self, operation: str, args: Sequence[str]) -> str:
        if operation == "negate":
            return f"-{_operand(args[0])}"
        if operation in _SIGNS:
            return f"{_operand(args[0])} {_SIGNS[operation]} {_operand(args[1])}"
        return f"{operation}({', '.join(args)})"

    def atom(self, one: Atom) -> str:
        if isinstance(one, Field):
            return f"{self.atom(one.of)}.{one.number + 1}"
        if isinstance(one, Constant):
            return self.constant(one)
        if one in self.held:
            return self.held[one]
        if one not in self.given:
            name = wanted = self.one.names.get(one, one if one[0] == "v" else f"a{one[1:]}")
            number = 1
            while name in self._taken:
                number += 1
                name = f"{wanted}_{number}"
            self._taken.add(name)
            self.given[one] = name
        return self.given[one]

    def constant(self, one: Constant) -> str:
        value = one.value
        if isinstance(value, bool):
            return "true" if value else "false"
        if isinstance(value, str):
            return '"' + value.replace("\n", "\\n") + '"'
        if isinstance(value, frozenset) or (isinstance(value, tuple) and value[0] == MAP):
            return "empty"
        if not isinstance(value, tuple):
            return write_number(value)
        if value[0] in (NIL, NONE) or (value[0] == TUPLE and len(value) == 2):
            return {NIL: "[]", NONE: "None", TUPLE: "()"}[value[0]]
        return f"‹{self.names.snippet(value[1]) or self.constructor(value[0])}›"


def _gives_up(statements: Sequence[Statement]) -> bool:
    left = without_notes(statements)
    return len(left) == 1 and isinstance(left[0], HandBack)


def _operand(text: str) -> str:
    """A text that stands beside a sign: in brackets where it has signs of its own."""
    depth = 0
    for sign in text:
        depth += {"(": 1, "[": 1, ")": -1, "]": -1}.get(sign, 0)
        if depth == 0 and sign == " ":
            return f"({text})"
    return text
