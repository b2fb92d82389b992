"""What kinds of values the variables of a residual program may have, and which tests are decided by
that: the least solution over all functions, shapes and dispatches at once (as Cousot and Cousot
1977 have it, with sets of constructors)."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Any, TypeAlias

from embrix.machine.residual.operations import ARITHMETIC, COMPARED
from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import (
    Again,
    AgainOn,
    Assigned,
    Atom,
    Constant,
    Direct,
    Dispatch,
    Fork,
    Give,
    HandBack,
    Residual,
    ResidualTest,
    Statement,
    ValueShape,
)
from embrix.machine.residual.value_layout import Bare
from embrix.terms.node import Value

Kinds: TypeAlias = "frozenset[Any] | None"
"""Names of classes and tags of nodes; None for anything."""
Known: TypeAlias = "dict[str, Kinds]"

NOTHING: frozenset[Any] = frozenset()
HOLDS: frozenset[Any] = frozenset({"holds"})
TRUTH: frozenset[Any] = frozenset({"holds", "fails"})
_FLOAT: frozenset[Any] = frozenset({"float"})
_OF_BARE: dict[Bare, frozenset[Any]] = {
    "number": frozenset({"int", "fraction", "float"}), "whole": frozenset({"int"}),
    "truth": TRUTH, "text": frozenset({"text"}),
}  # fmt: skip


def simplified(program: Program) -> None:
    """Leave out tests that always come out one way, and note where numbers are whole."""
    found = _Solution(program)
    while found.goes_on():
        pass
    for one in program.residuals.values():
        found.settle(one)


class _Solution:
    def __init__(self, program: Program) -> None:
        self.program = program
        self.params: dict[tuple[int, int], Kinds] = {}
        self.results: dict[tuple[int, int], Kinds] = {}
        self.parts: dict[tuple[int, int], Kinds] = {}
        self.handed: dict[tuple[int, int], Kinds] = {}
        self.held: Kinds = NOTHING
        """What stores hold."""
        self.changed = False
        self.order = [*reversed(program.residuals.values())]
        self.tags: dict[int, frozenset[Any]] = {}
        numbers = program.interpreter.language.numbers
        self.numbers: Kinds = {
            "float": frozenset({"float"}), "integer": frozenset({"int"}),
        }.get(numbers, frozenset({"int", "fraction"}))  # fmt: skip
        self.writing = False
        """Whether what has been found is put into the program."""

    def goes_on(self) -> bool:
        """Go through the program once; whether more is known then."""
        self.changed = False
        self.order.reverse()  # arguments go from the first to the last, results come back
        for one in self.order:
            _Walk(self, one).block(one.body, self._begin(one))
        return self.changed

    def settle(self, one: Residual) -> None:
        self.writing = True
        one.body = _Walk(self, one).block(one.body, self._begin(one))[0]

    def _begin(self, one: Residual) -> Known:
        if one.number == 0:
            return dict.fromkeys(one.params)  # supplied by hand
        if one.method_of is None:
            return {name: self.params.get((one.number, number), NOTHING)
                    for number, name in enumerate(one.params)}  # fmt: skip
        return {
            name: self.parts.get((one.shape, number), NOTHING) if number < one.own
            else self.handed.get((one.method_of.number, number - one.own), NOTHING)
            for number, name in enumerate(one.params)
        }  # fmt: skip

    def add(self, table: dict[tuple[int, int], Kinds], key: tuple[int, int], new: Kinds) -> None:
        old = table.get(key, NOTHING)
        both = either(old, new)
        if both != old:
            table[key] = both
            self.changed = True

    def hold(self, new: Kinds) -> None:
        both = either(self.held, new)
        if both != self.held:
            self.held, self.changed = both, True

    def of_tag(self, tag: int) -> frozenset[Any]:
        """The kinds that a constructor has."""
        if tag not in self.tags:
            self.tags[tag] = self._of_tag(tag)
        return self.tags[tag]

    def _of_tag(self, tag: int) -> frozenset[Any]:
        layout = self.program.layout
        if tag in layout.shaped:
            shapes = self.program.shapes.values()
            return frozenset(("shape", one.number) for one in shapes if one.tag == tag)
        bare = layout.bare.get(tag)
        return _OF_BARE[bare] if bare is not None else frozenset({tag})

    def only_shape(self, kinds: Kinds) -> ValueShape | None:
        """The shape of values of a kind, where there is only one."""
        match kinds and [*kinds]:
            case [("shape", number)]:
                return next(one for one in self.program.shapes.values() if one.number == number)
        return None


class _Walk:
    """One function, with what is known at its beginning."""

    def __init__(self, whole: _Solution, function: Residual) -> None:
        self.whole, self.function = whole, function

    def block(
        self, statements: Sequence[Statement], known: Known
    ) -> tuple[list[Statement], Known | None]:
        """The statements with what is decided left out, and what is known after them; None where
        that is never reached."""
        out: list[Statement] = []
        after: Known | None = dict(known)
        for one in statements:
            if after is None:
                break
            match one:
                case Assigned():
                    self.assign(one, after)
                    out.append(one)
                    if self.whole.writing:
                        self.direct(one, after)
                case Fork():
                    made, after = self.fork(one, after)
                    out += made
                case Give(values):
                    for number, value in enumerate(values):
                        kinds = self.of(value, after)
                        self.whole.add(self.whole.results, (self.function.number, number), kinds)
                    if self.whole.writing and self.again(out, one):
                        return out, None
                    out.append(one)
                    after = None
                case Again(values):
                    self.pass_on(self.function, values, after)
                    out.append(one)
                    after = None
                case HandBack():
                    out.append(one)
                    after = None
                case _:
                    out.append(one)
        return out, after

    def direct(self, one: Assigned, known: Known) -> None:
        """A dispatch on a value of one shape becomes a call of its method."""
        if one.operation != "dispatch":
            return
        shape = self.whole.only_shape(self.of(one.args[0], known))
        method = shape.methods.get(one.about.number) if shape is not None else None
        if method is not None:
            one.operation, one.about = "method", Direct(one.about, method)

    def again(self, out: list[Statement], give: Give) -> bool:
        """A call of the method itself whose results are given becomes another round."""
        match out[-1] if out else None:
            case Assigned(names, "method", (of, *args), Direct(_, method)) if (
                method is self.function and names == give.values
            ):
                out[-1] = AgainOn(of, tuple(args), give.origin)
                return True
        return False

    def fork(self, one: Fork, known: Known) -> tuple[list[Statement], Known | None]:
        yes_known, no_known = dict(known), dict(known)
        left: list[ResidualTest] = []
        never = False
        for test in one.conditions:
            decided = self.decided(test, yes_known)
            if decided is None:
                left.append(test)
            never = never or decided is False
            self.learn(test, yes_known)
        if len(one.conditions) == 1:
            self.learn_not(one.conditions[0], no_known)
        if never:
            return self.block(one.no, no_known)
        if not left:
            return self.block(one.yes, yes_known)
        yes, after_yes = self.block(one.yes, yes_known)
        no, after_no = self.block(one.no, no_known)
        made: list[Statement] = [Fork(tuple(left), yes, no, one.origin)]
        if after_yes is None or after_no is None:
            return made, after_yes if after_no is None else after_no
        names = {*after_yes, *after_no}
        return made, {
            name: either(after_yes.get(name, NOTHING), after_no.get(name, NOTHING))
            for name in names
        }  # fmt: skip

    def decided(self, test: ResidualTest, known: Known) -> bool | None:
        if test.test not in ("tag", "among", "true"):
            return None
        kinds, wanted = self.of(test.of, known), self.wanted(test)
        if kinds is None or not kinds:
            return None
        if kinds <= wanted:
            return True
        return None if kinds & wanted else False

    def wanted(self, test: ResidualTest) -> frozenset[Any]:
        if test.test == "true":
            return HOLDS
        tags = [test.about] if test.test == "tag" else test.about
        return frozenset().union(*(self.whole.of_tag(tag) for tag in tags))

    def learn(self, test: ResidualTest, known: Known) -> None:
        if test.test in ("tag", "among", "true") and isinstance(test.of, str):
            kinds, wanted = known.get(test.of, NOTHING), self.wanted(test)
            known[test.of] = wanted if kinds is None else kinds & wanted

    def learn_not(self, test: ResidualTest, known: Known) -> None:
        if test.test in ("tag", "among", "true") and isinstance(test.of, str):
            kinds = known.get(test.of, NOTHING)
            known[test.of] = None if kinds is None else kinds - self.wanted(test)

    # ---------------------------------------------------------------- operations

    def of(self, atom: Atom, known: Known) -> Kinds:
        if isinstance(atom, str):
            return known.get(atom, NOTHING)
        return kinds_of(atom.value) if isinstance(atom, Constant) else None

    def pass_on(self, other: Residual, args: Sequence[Atom], known: Known) -> None:
        for number, arg in enumerate(args):
            self.whole.add(self.whole.params, (other.number, number), self.of(arg, known))

    def assign(self, one: Assigned, known: Known) -> None:
        whole = self.whole
        args = [self.of(arg, known) for arg in one.args]
        given: list[Kinds] = [None] * len(one.names)
        match one.operation, one.about:
            case "primitive", operation if operation in ARITHMETIC:
                given = [self.number(str(operation), args)]
                if whole.writing:
                    one.whole = all(kinds == frozenset({"int"}) for kinds in args)
                    one.floats = all(kinds == _FLOAT for kinds in args)
            case "primitive", operation if operation in COMPARED or operation == "equal":
                given = [TRUTH]
            case "copy", _:
                given = args
            case "alike", _:
                given = [TRUTH]
            case "text", _:
                given = [frozenset({"text"})]
            case "node", int() as tag:
                given = [frozenset({tag})]
            case "shape", ValueShape() as shape:
                given = [frozenset({("shape", shape.number)})]
                for number, kinds in enumerate(args):
                    whole.add(whole.parts, (shape.number, number), kinds)
            case (("alloc" | "store_with"), _):
                whole.hold(args[-1])
            case "fetch", _:
                given = [whole.held]
            case "call", Residual() as other:
                self.pass_on(other, one.args, known)
                given = self.results(other, len(one.names))
            case "dispatch", Dispatch() as dispatch:
                for number, kinds in enumerate(args[1:]):
                    whole.add(whole.handed, (dispatch.number, number), kinds)
                given = self.all_results(dispatch, len(one.names))
        known |= dict(zip(one.names, given, strict=True))

    def number(self, operation: str, args: Sequence[Kinds]) -> Kinds:
        """Whole numbers give whole ones, except where one is divided by another."""
        whole = all(kinds is not None and kinds <= {"int"} for kinds in args)
        if whole and operation not in ("divide", "floor_divide", "modulo"):
            return frozenset({"int"}) if all(args) else NOTHING
        if self.whole.numbers != _FLOAT or all(
            kinds is not None and kinds <= _FLOAT for kinds in args
        ):
            return self.whole.numbers
        return frozenset({"int", "float"})  # sizes are whole numbers in every language

    def results(self, other: Residual, count: int) -> list[Kinds]:
        return [self.whole.results.get((other.number, n), NOTHING) for n in range(count)]

    def all_results(self, dispatch: Dispatch, count: int) -> list[Kinds]:
        found: list[Kinds] = [NOTHING] * count
        for method in dispatch.methods:
            pairs = zip(found, self.results(method, count), strict=True)
            found = [either(one, other) for one, other in pairs]
        return found


def either(one: Kinds, other: Kinds) -> Kinds:
    return None if one is None or other is None else one | other


def kinds_of(value: Value) -> Kinds:
    """The kind of a known value."""
    match value:
        case bool():
            return HOLDS if value else TRUTH - HOLDS
        case int():
            return frozenset({"int"})
        case Fraction():
            return frozenset({"fraction"})
        case float():
            return frozenset({"float"})
        case str():
            return frozenset({"text"})
    return frozenset({value[0]}) if isinstance(value, tuple) else None
