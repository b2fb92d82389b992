"""The meaning of checked definitions, written down as plainly as possible: an interpreter of the
core by recursion over its expressions.

It is slow, and nobody runs programs on it. Whatever the compiler makes of a definition must give
the same value or failure, the same place, the same output and state, the same counts, and the same
judgements in the same order. Only what a built-in function does to its arguments is shared with
compiled code (`machine.primitives`, `terms`): what is held against each other here is how
expressions, clauses, calls and steps are put together.
"""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from embrix.brix import core as k
from embrix.machine.evaluated import Evaluated, Judged, Knotted
from embrix.machine.faults import Ended, Failed, OutOfFuel, Stuck, Unfinished
from embrix.machine.limits import Limits
from embrix.machine.primitives import primitives
from embrix.machine.run import Machine
from embrix.terms.binding import alike, free_names, fresh, substitute
from embrix.terms.node import (
    CONS,
    EMPTY_MAP,
    EMPTY_NODE,
    EMPTY_STORE,
    FIELDS,
    FRAME,
    MAP,
    NIL_NODE,
    NONE_NODE,
    SOME,
    Node,
    Value,
    list_items,
    make_list,
    same,
    tuple_of,
)
from embrix.terms.numbers import DividedByZero, TooLarge, operations
from embrix.terms.types import Con, Tup, settle

ABSENT = object()
COMPARISONS: dict[str, Callable[[Any, Any], bool]] = {
    "less": lambda a, b: a < b, "at_most": lambda a, b: a <= b, "more": lambda a, b: a > b,
    "at_least": lambda a, b: a >= b, "equal_plain": lambda a, b: a == b,
}  # fmt: skip
EMPTY: dict[str, Value] = {"Set": frozenset(), "Store": EMPTY_STORE, "Map": EMPTY_MAP}
"""The empty things of each type; an environment is the default."""
STACK = 256 << 20
"""Bytes of stack for a run: each expression inside another takes a call of Python."""


def evaluate(
    machine: Machine,
    term: Node,
    given: Sequence[tuple[str, Value]] = (),
    given_input: Sequence[str] = (),
    limits: Limits | None = None,
    ways: Sequence[int] = (),
) -> Evaluated:
    """Run a program by the definition of its interpreter, `ways` being those it takes in turn where
    several are open (the first ones when there are no more)."""
    run = _Run(machine, limits or Limits(), list(given_input), list(ways))
    found: list[Evaluated] = []
    deepest = sys.getrecursionlimit()
    before = threading.stack_size(STACK)
    try:
        thread = threading.Thread(target=lambda: found.append(run.whole(term, given)))
        thread.start()
        thread.join()
    finally:
        threading.stack_size(before)
        sys.setrecursionlimit(deepest)
    return found[0]


Slots = dict[int, Value]


