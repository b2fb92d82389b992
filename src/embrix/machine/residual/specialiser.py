"""Writes one function of a residual program: an interpreter carried out on what is known, where
everything that only the run knows is left as a statement.

The first projection of Futamura (1971), online: what is known is found out on the way, and versions
of functions are made as they are called (polyvariant specialisation, Bulyonkov 1984).
"""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from embrix.brix import core as k
from embrix.machine.residual.forks import reason_of
from embrix.machine.residual.knowledge import (
    NO_PARTS,
    Abstraction,
    Knowledge,
    KnownValue,
    MadeValue,
    NotResidual,
    RunValue,
    is_below,
    is_term,
    list_parts,
    tuple_parts,
)
from embrix.machine.residual.loops import Loops
from embrix.machine.residual.specialisable import UNTOUCHED
from embrix.machine.residual.statements import (
    Again,
    Assigned,
    CaughtElsewhere,
    Origin,
)
from embrix.machine.residual.writer import Dead, Slots
from embrix.terms.node import CONS, NIL_NODE, NONE_NODE, SOME, TUPLE, Node
from embrix.terms.types import Con, Tup, Type, settle

DEEPEST = 300
"""Calls that are written out inside each other."""
SMALL = 90
"""Parts of a function that is written out although it comes back to itself."""


