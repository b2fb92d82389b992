"""Writes one function of a residual program: an interpreter carried out on what is known, where
everything that only the run knows is left as a statement.

The first projection of Futamura (1971), online: what is known is found out on the way, and versions
of functions are made as they are called (polyvariant specialisation, Bulyonkov 1984).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec.structs import replace

from embrix.brix import core as k
from embrix.machine.residual.knowledge import (
    Abstraction,
    Frame,
    KnotFrame,
    Knowledge,
    Known,
    Later,
    Made,
    Names,
    NotResidual,
    Unknown,
    is_below,
    later_parts,
    list_parts,
    tuple_parts,
)
from embrix.machine.residual.layout import of_name
from embrix.machine.residual.operations import Operations
from embrix.machine.residual.patterns import Binding, matches
from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import (
    Again,
    Atom,
    Condition,
    Constant,
    Field,
    Give,
    GiveUp,
    If,
    Let,
    Origin,
    Residual,
    Spend,
    Statement,
)
from embrix.terms.node import CONS, NIL_NODE, NONE_NODE, SOME, TUPLE, Node
from embrix.terms.types import Con, Tup, Type, settle

MOST_STATEMENTS = 40_000
"""Statements of a residual program."""
DEEPEST = 300
"""Calls that are written out inside each other."""
SMALL = 90
"""Parts of a function that is written out although it comes back to itself."""

Slots = dict[int, Knowledge]


class Dead(Exception):
    """What follows is never reached."""


class Specialiser(Operations):
    """One function on its way."""

    def __init__(self, program: Program, residual: Residual) -> None:
        self.program = program
        self.residual = residual
        self.out: list[Statement] = residual.body
        self.open: list[tuple[str, Known | None, Known | None]] = []
        """The calls that are written out around this place: the function, the term that it goes
        through, and the last term that any of them goes through."""
        self.facts: dict[str, int] = {}
        """Variables whose constructor has been tested."""
        self.calls = 0
        """Calls since the last statement that counts them."""
        self.origin = residual.origin
        self._variables = 0

    def write_main(self) -> None:
        """The program from its beginning, with nothing supplied by hand."""
        main = self.program.functions[self.residual.function]
        args: list[Knowledge] = [Known(self.program.term, True)]
        if len(main.params) > 1:
            args.append(Known(NIL_NODE))
        args += [self.empty(kind) for kind in main.types[2:]]
        self.write(args)

    def write(self, args: Sequence[Knowledge]) -> None:
        try:
            self._unfold(self.residual.function, args, None, last=True)
        except Dead:
            return

    # ---------------------------------------------------------------- statements

    def fresh(self) -> str:
        self._variables += 1
        return f"v{self._variables}"

    def put(self, statement: Statement) -> None:
        self.program.statements += 1
        if self.program.statements > MOST_STATEMENTS:
            raise NotResidual(f"more than {MOST_STATEMENTS:,} statements")
        self.out.append(statement)

    def let(
        self, operation: str, args: Sequence[Atom], about: object = None, count: int = 1
    ) -> tuple[str, ...]:
        names = tuple(self.fresh() for _ in range(count))
        self.put(Let(names, operation, tuple(args), about, self.origin))
        return names

    def flush(self) -> None:
        if self.calls:
            self.put(Spend(self.calls))
            self.calls = 0

    def give_up(self, reason: str) -> Dead:
        self.calls = 0
        self.put(GiveUp(reason, self.origin))
        return Dead()

    def lower(self, one: Knowledge) -> Atom:
        """A value as the run has it."""
        match one:
            case Unknown(atom):
                return atom
            case Known(value):
                return Constant(value)
            case Made(tag, fields):
                if tag in self.program.layout.bare:
                    return self.lower(fields[0])
                if tag in self.program.layout.shaped:
                    shape, atoms = self.program.shape(one, self.lower)
                    return self.let("shape", atoms, shape)[0]
                return self.let("node", [self.lower(field) for field in fields], tag)[0]
        raise NotResidual("a piece of the program is not known where it is needed")

    # ---------------------------------------------------------------- results

    def give(self, one: Knowledge) -> None:
        """Give a result of the function that is written."""
        atoms: list[Atom] = []
        self._give_parts(one, self._result, atoms)
        self.flush()
        self.put(Give(tuple(atoms), self.origin))

    @property
    def _result(self) -> Type:
        return self.program.functions[self.residual.function].result

    def _give_parts(self, one: Knowledge, kind: Type, atoms: list[Atom], at: int = 0) -> int:
        """Take a result apart; `at` counts the environments in it."""
        kind = settle(kind)
        if isinstance(kind, Tup) and kind.items:
            parts = tuple_parts(one)
            if parts is None and isinstance(one, Unknown):
                parts = tuple(Unknown(Field(one.atom, n), t) for n, t in enumerate(kind.items))
            assert parts is not None
            for part, inner in zip(parts, kind.items, strict=True):
                at = self._give_parts(part, inner, atoms, at)
            return at
        if isinstance(kind, Con) and kind.name == "Env":
            if not isinstance(one, Names) or one.base is not None:
                raise NotResidual("an environment that is given is not known")
            key, found, build = self.program.split(one, kind, self.lower)
            known = self.residual.environments.setdefault(at, (key, build, [t for _, t in found]))
            if known[0] != key:
                raise NotResidual("a function gives environments with different names")
            atoms += [atom for atom, _ in found]
            return at + 1
        atoms.append(self.lower(one))
        return at

    def _taken(self, kind: Type, of: Residual | None, names: list[str], at: list[int]) -> Knowledge:
        """A result put together again of the variables that hold its parts."""
        kind = settle(kind)
        if isinstance(kind, Tup) and kind.items:
            return Made(TUPLE, tuple(self._taken(t, of, names, at) for t in kind.items))
        if isinstance(kind, Con) and kind.name == "Env":
            assert of is not None
            _, build, types = of.environments[at[0]]
            at[0] += 1
            parts = [Unknown(names.pop(0), one) for one in types]
            made: Knowledge = build(iter(parts), ())
            return made
        return self.unknown(names.pop(0), kind)

    def unknown(self, name: str, kind: Type | None) -> Unknown:
        if of_name(kind, "Store"):
            self.residual.stores.add(name)
        return Unknown(name, kind)

    def _width(self, kind: Type, of: Residual | None, at: list[int]) -> int:
        kind = settle(kind)
        if isinstance(kind, Tup) and kind.items:
            return sum(self._width(one, of, at) for one in kind.items)
        if isinstance(kind, Con) and kind.name == "Env":
            if of is None:
                raise NotResidual("a method gives an environment")
            at[0] += 1
            return len(of.environments[at[0] - 1][2])
        return 1

    def _called(
        self, operation: str, args: Sequence[Atom], about: object, kind: Type, of: Residual | None
    ) -> Knowledge:
        self.flush()
        names = self.let(operation, args, about, self._width(kind, of, [0]))
        return self._taken(kind, of, list(names), [0])

    # ---------------------------------------------------------------- calls

    def call(
        self, name: str, args: Sequence[Knowledge], here: Knowledge | None, last: bool
    ) -> Knowledge | None:
        function = self.program.functions[name]
        parts = {(one.of, one.tag) for arg in args for one in later_parts(arg)}
        if parts:
            if len(parts) > 1:
                raise NotResidual("parts of two unknown values come together")
            ((of, tag),) = parts
            width = self._width(function.result, None, [0])
            dispatch, atoms = self.program.dispatch(name, args, tag, self.lower, width)
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

    def _last(self, found: Knowledge, last: bool) -> Knowledge | None:
        if last:
            self.give(found)
            return None
        return found

    def _unfolds(self, function: k.Function, args: Sequence[Knowledge]) -> bool:
        """Whether the clauses of a function are written out in place of a call: where that goes
        down in the program, or comes to an end in another way."""
        if len(self.open) >= DEEPEST:
            return False
        terms = [one for one in args if isinstance(one, Known) and _is_term(one)]
        same = next((one for one in reversed(self.open) if one[0] == function.name), None)
        if not terms:
            if function.name not in self.program.recursive:
                return True
            return same is None and len(k.parts_inside(function)) <= SMALL
        around = self._around
        term = _term_of(function, args)
        if term is not None and around is not None and not (
            term.value is around.value or is_below(term, around.value)
        ):  # fmt: skip
            return False
        if same is None:
            return True
        _, before, last = same
        if term is not None and before is not None:
            return is_below(term, before.value)
        return around is not None and last is not None and is_below(around, last.value)

    @property
    def _around(self) -> Known | None:
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
        self.open.append((name, term, term or self._around))
        try:
            slots: Slots = dict(zip(function.slots, args, strict=True))
            if function.subject is not None:
                here = args[function.subject]
            if function.body is not None:
                return self.value_or_last(function.body, slots, here, last)
            subjects = [args[number] for number in function.subjects]
            return self.choose(subjects, function.clauses, slots, here, last)
        finally:
            self.open.pop()
            self.origin = before

    # ---------------------------------------------------------------- choosing

    def choose(
        self, subjects: Sequence[Knowledge], clauses: Sequence[k.CoreClause], slots: Slots,
        here: Knowledge | None, last: bool,
    ) -> Knowledge | None:  # fmt: skip
        """What the first clause gives that takes the subjects."""
        for number, clause in enumerate(clauses):
            conditions: list[Condition] = []
            bound: list[Binding] = []
            if not all(
                matches(self, pattern, subject, conditions, bound)
                for pattern, subject in zip(clause.patterns, subjects, strict=True)
            ):
                continue
            rest = clauses[number + 1 :]
            if conditions and _fails(clause) and all(
                _fails(other) or _apart(clause, other) for other in rest
            ):  # fmt: skip
                continue  # what no clause takes fails as well

            def others(rest: Sequence[k.CoreClause] = rest) -> Knowledge | None:
                return self.choose(subjects, rest, slots, here, last)

            def taken(
                clause: k.CoreClause = clause, bound: list[Binding] = bound,
                others: Callable[[], Knowledge | None] = others,
            ) -> Knowledge | None:  # fmt: skip
                before = self.origin
                self.origin = Origin(before.place, clause.span)
                self.bind(bound, slots)
                try:
                    if clause.guard is None:
                        return self.value_or_last(clause.body, slots, here, last)
                    return self.test(
                        clause.guard, slots, here,
                        lambda: self.value_or_last(clause.body, slots, here, last), others, last,
                    )  # fmt: skip
                finally:
                    self.origin = before

            if not conditions:
                return taken()
            return self.fork(conditions, taken, others, last)
        raise self.give_up("no clause takes this")

    def bind(self, bound: Sequence[Binding], slots: Slots) -> None:
        for slot, one in bound:
            if isinstance(one, Unknown) and isinstance(one.atom, Field):
                name = self.let("field", (one.atom.of,), one.atom.number)[0]
                one = Unknown(name, one.type)
            slots[slot] = one

    def test(
        self, node: k.Core, slots: Slots, here: Knowledge | None,
        yes: Callable[[], Knowledge | None], no: Callable[[], Knowledge | None], last: bool,
    ) -> Knowledge | None:  # fmt: skip
        match self.value(node, slots, here):
            case Known(bool() as known):
                return yes() if known else no()
            case Unknown(atom):
                return self.fork([Condition("true", atom)], yes, no, last)
        raise NotResidual("a test of something else than a truth value")

    def fork(
        self, conditions: Sequence[Condition], yes: Callable[[], Knowledge | None],
        no: Callable[[], Knowledge | None], last: bool,
    ) -> Knowledge | None:  # fmt: skip
        """Two ways to go on. One that never comes to an end stands alone; what follows the other
        one needs no branch then."""
        self.flush()
        outer, facts = self.out, self.facts
        learned = {c.of: c.about for c in conditions if c.test == "tag" and isinstance(c.of, str)}

        def branch(
            way: Callable[[], Knowledge | None], more: dict[str, int]
        ) -> tuple[list[Statement], Knowledge | None, bool, dict[str, int]]:
            self.out, self.facts = [], {**facts, **more}
            found, alive = None, True
            try:
                found = way()
                if not last:
                    self.flush()
            except Dead:
                alive = False
            return self.out, found, alive, self.facts

        try:
            first, one, goes_on, known = branch(yes, learned)
            second, other, also, known_too = branch(no, {})
        finally:
            self.out, self.facts, self.calls = outer, facts, 0
        tests = tuple(conditions)
        if goes_on and also:
            if not last:
                assert one is not None
                assert other is not None
                joined = self.join(one, other, first, second)
                self.put(If(tests, first, second, self.origin))
                return joined
            self.put(If(tests, first, second, self.origin))
            return None
        if not goes_on and not also:
            self.put(If(tests, first, second, self.origin))
            raise Dead
        if goes_on:
            self.put(If(tests, [], second, self.origin))
            self.out += first
            self.facts = known
            return one
        self.put(If(tests, first, [], self.origin))
        self.out += second
        self.facts = known_too
        return other

    def join(
        self, one: Knowledge, other: Knowledge, first: list[Statement], second: list[Statement]
    ) -> Knowledge:
        """What is known of a value that one of two branches gives."""
        if one is other:
            return one
        match one, other:
            case Known(a), Known(b) if a is b or (
                not isinstance(a, tuple | float) and type(a) is type(b) and a == b
            ):
                return one
            case Unknown(a, _), Unknown(b, _) if isinstance(a, str) and a == b:
                return one
            case Made(tag, fields), Made(again, others) if (
                tag == again and len(fields) == len(others)
                and (tag in (TUPLE, SOME) or tag in self.program.layout.bare)
            ):  # fmt: skip
                pairs = zip(fields, others, strict=True)
                return Made(tag, tuple(self.join(a, b, first, second) for a, b in pairs))
            case Names(frames, None), Names(others, None) if len(frames) == len(others):
                return Names(tuple(
                    self._join_frames(a, b, first, second)
                    for a, b in zip(frames, others, strict=True)
                ))  # fmt: skip
        name = self.fresh()
        outer = self.out
        for value, statements in ((one, first), (other, second)):
            self.out = statements
            try:
                self.put(Let((name,), "copy", (self.lower(value),), None, self.origin))
            finally:
                self.out = outer
        kinds = [value.type for value in (one, other) if isinstance(value, Unknown)]
        return self.unknown(name, kinds[0] if kinds else None)

    def _join_frames(
        self, one: Frame | KnotFrame, other: Frame | KnotFrame,
        first: list[Statement], second: list[Statement],
    ) -> Frame | KnotFrame:  # fmt: skip
        if one is other:
            return one
        if isinstance(one, Frame) and isinstance(other, Frame) and one.name == other.name:
            return Frame(one.name, self.join(one.value, other.value, first, second))
        raise NotResidual("two branches lead to environments with different names")

    # ---------------------------------------------------------------- expressions

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
            case k.Match(subjects, own, clauses):
                found = [self.value(one, slots, here) for one in subjects]
                slots |= dict(zip(own, found, strict=True))
                return self.choose(found, clauses, slots, here, last)
            case k.Emit(text, then):
                self.put(Let((), "emit", (self.lower(self.value(text, slots, here)),), None,
                             self.origin))  # fmt: skip
                return self.value_or_last(then, slots, here, last)
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
        found = self.value_or_last(node, slots, here, last=False)
        assert found is not None
        return found

    def _plain(self, node: k.Core, slots: Slots, here: Knowledge | None) -> Knowledge:
        def values(nodes: Sequence[k.Core]) -> list[Knowledge]:
            return [self.value(one, slots, here) for one in nodes]

        match node:
            case k.Const(value):
                return Known(value)
            case k.Local(slot):
                return slots[slot]
            case k.Build(constructor, args):
                fields = values(args)
                if constructor.is_form:
                    return self.program.term_of(constructor.tag, here, fields)
                return Made(constructor.tag, tuple(fields))
            case k.BuildTuple(items):
                return Made(TUPLE, tuple(values(items)))
            case k.BuildList(items, rest):
                made = values(items)
                tail = self.value(rest, slots, here) if rest is not None else Known(NIL_NODE)
                for one in reversed(made):
                    tail = Made(CONS, (one, tail))
                return tail
            case k.Optional(inner):
                if inner is None:
                    return Known(NONE_NODE)
                return Made(SOME, (self.value(inner, slots, here),))
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
                return Known(self.program.decided(choice) == alternative)
            case k.Fetch():
                return self.fetch(node, slots, here)
            case k.Template(parts):
                return self.text([one if isinstance(one, str) else self.value(one, slots, here)
                                  for one in parts])  # fmt: skip
            case k.Fail(error):
                raise self.give_up(f"error {error.name}")
            case k.Todo():
                raise self.give_up("something is still to be written")
            case k.Lambda():
                return Abstraction(node, slots)
            case k.CallValue(callee, args):
                function, *handed = values((callee, *args))
                return self.applied(function, handed, here)
            case k.Loop():
                return self.loop(node, slots, here)
            case k.Ask():
                return Unknown(self.let("ask", ())[0])
        raise NotResidual(f"{type(node).__name__} is not specialised")

    def empty(self, kind: Type) -> Knowledge:
        settled = settle(kind)
        name = settled.name if isinstance(settled, Con) else ""
        if name == "Env":
            return Names()
        if name == "Store":
            return self.unknown(self.let("store", ())[0], settled)
        raise NotResidual(f"an empty {name.lower() or 'collection'} is not specialised")

    def extended(self, base: Knowledge, name: Knowledge, value: Knowledge) -> Names:
        below = Names((), base) if isinstance(base, Later) else base
        if not isinstance(below, Names):
            raise NotResidual("an environment is not known")
        match name:
            case Known(str() as known):
                return Names((Frame(known, value), *below.frames), below.base)
            case Later():
                return Names((Frame(name, value), *below.frames), below.base)
        raise NotResidual("a name in scope is not known")

    def applied(
        self, function: Knowledge, args: Sequence[Knowledge], here: Knowledge | None
    ) -> Knowledge:
        if not isinstance(function, Abstraction):
            raise NotResidual("a function of the notation is not known where it is called")
        self.calls += 1
        slots = {**function.slots, **dict(zip(function.node.slots, args, strict=True))}
        return self.value(function.node.body, slots, here)

    def loop(self, node: k.Loop, slots: Slots, here: Knowledge | None) -> Knowledge:
        items = list_parts(self.value(node.items, slots, here))
        start = self.value(node.start, slots, here) if node.start is not None else None
        function = self.value(node.function, slots, here)
        if items is None or node.kind == "filter":
            raise NotResidual("a list is gone through whose length is not known")
        if node.kind == "fold":
            assert start is not None
            for one in items:
                start = self.applied(function, (start, one), here)
            return start
        made = [self.applied(function, (one,), here) for one in items]
        self.calls += len(items)  # the list is turned round
        tail: Knowledge = Known(NIL_NODE)
        for one in reversed(made):
            tail = Made(CONS, (one, tail))
        return tail

    def knot(self, node: k.Knot, slots: Slots, here: Knowledge | None) -> None:
        base = self.value(node.base, slots, here)
        if not isinstance(base, Names):
            raise NotResidual("an environment is not known")
        inner = {**slots, node.slot: base}
        frames: tuple[Frame | KnotFrame, ...] = ()
        for number, (key, value) in enumerate(node.pairs):
            name = self.value(key, inner, here)
            if not isinstance(name, Known) or not _only_made(value):
                raise NotResidual("a knot is tied with what is not known")
            needed = {part.slot for part in k.parts_of(value) if isinstance(part, k.Local)}
            captured = tuple((slot, slots[slot]) for slot in sorted(needed - {node.slot}))
            above = len(node.pairs) - 1 - number
            frames = (KnotFrame(str(name.value), node, number, captured, above), *frames)
        slots[node.slot] = Names((*frames, *base.frames), base.base)

    def lookup(self, node: k.Lookup, slots: Slots, here: Knowledge | None) -> Knowledge:
        environment = self.value(node.environment, slots, here)
        key = self.value(node.key, slots, here)
        if not isinstance(environment, Names) or not isinstance(key, Known):
            raise NotResidual("a name or an environment is not known where it is looked up")
        for at, frame in enumerate(environment.frames):
            if isinstance(frame.name, Later):
                raise NotResidual("a name in scope is not known")
            if frame.name != key.value:
                continue
            if isinstance(frame, Frame):
                found = frame.value
            else:
                whole = Names(environment.frames[at - frame.above :], environment.base)
                inner = {**dict(frame.captured), frame.knot.slot: whole}
                found = self.value(frame.knot.pairs[frame.number][1], inner, here)
            return Made(SOME, (found,)) if node.wraps else found
        if environment.base is not None:
            raise NotResidual("an environment is not known where a name is looked up")
        if node.instead is None:
            raise self.give_up("a name is not there")
        return self.value(node.instead, slots, here)

    def fetch(self, node: k.Fetch, slots: Slots, here: Knowledge | None) -> Knowledge:
        container = self.value(node.container, slots, here)
        key = self.value(node.key, slots, here)
        if node.kind != "store" or not isinstance(container, Unknown):
            raise NotResidual(f"a {node.kind} is not specialised")
        if node.instead is not None and not isinstance(node.instead, k.Fail | k.Todo):
            raise NotResidual("a location that may be absent is read")
        held = settle(container.type) if container.type is not None else None
        item = held.args[0] if isinstance(held, Con) and held.args else None
        name = self.let("fetch", (container.atom, self.lower(key)))[0]
        found = Unknown(name, item)
        return Made(SOME, (found,)) if node.wraps else found


def _term_of(function: k.Function, args: Sequence[Knowledge]) -> Known | None:
    """The piece of the program that a function goes through."""
    number = function.subject
    if number is None and function.subjects:
        number = function.subjects[0]
    one = args[number] if number is not None else None
    return one if isinstance(one, Known) and _is_term(one) else None


def _is_term(one: Known) -> bool:
    return one.given and isinstance(one.value, tuple)


def _fails(clause: k.CoreClause) -> bool:
    return clause.guard is None and isinstance(clause.body, k.Fail | k.Todo)


def _apart(one: k.CoreClause, other: k.CoreClause) -> bool:
    """Whether no subjects are taken by both of two clauses, by their constructors alone."""
    return any(
        isinstance(a, k.Shape) and isinstance(b, k.Shape) and a.tag != b.tag
        for a, b in zip(map(_bare, one.patterns), map(_bare, other.patterns), strict=True)
    )


def _bare(pattern: k.CorePattern) -> k.CorePattern:
    while isinstance(pattern, k.Named):
        pattern = pattern.inner
    return pattern


def _place_of(term: Known) -> tuple[int, int] | None:
    node: Node = term.value
    place: tuple[int, int] | None = node[1]
    return place


def _only_made(node: k.Core) -> bool:
    """Whether an expression only puts together what is there."""
    allowed = (k.Build, k.BuildTuple, k.Local, k.Const, k.Extend, k.BuildList)
    return all(isinstance(part, allowed) for part in k.parts_of(node))


def _has_environment(kind: Type) -> bool:
    kind = settle(kind)
    if isinstance(kind, Tup):
        return any(map(_has_environment, kind.items))
    return isinstance(kind, Con) and kind.name == "Env"