class _Run:
    def __init__(self, machine: Machine, limits: Limits, lines: list[str], ways: list[int]) -> None:
        self.ways = ways
        self.machine = machine
        self.interpreter = machine.interpreter
        self.lines = lines
        self.calls = limits.calls
        self.record = Evaluated()
        self.functions = self.interpreter.functions
        signature = self.interpreter.signature
        printer = machine.printer

        def accept(name: str) -> bool:
            return printer is None or printer.literal(name) is not None

        numbers = self.interpreter.language.numbers
        self.operations: dict[str, Callable[..., Any]] = {
            **primitives(limits, self.spend, numbers, ABSENT),
            **operations(numbers, limits.number_bits),
            **COMPARISONS,
            "equal": same,
            "free": lambda e: free_names(signature, e, self.spend),
            "substitute": lambda v, x, e: substitute(signature, v, x, e, accept, self.spend),
            "alike": lambda a, b: alike(signature, a, b, self.spend),
            "fresh": lambda x, names: fresh(x, names, accept),
        }
        plain = self.operations["keys"]
        self.operations["keys"] = lambda m: plain(m) if m[0] == MAP else self.names_of(m)
        self.roles = {c.tag: c.role for c in self.interpreter.constructors.values() if c.role}

    def names_of(self, frame: Node) -> Node:
        """The names of an environment, the innermost first, each once."""
        found = []
        while frame is not EMPTY_NODE:
            knot = frame[FIELDS] if isinstance(frame[FIELDS], Knotted) else None
            found.append(knot.name if knot is not None else frame[FIELDS])
            frame = frame[FIELDS + 2]
        self.spend(len(found))
        return make_list(list(dict.fromkeys(found)))

    def spend(self, amount: int) -> None:
        self.calls -= amount
        if self.calls < 0:
            raise OutOfFuel("calls")

    def whole(self, term: Node, given: Sequence[tuple[str, Value]]) -> Evaluated:
        """`main` applied to the program."""
        record = self.record
        main = self.functions[self.interpreter.main]
        args: list[Value] = [term]
        if len(main.params) >= 2:
            args.append(make_list([tuple_of(name, value) for name, value in given]))
        kinds = (settle(kind) for kind in main.types[2:])
        args += [EMPTY.get(getattr(kind, "name", ""), EMPTY_NODE) for kind in kinds]
        sys.setrecursionlimit(400_000)
        try:
            value = self.call(main, args, term)
            if isinstance(settle(main.result), Tup):
                value, *rest = value[FIELDS:]
                record.state = tuple(rest)
            record.value = value
        except Failed as end:
            record.kind, record.name, record.place = "failure", end.error.name, _place(end)
        except Stuck as end:
            record.kind, record.place = "stuck", _place(end)
        except Unfinished as end:
            record.kind, record.place = "unfinished", _place(end)
        except (OutOfFuel, TooLarge, RecursionError):
            record.kind, record.name = "out of fuel", "calls"
        return record

    # ---------------------------------------------------------------- functions

    def call(self, function: k.Function, args: Sequence[Value], here: Node) -> Value:
        """A function applied to values; `here` is the term that is current where it has none."""
        self.spend(1)
        self.record.counts[f"calls of {function.name}"] += 1
        if function.subject is not None:
            here = args[function.subject]
        slots = dict(zip(function.slots, args, strict=True))
        judged = None
        if function.judgement is not None or function.finals:
            judged = Judged(function.name, tuple(args))
            self.record.judged.append(judged)
        if function.body is not None:
            given = self.value(function.body, slots, here)
        else:
            subjects = [args[number] for number in function.subjects]
            given = self.choose(subjects, function.clauses, slots, here, judged)
        if judged is not None:
            judged.result = given
        return given

    def choose(
        self,
        subjects: Sequence[Value],
        clauses: Sequence[k.CoreClause],
        slots: Slots,
        here: Node,
        judged: Judged | None = None,
    ) -> Value:
        """The body of the first clause that takes the subjects and whose guard holds."""
        for number, clause in enumerate(clauses):
            bound: Slots = {}
            if not all(
                self.matches(pattern, subject, bound)
                for pattern, subject in zip(clause.patterns, subjects, strict=True)
            ):
                continue
            inner = {**slots, **bound}
            if clause.guard is not None and not self.value(clause.guard, inner, here):
                continue
            if judged is not None:
                judged.clause = number
            self.forced(clause.patterns)
            return self.value(clause.body, inner, here)
        raise Stuck("no clause takes this", tuple(subjects), here)

    def forced(self, patterns: Sequence[k.CorePattern]) -> None:
        """Suspended things that a clause takes are forced, settled ones used again."""
        for part in k.parts_of(tuple(patterns)):
            if isinstance(part, k.Shape):
                role = self.roles.get(part.tag, "")
                counted = {"suspended": "suspensions forced", "settled": "suspensions reused"}
                if role in counted:
                    self.record.counts[counted[role]] += 1

    def matches(self, pattern: k.CorePattern, value: Value, bound: Slots) -> bool:
        match pattern:
            case k.Bind(slot):
                if slot is not None:
                    bound[slot] = value
                return True
            case k.Named(inner, slot):
                bound[slot] = value
                return self.matches(inner, value, bound)
            case k.Equals(wanted):
                return isinstance(wanted, bool) == isinstance(value, bool) and bool(value == wanted)
            case k.Among(tags, inner):
                return value[0] in tags and self.matches(inner, value, bound)
            case k.Shape(tag, fields, _):
                return value[0] == tag and all(
                    self.matches(part, value[FIELDS + index], bound)
                    for index, part in enumerate(fields)
                )

    def final(self, function: k.Function, subjects: Sequence[Value]) -> bool:
        """Whether the subjects of a small-step relation are final."""
        here = subjects[function.control_place]
        for final in function.finals:
            bound: Slots = {}
            pairs = zip(final.patterns, subjects, strict=True)
            if all(self.matches(pattern, value, bound) for pattern, value in pairs) and (
                final.guard is None or self.value(final.guard, bound, here)
            ):
                return True
        return False

    def first_not_final(
        self, function: k.Function, subjects: Sequence[Value], items: Sequence[Value]
    ) -> int | None:
        """The number of the first item of a list that is not final beside the other subjects."""
        at = function.control_place
        for number, one in enumerate(items):
            if not self.final(function, [*subjects[:at], one, *subjects[at + 1 :]]):
                return number
        return None

    # ---------------------------------------------------------------- expressions

    def values(self, nodes: Sequence[k.Core], slots: Slots, here: Node) -> list[Value]:
        """From left to right."""
        return [self.value(node, slots, here) for node in nodes]

    def value(self, node: k.Core, slots: Slots, here: Node) -> Value:
        """What an expression gives, with the values of its variables and the current term."""
        match node:
            case k.Const(value):
                return value
            case k.Local(slot):
                return slots[slot]
            case k.Build(constructor, args):
                if constructor.role == "suspended":
                    self.record.counts["suspensions made"] += 1
                place = here[1] if constructor.is_form else None
                return (constructor.tag, place, *self.values(args, slots, here))
            case k.BuildTuple(items):
                return tuple_of(*self.values(items, slots, here))
            case k.BuildList(items, rest):
                made = self.values(items, slots, here)
                tail = self.value(rest, slots, here) if rest is not None else NIL_NODE
                for one in reversed(made):
                    tail = (CONS, None, one, tail)
                return tail
            case k.Optional(inner):
                return NONE_NODE if inner is None else (SOME, None, self.value(inner, slots, here))
            case k.Empty(kind):
                settled = settle(kind)
                named_type = settled.name if isinstance(settled, Con) else ""
                return EMPTY.get(named_type, EMPTY_NODE)
            case k.Call(callee, args):
                return self.call(self.functions[callee], self.values(args, slots, here), here)
            case k.Primitive(operation, args):
                return self.primitive(operation, self.values(args, slots, here), here)
            case k.Lookup():
                return self.lookup(node, slots, here)
            case k.Fetch():
                return self.fetch(node, slots, here)
            case k.Extend(environment, key, value):
                base, named, bound = self.values((environment, key, value), slots, here)
                return (FRAME, None, named, bound, base)
            case k.ExtendAll(environment, items):
                base, pairs = self.values((environment, items), slots, here)
                for pair in list_items(pairs):
                    base = (FRAME, None, pair[FIELDS], pair[FIELDS + 1], base)
                return base
            case k.Test(test, yes, no):
                taken = yes if self.value(test, slots, here) else no
                return self.value(taken, slots, here)
            case k.Match(subjects, own, clauses):
                found = self.values(subjects, slots, here)
                own_slots = {**slots, **dict(zip(own, found, strict=True))}
                return self.choose(found, clauses, own_slots, here)
            case k.Emit(text, then):
                self.record.output.append(self.value(text, slots, here))
                return self.value(then, slots, here)
            case k.Template(parts):
                return "".join(
                    part if isinstance(part, str) else self.shown(self.value(part, slots, here))
                    for part in parts
                )
            case k.Fail(error, args, at):
                payload = tuple(self.values(args, slots, here))
                at_node = here if at is None else self.value(at, slots, here)
                raise Failed(error, payload, at_node)
            case k.Todo(note, _, code):
                raise Unfinished(note, here, code)
            case k.Lambda(params, body):
                return partial(self.applied, params, body, slots, here)
            case k.CallValue(callee, args):
                function, *handed = self.values((callee, *args), slots, here)
                return function(*handed)
            case k.Knot():
                return self.knot(node, slots, here)
            case k.Attempt():
                return self.attempt(node, slots, here)
            case k.Ask():
                return (SOME, None, self.lines.pop(0)) if self.lines else NONE_NODE
            case k.TakeWay(guards):
                return self.take_way([bool(self.value(one, slots, here)) for one in guards], here)
            case k.Decided(choice, alternative):
                known_choice = self.interpreter.choices[choice]
                return self.interpreter.decided.get(choice, known_choice.default) == alternative
            case k.Loop():
                return self.loop(node, slots, here)
            case k.IsFinal(name, asked, listed):
                relation, beside = self.functions[name], self.values(asked, slots, here)
                if not listed:
                    return self.final(relation, beside)
                tested = list(list_items(beside[relation.control_place]))
                return self.first_not_final(relation, beside, tested) is None
            case k.Repeat():
                return self.repeat(node, slots, here)
            case k.StepList():
                return self.step_list(node, slots, here)

    def shown(self, value: Value) -> str:
        return value if isinstance(value, str) else self.machine.display.show(value)

    def applied(
        self, params: Sequence[int], body: k.Core, slots: Slots, here: Node, *given: Value
    ) -> Value:
        """A function that is a value, applied where its variables and its place are those of where
        it was made."""
        self.spend(1)
        return self.value(body, {**slots, **dict(zip(params, given, strict=True))}, here)

    def primitive(self, operation: str, args: list[Value], here: Node) -> Value:
        counted = {
            "alloc": "allocations", "reserve": "allocations", "store_with": "writes",
            "substitute": "substitutions",
        }.get(operation)  # fmt: skip
        if counted is not None:
            self.record.counts[counted] += 1
        try:
            return self.operations[operation](*args)
        except DividedByZero:
            raise Stuck("a division by zero that no clause takes care of", (), here) from None

    def lookup(self, node: k.Lookup, slots: Slots, here: Node) -> Value:
        """The value of the innermost frame with a name."""
        frame, key = self.values((node.environment, node.key), slots, here)
        self.record.counts["lookups"] += 1
        while frame is not EMPTY_NODE:
            knot = frame[FIELDS] if isinstance(frame[FIELDS], Knotted) else None
            if (knot.name if knot is not None else frame[FIELDS]) == key:
                value = knot.value if knot is not None else frame[FIELDS + 1]
                return (SOME, None, value) if node.wraps else value
            self.record.counts["hops"] += 1
            frame = frame[FIELDS + 2]
        if node.instead is None:
            raise Stuck(f"the environment has no {key}", (), here)
        return self.value(node.instead, slots, here)

    def fetch(self, node: k.Fetch, slots: Slots, here: Node) -> Value:
        container, key = self.values((node.container, node.key), slots, here)
        if node.kind == "store":
            self.record.counts["reads"] += 1
        found = self.operations[f"{node.kind}_find"](container, key)
        if found is not ABSENT:
            return (SOME, None, found) if node.wraps else found
        if node.instead is None:
            raise Stuck(f"the {node.kind} has nothing at that key", (), here)
        return self.value(node.instead, slots, here)

    def knot(self, node: k.Knot, slots: Slots, here: Node) -> Value:
        """An environment with frames whose values see the environment up to the last of them."""
        frame = self.value(node.base, slots, here)
        inner = {**slots, node.slot: frame}
        tied: list[Knotted] = []
        for key, _ in node.pairs:
            tied.append(Knotted(self.value(key, inner, here)))
            frame = (FRAME, None, tied[-1], None, frame)
        inner[node.slot] = frame
        for knotted, (_, expr) in zip(tied, node.pairs, strict=True):
            knotted.value = self.value(expr, inner, here)
        return self.value(node.then, inner, here)

    def attempt(self, node: k.Attempt, slots: Slots, here: Node) -> Value:
        try:
            return self.value(node.value, slots, here)
        except Failed as failed:
            for handler in node.handlers:
                bound: Slots = {}
                if handler.error is not failed.error or not all(
                    self.matches(pattern, value, bound)
                    for pattern, value in zip(handler.patterns, failed.payload, strict=True)
                ):
                    continue
                inner = {**slots, **bound}
                if handler.guard is None or self.value(handler.guard, inner, here):
                    return self.value(handler.body, inner, here)
            raise

    def loop(self, node: k.Loop, slots: Slots, here: Node) -> Value:
        items = self.value(node.items, slots, here)
        start = self.value(node.start, slots, here) if node.start is not None else None
        function = self.value(node.function, slots, here)
        if node.kind == "fold":
            for one in list_items(items):
                start = function(start, one)
            return start
        made = []
        for one in list_items(items):
            value = function(one)
            made += [value] if node.kind == "map" else [one] if value else []
        return make_list(made)

    def take_way(self, open_: Sequence[bool], here: Node) -> int:
        """The number of a way that is open: the first, or what is asked for."""
        numbers = [number for number, one in enumerate(open_) if one]
        if not numbers:
            raise Stuck("no way is open", (), here)
        if len(numbers) == 1:
            return numbers[0]
        at = self.ways.pop(0) if self.ways else 0
        if at >= len(numbers):
            raise Stuck(f"there is no way {at + 1} here, only {len(numbers)}", (), here)
        return numbers[at]

    # ---------------------------------------------------------------- small steps

    def repeat(self, node: k.Repeat, slots: Slots, here: Node) -> Value:
        """Steps until the subjects are final."""
        relation = self.functions[node.function]
        args = self.values(node.args, slots, here)
        while not self.final(relation, [args[number] for number in relation.subjects]):
            self.record.counts["rounds"] += 1
            step = self.call(relation, args, here)
            if not relation.becomes:
                args[relation.control] = step
                continue
            for index, number in enumerate(relation.becomes):
                args[number] = step[FIELDS + index]
        if not relation.becomes:
            return args[relation.control]
        return tuple_of(*(args[number] for number in relation.becomes))

    def step_list(self, node: k.StepList, slots: Slots, here: Node) -> Value:
        """The first item that is not final takes a step; the others stay."""
        relation = self.functions[node.function]
        items = list(list_items(self.value(node.items, slots, here)))
        args = self.values(node.args, slots, here)
        at = self.first_not_final(relation, [args[one] for one in relation.subjects], items)
        assert at is not None  # the guard of the clause has asked
        args[relation.control] = items[at]
        step = self.call(relation, args, here)
        if not relation.becomes:
            return make_list([*items[:at], step, *items[at + 1 :]])
        parts = dict(zip(relation.becomes, step[FIELDS:], strict=True))
        whole = make_list([*items[:at], parts[relation.control], *items[at + 1 :]])
        return tuple_of(*(
            whole if number == relation.control else part for number, part in parts.items()
        ))  # fmt: skip


def _place(end: Ended) -> tuple[int, int] | None:
    return end.node[1] if end.node is not None else None