class Specialiser(Loops):
    """One function on its way."""

    def write_main(self, names: Sequence[str]) -> None:
        """The program from its beginning, with some names supplied by hand: what they stand for is
        handed to it."""
        main = self.program.functions[self.residual.function]
        args: list[Knowledge] = [KnownValue(self.program.term, True)]
        if len(main.params) > 1:
            given: Knowledge = KnownValue(NIL_NODE)
            for number, name in reversed([*enumerate(names)]):
                value = RunValue(f"p{number}", value_type(main))
                pair = MadeValue(TUPLE, (KnownValue(name, True), value))
                given = MadeValue(CONS, (pair, given))
            args.append(given)
        args += [self.empty(kind) for kind in main.types[2:]]
        self.write(args)

    def write(self, args: Sequence[Knowledge]) -> None:
        dispatch = self.residual.method_of
        try:
            if dispatch is not None and dispatch.left is not None:
                self.go_on(dispatch.left, args)
            elif dispatch is not None and dispatch.calls_function:
                self.applied(args[0], args[1:], last=True)
            else:
                self._unfold(self.residual.function, args, None, last=True)
        except Dead:
            return

    def call(
        self, name: str, args: Sequence[Knowledge], here: Knowledge | None, last: bool
    ) -> Knowledge | None:
        function = self.program.functions[name]
        parts = NO_PARTS.union(*map(self.program.later.of, args))
        if parts:
            if len(parts) > 1:
                raise NotResidual("parts of two unknown values come together")
            ((of, tag),) = parts
            dispatch, atoms = self.program.dispatch(name, args, tag, self.lower)
            found = self._called("dispatch", (of, *atoms), dispatch, function.result, None)
            return self._last(found, last)
        if self._unfolds(function, args):
            return self._unfold(name, args, here, last)
        residual, atoms = self.program.residual(name, args, self.lower, self.origin)
        if last and residual is self.residual:
            self.flush()
            self.put(Again(tuple(atoms), self.origin))
            return None
        if _has_environment(function.result):
            self.program.written(residual, residual.about)
            if residual.state == "open":
                raise NotResidual("a function that gives an environment calls itself")
            if not residual.environments:
                self._called("call", atoms, residual, Con("Bool"), None)
                raise self.give_up("nothing comes back")
        found = self._called("call", atoms, residual, function.result, residual)
        return self._last(found, last)

    def _unfolds(self, function: k.Function, args: Sequence[Knowledge]) -> bool:
        """Whether the clauses of a function are written out in place of a call: where that goes
        down in the program, or comes to an end in another way."""
        if len(self.open) >= DEEPEST:
            return False
        terms = [one for one in args if isinstance(one, KnownValue) and is_term(one)]
        same = next((one for one in reversed(self.open) if one[0] == function.name), None)
        length = _length_of(function, args)
        if length is not None and same is not None and same[3] is not None and length < same[3]:
            return True
        if not terms:
            if function.name not in self.program.recursive:
                return True
            return same is None and len(k.parts_inside(function)) <= SMALL
        around = self._around
        term = _term_of(function, args)
        if term is not None and around is not None and not self._gives_piece(function) and not (
            term.value is around.value or is_below(term, around.value)
        ):  # fmt: skip
            return False
        if same is None:
            return True
        _, before, last, _ = same
        if term is not None and before is not None:
            return is_below(term, before.value)
        return around is not None and last is not None and is_below(around, last.value)

    def _gives_piece(self, function: k.Function) -> bool:
        """Whether a function gives a piece of the program, which no residual function does."""
        result = function.result
        return not _has_environment(result) and self.program.layout.is_piece(result)

    @property
    def _around(self) -> KnownValue | None:
        """The term that the clauses around this place go through."""
        return self.open[-1][2] if self.open else None

    def _unfold(
        self, name: str, args: Sequence[Knowledge], here: Knowledge | None, last: bool
    ) -> Knowledge | None:
        function = self.program.functions[name]
        if function.finals:
            raise NotResidual("small steps are not specialised")
        term = _term_of(function, args)
        if name in self.program.recursive:
            self.calls += 1
        before = self.origin
        if term is not None:
            self.origin = Origin(_place_of(term) or before.place, before.clause)
        self.open.append((name, term, term or self._around, _length_of(function, args)))
        try:
            slots: Slots = dict(zip(function.slots, args, strict=True))
            if function.subject is not None:
                here = args[function.subject]
            if function.body is not None:
                return self.value_or_last(function.body, slots, here, last)
            subjects = [args[number] for number in function.subjects]
            return self.choose(subjects, function.clauses, slots, here, last,
                               kind=function.result, own=True)  # fmt: skip
        finally:
            self.open.pop()
            self.origin = before

    def value_or_last(
        self, node: k.Core, slots: Slots, here: Knowledge | None, last: bool
    ) -> Knowledge | None:
        """The value of an expression, or, where it is the last, nothing: it has been given."""
        match node:
            case k.Test(test, yes, no):
                return self.test(
                    test, slots, here, lambda: self.value_or_last(yes, slots, here, last),
                    lambda: self.value_or_last(no, slots, here, last), last,
                )  # fmt: skip
            case k.Match(subjects, own, clauses, _, kind):
                found = [self.value(one, slots, here) for one in subjects]
                slots |= dict(zip(own, found, strict=True))
                return self.choose(found, clauses, slots, here, last, kind=kind)
            case k.Emit(text, then):
                self.put(Assigned((), "emit", (self.lower(self.value(text, slots, here)),), None,
                             self.origin))  # fmt: skip
                return self.value_or_last(then, slots, here, last)
            case k.Attempt(value):
                # A failure is for the interpreter, and so is what is done about it.
                self.out.append(CaughtElsewhere(self.origin))
                return self._last(self.value(value, slots, here), last)
            case k.Knot():
                self.knot(node, slots, here)
                return self.value_or_last(node.then, slots, here, last)
            case k.Call(name, args) if (at := self._chosen_piece(name, args)) is not None:
                choice = args[at]
                assert isinstance(choice, k.Test)
                yes, no = (
                    replace(node, args=(*args[:at], one, *args[at + 1 :]))
                    for one in (choice.yes, choice.no)
                )
                chosen = k.Test(choice.test, yes, no)
                return self.value_or_last(chosen, slots, here, last)
            case k.CallValue(callee, args):
                function, *handed = [self.value(one, slots, here) for one in (callee, *args)]
                return self.applied(function, handed, last)
            case k.Call(name, args):
                return self.call(name, [self.value(a, slots, here) for a in args], here, last)
        found_one = self._plain(node, slots, here)
        return self._last(found_one, last)

    def _chosen_piece(self, name: str, args: Sequence[k.Core]) -> int | None:
        """The number of an argument that is one of two pieces of the program: then there are two
        calls, with what is known."""
        for number, (arg, kind) in enumerate(
            zip(args, self.program.functions[name].types, strict=True)
        ):
            if isinstance(arg, k.Test) and self.program.layout.is_piece(kind):
                return number
            if not isinstance(arg, k.Local | k.Const):
                return None
        return None

    def value(self, node: k.Core, slots: Slots, here: Knowledge | None) -> Knowledge:
        if isinstance(node, k.Local):  # which most are
            return slots[node.slot]
        found = self.value_or_last(node, slots, here, last=False)
        assert found is not None
        return found

    def _plain(self, node: k.Core, slots: Slots, here: Knowledge | None) -> Knowledge:
        def values(nodes: Sequence[k.Core]) -> list[Knowledge]:
            return [self.value(one, slots, here) for one in nodes]

        match node:
            case k.Const(value):
                return KnownValue(value)
            case k.Local(slot):
                return slots[slot]
            case k.Build(constructor, args):
                fields = values(args)
                if constructor.is_form:
                    return self.program.term_of(constructor.tag, here, fields)
                return MadeValue(constructor.tag, tuple(fields))
            case k.BuildTuple(items):
                return MadeValue(TUPLE, tuple(values(items)))
            case k.BuildList(items, rest):
                made = values(items)
                tail = self.value(rest, slots, here) if rest is not None else KnownValue(NIL_NODE)
                for one in reversed(made):
                    tail = MadeValue(CONS, (one, tail))
                return tail
            case k.Optional(inner):
                if inner is None:
                    return KnownValue(NONE_NODE)
                return MadeValue(SOME, (self.value(inner, slots, here),))
            case k.Empty(kind):
                return self.empty(kind)
            case k.Primitive(operation, args):
                return self.primitive(operation, values(args))
            case k.Lookup():
                return self.lookup(node, slots, here)
            case k.Extend(environment, key, value):
                base, name, bound = values((environment, key, value))
                return self.extended(base, name, bound)
            case k.ExtendAll(environment, items):
                base, pairs = values((environment, items))
                listed = list_parts(pairs)
                if listed is None:
                    raise NotResidual("names that are not known are put in scope")
                self.calls += len(listed)
                for pair in listed:
                    parts = tuple_parts(pair)
                    assert parts is not None
                    base = self.extended(base, *parts)
                return base
            case k.Decided(choice, alternative):
                return KnownValue(self.program.decided[choice] == alternative)
            case k.Fetch():
                return self.fetch(node, slots, here)
            case k.Template(parts):
                return self.text([one if isinstance(one, str) else self.value(one, slots, here)
                                  for one in parts])  # fmt: skip
            case k.Fail() | k.Todo():
                raise self.give_up(reason_of(node))
            case k.Lambda():
                return Abstraction(node, slots, here, self.origin, tuple(self.open))
            case k.Loop():
                return self.loop(node, slots, here)
            case k.Ask():
                return RunValue(self.let("ask", ())[0])
        raise NotResidual(UNTOUCHED[type(node)])


