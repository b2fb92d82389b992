"""One run of an interpreter: the helpers that compiled code calls, within the limits of the run,
and how it ends."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from typing import Any, Protocol, TypeAlias

from msgspec.structs import replace

from embrix.brix.core import ErrorType, Interpreter
from embrix.grammar.printing import Printer
from embrix.machine.compiler import Compiled
from embrix.machine.display import Display
from embrix.machine.entered import EnteredClauses
from embrix.machine.exchange import Exchange
from embrix.machine.faults import (
    Ended,
    Failed,
    OutOfFuel,
    Stuck,
    Unfinished,
    absent,
    exhausted,
    fail,
    stuck,
    unfinished,
)
from embrix.machine.limits import Limits
from embrix.machine.outcome import Outcome, Shown
from embrix.machine.primitives import primitives
from embrix.machine.recorder import Recorder
from embrix.machine.stack import with_room
from embrix.machine.staging import Stages
from embrix.machine.unit import NOTHING, MarkedClauses, Undecided, Variant
from embrix.terms.binding import alike, free_names, fresh, substitute
from embrix.terms.names_inside import NamesInside
from embrix.terms.node import (
    FIELDS,
    Node,
    Place,
    Value,
    same,
)
from embrix.terms.numbers import DividedByZero, Number, TooLarge, operations
from embrix.terms.signature import Signature
from embrix.terms.types import Tup, settle
from embrix.text.collecting import uncollected
from embrix.text.plural import counted

_LIMIT_TEXTS: dict[str, Callable[[Limits], str]] = {
    "calls": lambda most: f"more than {counted(most.calls, 'call')}",
    "depth": lambda most: f"calls nested more than {most.depth:,} deep",
    "output": lambda most: f"more than {counted(most.output, 'character')} of output",
    "numbers": lambda most: f"a number of more than {counted(most.number_bits, 'bit')}",
    "text": lambda most: f"a text of more than {counted(most.text, 'character')}",
    "memory": lambda most: "more memory than a run may use",
    "recorded events": lambda most: f"more than {counted(most.events, 'recorded step')}",
}


class RunSoFar(Protocol):
    """How far a run has come when it is at a state."""

    output: list[str]
    taken: list[tuple[int, int]]
    asked: int

    def come_to(
        self, output: Sequence[str], taken: Sequence[tuple[int, int]], asked: int
    ) -> None: ...


Watch: TypeAlias = Callable[[tuple[Value, ...], RunSoFar], "tuple[Value, ...] | None"]
"""Is told of a state; the run goes on from another one where it gives one."""


class Runnable(Protocol):
    """An interpreter that is ready to run."""

    interpreter: Interpreter
    printer: Printer | None
    display: Display
    entered: EnteredClauses

    def compiled(self, variant: Variant, *, brief: bool) -> Compiled: ...

    def sentence(self, error: ErrorType, payload: Sequence[Value]) -> str: ...


class OneRun(Exchange):
    """One run: the helpers that compiled code calls, with the limits of this run."""

    def __init__(
        self,
        machine: Runnable,
        limits: Limits,
        variant: Variant,
        recorder: Recorder | None,
        given_input: Sequence[str] = (),
        ways: Sequence[int] = (),
        watch: Watch | None = None,
        *,
        brief: bool = True,
    ) -> None:
        self.machine = machine
        self.recorder = recorder
        self.worn = False
        """Whether it came to the end of memory or depth, so that no other run begins with it."""
        self._begin(limits, given_input, ways, watch)
        interpreter = machine.interpreter
        language = interpreter.language
        signature = interpreter.signature
        compiled = machine.compiled(variant, brief=brief)
        if compiled.unit.marks is None:
            machine.entered.unmarked()
        arithmetic = operations(language.numbers, limits.number_bits, self.spend)
        printer = machine.printer

        def accept(name: str) -> bool:
            return printer is None or printer.literal(name) is not None

        def placed(name: str) -> Callable[[Number, Number, Node], Number]:
            operation = arithmetic[name]

            def divided(a: Number, b: Number, here: Node) -> Number:
                try:
                    return operation(a, b)
                except DividedByZero:
                    reason = "a division by zero that no clause takes care of"
                    raise Stuck(reason, (), here) from None

            return divided

        helpers: dict[str, Any] = {
            "exhausted": exhausted, "fail": fail, "stuck": stuck, "absent": absent,
            "unfinished": unfinished, **arithmetic,
            **{name: placed(name) for name in ("divide", "floor_divide", "modulo")},
            "equal": lambda a, b: same(a, b, self.spend),
            "free": lambda e: free_names(signature, e, self.spend, self.names),
            "substitute": self._substitution(signature, accept),
            "put": recorder.substituted if recorder else None,
            "alike": lambda a, b: alike(signature, a, b, self.spend),
            "fresh": lambda x, names: fresh(x, names, accept),
            "emit": self.emit, "text": self.text,
            **primitives(limits, self.spend, language.numbers, NOTHING),
            "failed": Failed, "ask": self.ask, "take_way": self.take_way, "at_state": self.at_state,
             "kind_of": type, "whole_kind": int,
            "mark": recorder.mark if recorder else None,
            "caught": recorder.caught if recorder else None,
            "enter": recorder.enter if recorder else None,
            "leave": recorder.leave if recorder else None,
            "clause_of": recorder.clauses if recorder else None,
            "tail": recorder.tails.add if recorder else None,
            "wait": recorder.pending.append if recorder else None,
            "waiting": recorder.pending.__len__ if recorder else None,
            "settle": recorder.settle if recorder else None,
        }  # fmt: skip
        stages = Stages(compiled)
        helpers |= {"identity": id, "heat": stages.heat, **stages.finders()}
        variables = stages.variables = compiled.link(limits.calls, helpers, self._constant)
        self.space: dict[str, Any] = {
            name: variables[variable].cell_contents for name, variable in compiled.exports.items()
        }

    def _begin(
        self, limits: Limits, given_input: Sequence[str], ways: Sequence[int], watch: Watch | None
    ) -> None:
        self.limits = limits
        self.ways = ways
        self.taken: list[tuple[int, int]] = []
        """The number of each way that was taken where several were open, and how many there were.
        """
        self.watch = watch
        self.visited = 0
        """Nodes that substitutions have gone by."""
        signature = self.machine.interpreter.signature
        self.names = NamesInside(signature) if signature.scopes is not None else None
        """What stands in the terms of this run."""
        self.open_exchange(given_input)

    def begin_again(
        self, limits: Limits, given_input: Sequence[str], ways: Sequence[int], watch: Watch | None
    ) -> bool:
        """Make ready for another run that nobody can stop, where nothing is counted or recorded.
        False where that is not possible: the limits may differ in the number of calls alone."""
        if replace(limits, calls=self.limits.calls) != self.limits:
            return False
        self._begin(limits, given_input, ways, watch)
        self.space[" reset"](limits.calls)
        return True

    def _substitution(
        self, signature: Signature, accept: Callable[[str], bool]
    ) -> Callable[[Value, str, Value], Value]:
        recorder = self.recorder

        def plain(value: Value, name: str, term: Value) -> Value:
            return substitute(signature, value, name, term, accept, self.walk, self.names)

        def recorded(value: Value, name: str, term: Value) -> Value:
            assert recorder is not None
            return recorder.substituted(name, value, term, plain(value, name, term))

        return plain if recorder is None else recorded

    def call(self, name: str, *args: Any) -> Any:
        """A function of the definition, with whatever it bounces to."""
        result = self.space[name](*args)
        if result is not self.space[" bounce"]:
            return result
        result = self.space[" run"]()
        return self.recorder.settle(result, 0) if self.recorder is not None else result

    def take_way(self, open_: tuple[bool, ...], here: Node) -> int:
        """The number of the way that is taken: one that is open."""
        numbers = [number for number, one in enumerate(open_) if one]
        if not numbers:
            raise Stuck("no way is open", (), here)
        if len(numbers) == 1:
            return numbers[0]
        turn = len(self.taken)
        at = self.ways[turn] if turn < len(self.ways) else 0
        if at >= len(numbers):
            raise Stuck(f"there is no way {at + 1} here, only {len(numbers)}", (), here)
        self.taken.append((at, len(numbers)))
        return numbers[at]

    def at_state(self, state: tuple[Value, ...]) -> tuple[Value, ...] | None:
        """A `repeat` is about to take a step from a state; the one from which it does instead."""
        return self.watch(state, self) if self.watch is not None else None

    def come_to(self, output: Sequence[str], taken: Sequence[tuple[int, int]], asked: int) -> None:
        """The run is as far as another one was, which had written, taken and read as much."""
        self.output[:] = output
        self.taken[:] = taken
        self.asked = asked
        self._written = sum(map(len, output))

    def walk(self, nodes: int) -> None:
        """A substitution has gone by so many nodes."""
        self.visited += nodes
        self.spend(nodes)

    def _constant(self, value: Any) -> Any:
        """A constant of compiled code; one that stands for a choice is what decides it here."""
        if isinstance(value, MarkedClauses):
            return self.machine.entered.marks(value)
        if not isinstance(value, Undecided):
            return value
        interpreter = self.machine.interpreter
        known = interpreter.choices[value.choice]
        return interpreter.decided.get(value.choice, known.default)

    def spend(self, nodes: int) -> None:
        """Walks over terms use fuel as well, so that every run is bounded."""
        self.space[" spend"](nodes)

    def emit(self, text: str) -> None:
        super().emit(text)
        if self.recorder is not None:
            self.recorder.wrote()

    def text(self, plain: tuple[bool, ...], parts: tuple[Value, ...]) -> str:
        """The text of a template."""
        most = self.limits.text
        show = self.machine.display.show
        pieces = [
            part if is_plain or isinstance(part, str) else show(part, most)
            for is_plain, part in zip(plain, parts, strict=True)
        ]
        return self.joined(pieces, self.spend)

    def guarded(self, work: Callable[[], Any], *, roomy: bool = True) -> Any:
        """Do something with deep recursion allowed; what goes wrong is raised as `Ended`.

        That is raised outside of the handlers, so that it does not keep what it stands for, and
        with it thousands of frames."""
        before = sys.getrecursionlimit()
        sys.setrecursionlimit(max(before, self.limits.depth + 1_000))
        try:
            with uncollected():
                return with_room(work) if roomy else work()
        except RecursionError:
            limit = "depth"
        except (MemoryError, SystemError):
            # CPython reports a frame that finds no memory as an "error return without exception".
            limit = "memory"
        except TooLarge:
            limit = "numbers"
        finally:
            sys.setrecursionlimit(before)
        self.worn = limit != "numbers"
        self.machine.entered.unmarked()  # where this happens does not rest on the clauses alone
        raise OutOfFuel(limit)

    def outcome(self, work: Callable[[], Value], *, roomy: bool = True) -> tuple[Outcome, Shown]:
        """How a run ended, and the final state: what comes beside the value."""
        try:
            value = self.guarded(work, roomy=roomy)
        except Ended as end:
            return self._ended(end), Shown()
        main = self.machine.interpreter.functions[self.machine.interpreter.main]
        if isinstance(settle(main.result), Tup) and len(value) > FIELDS:
            return came_to(self.machine, value[FIELDS], value[FIELDS + 1 :])
        return came_to(self.machine, value)

    def _ended(self, ended: Ended) -> Outcome:
        """How a run ended without a value."""
        machine = self.machine
        match ended:
            case Failed(error=error, payload=payload):
                return Outcome("failure", machine.sentence(error, payload), error.name,
                               place=_place(ended))  # fmt: skip
            case Stuck(reason=reason, subjects=subjects):
                shown = ", ".join(machine.display.structure(value) for value in subjects)
                return Outcome("stuck", f"{reason}: {shown}" if shown else reason,
                               place=_place(ended))  # fmt: skip
            case Unfinished(note=note, code=code):
                return Outcome("unfinished", note, code, place=_place(ended))
            case OutOfFuel(limit=limit):
                return Outcome("out of fuel", _LIMIT_TEXTS[limit](self.limits), limit)
        raise AssertionError(f"{ended!r} is no way to end")


def came_to(
    machine: Runnable, value: Value, beside: Sequence[Value] | Callable[[], Sequence[Value]] = ()
) -> tuple[Outcome, Shown]:
    """The outcome of a run that gives a value, and the final state: what comes beside it."""
    display = machine.display
    shown = display.outcome(value)
    outcome = Outcome("value", shown, "", display.structure(value), None, value)
    return outcome, Shown(beside, display.show)


def _place(end: Ended) -> Place | None:
    return end.node[1] if end.node is not None else None
