"""An interpreter ready to run programs."""

from __future__ import annotations

import sys
from collections.abc import Callable, Hashable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from functools import partial
from typing import Any
from weakref import WeakKeyDictionary

from embrix.brix.core import RESULT, Function, Interpreter, Law, Meaning, TemplateParts
from embrix.grammar.printed import Part, Parts
from embrix.grammar.printing import Printer
from embrix.machine.body import nothing_kept
from embrix.machine.compiler import HELPERS, Compiled, compile_interpreter
from embrix.machine.display import Display, plainly
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
from embrix.machine.outcome import Outcome, Result, Shown
from embrix.machine.primitives import CHARACTERS, primitives
from embrix.machine.recorder import NOT_LEFT, Recorder
from embrix.machine.stack import with_room
from embrix.machine.staging import Stages
from embrix.machine.unit import Undecided, Variant, substituters
from embrix.terms.binding import alike, free_names, fresh, substitute
from embrix.terms.collecting import uncollected
from embrix.terms.node import (
    FIELDS,
    FRAME,
    KNOT,
    NIL_NODE,
    NONE_NODE,
    SOME,
    STORE,
    Node,
    Place,
    Value,
    make_list,
    same,
    tuple_of,
)
from embrix.terms.numbers import DividedByZero, Number, TooLarge, operations
from embrix.terms.signature import Signature
from embrix.terms.types import Tup, settle
from embrix.text.plural import counted
from embrix.text.visible import cut

_FURTHER = {
    "allocations": "allocated", "reads": "read", "writes": "written", "suspensions made": "made",
    "suspensions forced": "forced", "suspensions reused": "reused", "substitutions": "substituted",
}  # fmt: skip
"""What is told of the costs only where there is any of it."""

_LIMIT_TEXTS: dict[str, Callable[[Limits], str]] = {
    "calls": lambda most: f"more than {counted(most.calls, 'call')}",
    "depth": lambda most: f"calls nested more than {most.depth:,} deep",
    "output": lambda most: f"more than {counted(most.output, 'character')} of output",
    "numbers": lambda most: f"a number of more than {counted(most.number_bits, 'bit')}",
    "text": lambda most: f"a text of more than {counted(most.text, 'character')}",
    "memory": lambda most: "all the memory a run may have",
    "recorded moments": lambda most: f"more than {counted(most.moments, 'recorded step')}",
}


NESTED, NESTED_CALLS = 40, 1_000
"""How deep displays may be worked out inside each other by functions of a definition, and how many
inside one."""
ASIDE = Limits(calls=100_000, text=20_000)
"""What a function may use that is applied beside any run."""

_COMPILED: WeakKeyDictionary[Meaning, dict[Hashable, Compiled]] = WeakKeyDictionary()
"""What has been compiled for interpreters that say the same."""


def _compiled(interpreter: Interpreter, variant: Variant, *, decided: bool) -> Compiled:
    """The interpreter compiled as its choices are decided, or for all ways of deciding them."""
    known = _COMPILED.setdefault(interpreter.meaning, {})
    ways = tuple(sorted(interpreter.decided.items())) if decided else None
    key = (variant, interpreter.language.numbers, ways)
    if key not in known:
        # Without a way back to its meaning, which would then never be forgotten.
        alone = replace(interpreter, base=None, meaning=Meaning())
        known[key] = compile_interpreter(alone, variant, decided=decided)
    return known[key]