def value_type(main: k.Function) -> Type | None:
    """The type of what names supplied by hand stand for."""
    listed = settle(main.types[1])
    pair = settle(listed.args[0]) if isinstance(listed, Con) and listed.args else None
    return pair.items[1] if isinstance(pair, Tup) and len(pair.items) == 2 else None


def _term_of(function: k.Function, args: Sequence[Knowledge]) -> KnownValue | None:
    """The piece of the program that a function goes through."""
    one = _gone_through(function, args)
    return one if isinstance(one, KnownValue) and is_term(one) else None


def _gone_through(function: k.Function, args: Sequence[Knowledge]) -> Knowledge | None:
    """The argument whose parts a function goes through."""
    number = function.subject
    if number is None and function.subjects:
        number = function.subjects[0]
    return args[number] if number is not None else None


def _length_of(function: k.Function, args: Sequence[Knowledge]) -> int | None:
    """The length of the list that a function goes through, where that is made and known."""
    one = _gone_through(function, args)
    if not isinstance(one, MadeValue) and not (isinstance(one, KnownValue) and not one.given):
        return None
    items = list_parts(one)
    return len(items) if items is not None else None


def _place_of(term: KnownValue) -> tuple[int, int] | None:
    node: Node = term.value
    place: tuple[int, int] | None = node[1]
    return place


def _has_environment(kind: Type) -> bool:
    kind = settle(kind)
    if isinstance(kind, Tup):
        return any(map(_has_environment, kind.items))
    return isinstance(kind, Con) and kind.name == "Env"