class Machine:
    """Compiles an interpreter once per variant and runs programs on it."""

    def __init__(self, interpreter: Interpreter, *, brief: bool = False) -> None:
        """A `brief` machine begins quickly where only choices tell it from others: what is compiled
        serves all of them, and is not made faster while it runs."""
        self.interpreter = interpreter
        self._brief = brief and interpreter.base is not None
        grammar = interpreter.language.grammar
        self.printer = Printer(grammar, self._show_other) if grammar is not None else None
        self._aside: _Session | None = None
        self._showing = 0
        """How many displays are being worked out inside each other."""
        self._nested_left = 0
        self.display = Display(interpreter, self.printer, self._show_by_clause)

    @property
    def takes_bindings(self) -> bool:
        """Whether `main` has a parameter for bindings by hand."""
        return len(self.interpreter.functions[self.interpreter.main].params) >= 2

    @property
    def keeps(self) -> bool:
        """Whether `main` takes up what another run has left beside its value."""
        return len(self.interpreter.functions[self.interpreter.main].params) > 2

    def compiled(self, variant: Variant) -> Compiled:
        return _compiled(self.interpreter, variant, decided=not self._brief)

    def run(
        self,
        term: Node,
        given: Sequence[tuple[str, Value]] = (),
        *,
        variant: Variant = "counted",
        limits: Limits | None = None,
        recorder: Recorder | None = None,
        on_start: Callable[[Callable[[], None]], None] | None = None,
        given_input: Sequence[str] = (),
        kept: Sequence[Value] | None = None,
    ) -> Result:
        """Run a program on lines of input. Every way to end is an outcome; nothing is raised.
        `kept` is what another run has left beside its value, where `main` takes that up.

        `on_start` is told how to stop the run from another thread. A traced run needs a recorder.
        """
        limits = limits or Limits()
        session = _Session(self, limits, variant, recorder, given_input)
        if on_start is not None:
            on_start(session.space[" stop"])
        main = self.interpreter.functions[self.interpreter.main]
        args: list[Any] = [term]
        if len(main.params) >= 2:
            args.append(make_list([tuple_of(name, value) for name, value in given]))
        args += nothing_kept(main) if kept is None or not self.keeps else kept
        if main.subject is None:
            args.append(term)
        outcome, state = session.outcome(lambda: session.call(main.name, *args))
        costs = {}
        if variant == "counted":
            costs = self._costs(session.space[" counts"](), session.visited)
        return Result(outcome, tuple(session.output), costs, state)

    @contextmanager
    def evaluator(self, limits: Limits) -> Iterator[Callable[[Node], Value]]:
        """A function that evaluates programs one after another on one lot of fuel, without
        bindings, and gives their values as they are. It raises `Ended`."""
        session = _Session(self, limits, "plain", None)
        main = self.interpreter.functions[self.interpreter.main]
        given = [NIL_NODE, *nothing_kept(main)] if self.takes_bindings else []
        run = session.space[main.name]
        bounce, finish = session.space[" bounce"], session.space[" run"]

        def evaluate(term: Node) -> Value:
            extra = [term] if main.subject is None else []

            def work() -> Value:
                result = run(term, *given, *extra)
                return finish() if result is bounce else result

            return session.guarded(work)

        yield evaluate

    def test_law(
        self, law: Law, args: Sequence[Value], limits: Limits | None = None
    ) -> bool | None:
        """Whether a law holds for these terms; None when that could not be found out."""
        session = _Session(self, limits or Limits(calls=100_000), "plain", None)
        number = self.interpreter.laws.index(law)
        root = next((arg for arg in args if isinstance(arg, tuple)), NIL_NODE)
        try:
            return bool(session.guarded(lambda: session.call(f"law {number}", *args, root)))
        except Ended:
            return None

    def _costs(self, counts: dict[str, int], visited: int) -> dict[str, int]:
        """Counts by what they count: steps of a small-step lane or judgements of any other, calls
        of each function, lookups and the frames passed on the way, and the greatest depth."""
        functions = self.interpreter.functions
        calls = {name: counts[f"n{number}"] for number, name in enumerate(functions)}
        if self.interpreter.steps is not None:
            costs = {"steps": counts["rounds"]}
        else:
            judged = [name for name, function in functions.items() if function.judgement]
            costs = {"judgements": sum(calls[name] for name in judged)}
        costs["calls"] = sum(calls.values())
        for name, count in _FURTHER.items():
            if counts[count]:
                costs[name] = counts[count]
        # A substitution by hand goes by a node at each call.
        visited += sum(calls[name] for name in substituters(self.interpreter))
        if visited:
            costs["nodes visited"] = visited
        costs.update((f"calls of {name}", number) for name, number in calls.items())
        costs["lookups"] = counts["lookups"]
        costs["hops"] = counts["hops"]
        costs["depth"] = counts["deepest"]
        return costs

    def _show_other(self, part: Part) -> Parts:
        """What stands for a node that only runs make, inside a printed term."""
        return self.display.parts(part)

    def _show_by_clause(self, tag: int, fields: tuple[Value, ...]) -> Any:
        """What the `shown` of a constructor gives; a display that never ends is cut off."""
        shown = self.interpreter.shown[tag]
        plain = plainly(shown.body, dict(zip(shown.slots, fields, strict=True)))
        if plain is not None:
            return plain
        if not self._showing:
            self._nested_left = NESTED_CALLS
        self._nested_left -= 1
        if self._showing >= NESTED or self._nested_left < 0:
            return iter(("…",))
        self._showing += 1
        try:
            return self.apply(f"shown {tag}", fields)
        except Ended:
            return iter(("…",))
        finally:
            self._showing -= 1

    def apply(self, name: str, args: Sequence[Value]) -> Any:
        """A function of the definition applied beside any run. One session serves many calls;
        when its fuel is spent a fresh one tries again. Raises `Ended`."""
        root = next((arg for arg in args if isinstance(arg, tuple)), (0, None))
        function = self.interpreter.functions.get(name)
        extra = [root] if function is None or function.subject is None else []
        for last in (False, True):
            session = self._aside or _Session(self, ASIDE, "plain", None)
            self._aside = session
            try:
                return session.guarded(partial(session.call, name, *args, *extra), roomy=False)
            except OutOfFuel:
                self._aside = None
                if last:
                    raise
            except BaseException as stopped:
                if not isinstance(stopped, Ended):
                    self._aside = None  # who knows where it was
                raise
        raise AssertionError("the second attempt returns or raises")

    # ---------------------------------------------------------------- templates

    def fill(
        self,
        parts: TemplateParts,
        values: Sequence[Value],
        results: Value = NOT_LEFT,
        room: int | None = None,
        most: int | None = None,
    ) -> str:
        """A template with values shown in it; `results` is what came out, if it is known. With
        `room`, environments and stores are cut off after so many characters; with `most` every
        value is."""
        filled = (
            part if isinstance(part, str) else self._filled(part, values, results, room)
            for part in parts
        )
        return "".join(filled if most is None else (cut(text, most) for text in filled))

    def _filled(self, part: int, values: Sequence[Value], results: Value, room: int | None) -> str:
        if part < 0 and results is NOT_LEFT:
            return "…"
        value = results if part == RESULT else None
        if part >= 0:
            value = values[part]
        elif part != RESULT:
            value = results[FIELDS + RESULT - part - 1]
        shown = self.display.show(value)
        wide = isinstance(value, tuple) and value[0] in (FRAME, KNOT, STORE)
        if room is not None and wide and len(shown) > room:
            return f"{shown[: room - 1]}…"
        return shown

    def function_number(self, number: int) -> Function:
        """The function that a recorder knows by a number."""
        return list(self.interpreter.functions.values())[number]


class _Session:
    """One run: the helpers that compiled code calls, with the limits of this run."""

    def __init__(
        self,
        machine: Machine,
        limits: Limits,
        variant: Variant,
        recorder: Recorder | None,
        given_input: Sequence[str] = (),
    ) -> None:
        self.machine = machine
        self.limits = limits
        self.recorder = recorder
        self.visited = 0
        """Nodes that substitutions have gone by."""
        self.output: list[str] = []
        self.input = given_input
        self._asked = 0
        self._written = 0
        interpreter = machine.interpreter
        language = interpreter.language
        signature = interpreter.signature
        compiled = machine.compiled(variant)
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
            "free": lambda e: free_names(signature, e, self.spend),
            "substitute": self._substitution(signature, accept),
            "put": recorder.substituted if recorder else None,
            "alike": lambda a, b: alike(signature, a, b, self.spend),
            "fresh": lambda x, names: fresh(x, names, accept),
            "emit": self.emit, "text": self.text,
            **primitives(limits, self.spend, language.numbers, compiled.constants[3]),
            "failed": Failed, "ask": self.ask, "kind_of": type, "whole_kind": int,
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
        helpers |= {"identity": id, "heat": stages.heat}
        self.space: dict[str, Any] = compiled.link(
            limits.calls, *map(self._constant, compiled.constants),
            *(helpers[name] for name in HELPERS), *stages.finders(),
        )  # fmt: skip
        stages.connect(self.space.get(" variables"))

    def _substitution(
        self, signature: Signature, accept: Callable[[str], bool]
    ) -> Callable[[Value, str, Value], Value]:
        recorder = self.recorder

        def plain(value: Value, name: str, term: Value) -> Value:
            return substitute(signature, value, name, term, accept, self.walk)

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

    def ask(self) -> Node:
        """The next line of input."""
        if self._asked >= len(self.input):
            return NONE_NODE
        self._asked += 1
        return (SOME, None, self.input[self._asked - 1])

    def walk(self, nodes: int) -> None:
        """A substitution has gone by so many nodes."""
        self.visited += nodes
        self.spend(nodes)

    def _constant(self, value: Any) -> Any:
        """A constant of compiled code; one that stands for a choice is what decides it here."""
        if not isinstance(value, Undecided):
            return value
        interpreter = self.machine.interpreter
        known = interpreter.choices[value.choice]
        return interpreter.decided.get(value.choice, known.default)

    def spend(self, nodes: int) -> None:
        """Walks over terms use fuel as well, so that every run is bounded."""
        self.space[" spend"](nodes)

    def emit(self, text: str) -> None:
        self._written += len(text)
        if self._written > self.limits.output:
            raise OutOfFuel("output")
        self.output.append(text)
        if self.recorder is not None:
            self.recorder.wrote()

    def text(self, plain: tuple[bool, ...], parts: tuple[Value, ...]) -> str:
        """The text of a template; nothing in it is cut off, it is too long or it is whole."""
        most = self.limits.text
        show = self.machine.display.show
        pieces = [
            part if is_plain or isinstance(part, str) else show(part, most)
            for is_plain, part in zip(plain, parts, strict=True)
        ]
        length = sum(map(len, pieces))
        if length > most:
            raise OutOfFuel("text")
        if length > CHARACTERS:
            self.spend(length // CHARACTERS)
        return "".join(pieces)

    def guarded(self, work: Callable[[], Any], *, roomy: bool = True) -> Any:
        """Do something with deep recursion allowed; what goes wrong is raised as `Ended`."""
        before = sys.getrecursionlimit()
        sys.setrecursionlimit(max(before, self.limits.depth + 1_000))
        try:
            with uncollected():
                return with_room(work) if roomy else work()
        except RecursionError:
            raise OutOfFuel("depth") from None
        except (MemoryError, SystemError):
            # CPython reports a frame that finds no memory as an "error return without exception".
            raise OutOfFuel("memory") from None
        except TooLarge:
            raise OutOfFuel("numbers") from None
        finally:
            sys.setrecursionlimit(before)

    def outcome(self, work: Callable[[], Value]) -> tuple[Outcome, Shown]:
        """How a run ended, and the final state: what comes beside the value."""
        display = self.machine.display
        try:
            value = self.guarded(work)
        except Ended as end:
            return self._ended(end), Shown()
        main = self.machine.interpreter.functions[self.machine.interpreter.main]
        state = Shown()
        if isinstance(settle(main.result), Tup) and len(value) > FIELDS:
            state = Shown(value[FIELDS + 1 :], display.show)
            value = value[FIELDS]
        shown = display.outcome(value)
        return Outcome("value", shown, "", display.structure(value), None, value), state

    def _ended(self, ended: Ended) -> Outcome:
        machine = self.machine
        try:
            raise ended
        except Failed as failed:
            text = machine.fill(failed.error.message, failed.payload)
            return Outcome("failure", text, failed.error.name, place=_place(failed))
        except Stuck as end:
            shown = ", ".join(machine.display.structure(value) for value in end.subjects)
            text = f"{end.reason}: {shown}" if shown else end.reason
            return Outcome("stuck", text, place=_place(end))
        except Unfinished as end:
            return Outcome("unfinished", end.note, end.code, place=_place(end))
        except OutOfFuel as end:
            text = _LIMIT_TEXTS[end.limit](self.limits)
            return Outcome("out of fuel", text, end.limit)
        raise AssertionError(f"{ended!r} is no way to end")


def _place(end: Ended) -> Place | None:
    return end.node[1] if end.node is not None else None
