"""An interpreter ready to run programs."""

from __future__ import annotations

import logging
from collections.abc import Callable, Hashable, Iterator, Sequence
from contextlib import contextmanager, suppress
from functools import cached_property, partial
from typing import TYPE_CHECKING, Any, Literal, TypeAlias
from weakref import WeakKeyDictionary

from msgspec.structs import replace

from embrix.brix.core import RESULT, ErrorType, Function, Interpreter, Law, Meaning, TemplateParts
from embrix.grammar.printed import Part, Parts
from embrix.grammar.printing import Printer
from embrix.machine.body import nothing_kept
from embrix.machine.compiler import Compiled, compile_interpreter
from embrix.machine.display import Display, plainly
from embrix.machine.entered import EnteredClauses
from embrix.machine.faults import Ended, Failed, OutOfFuel, Stuck
from embrix.machine.limits import Limits
from embrix.machine.one_run import OneRun, Watch, came_to
from embrix.machine.outcome import Result, Shown
from embrix.machine.recorder import NOT_LEFT, Recorder
from embrix.machine.residual.specialisable import may_be_specialised
from embrix.machine.unit import Variant, substituters
from embrix.terms.node import (
    FIELDS,
    FRAME,
    KNOT,
    NIL_NODE,
    STORE,
    Node,
    Value,
    make_list,
    tuple_of,
)
from embrix.text.visible import cut

if TYPE_CHECKING:
    from embrix.machine.residual.residual_run import ResidualProgram, Surroundings

_FURTHER = {
    "allocations": "allocated", "reads": "read", "writes": "written", "suspensions made": "made",
    "suspensions forced": "forced", "suspensions reused": "reused", "substitutions": "substituted",
}  # fmt: skip
"""Costs that are shown only where there are any."""

LawTrial: TypeAlias = Literal["true", "false", "failed", "apart", "open"]
"""What may come of a law: its condition does not hold (`apart`), it fails or is stuck, or nobody
knows because something is unfinished or takes too long (`open`)."""

LOG = logging.getLogger(__name__)
FEW, SOON = 40_000, 5_000
"""Calls that a run makes on brief code; most programs make fewer. Where a residual program may go
on that is soon."""
MOST_LEFT = 1_500
"""Statements of a residual program that a run goes on as: more take longer to make than they save.
"""
MOST_RESIDUAL = 16
"""Residual programs that are remembered."""
NESTED, NESTED_CALLS = 40, 1_000
"""How deep displays may be worked out inside each other by functions of a definition, and how many
inside one."""
ASIDE = Limits(calls=100_000, text=20_000)
"""What a function may use that is applied beside any run."""

_COMPILED: WeakKeyDictionary[Meaning, dict[Hashable, Compiled]] = WeakKeyDictionary()
"""What has been compiled for interpreters that say the same."""


def _compiled(interpreter: Interpreter, variant: Variant, *, brief: bool) -> Compiled:
    """The interpreter compiled as its choices are decided, or briefly for all ways."""
    known = _COMPILED.setdefault(interpreter.meaning, {})
    decided = (interpreter.language.numbers, *sorted(interpreter.decided.items()))
    key = (variant, None if brief else decided)
    if key not in known:
        # Without a way back to its meaning, which would then never be forgotten.
        alone = replace(interpreter, base=None, meaning=Meaning())
        known[key] = compile_interpreter(alone, variant, brief=brief)
    return known[key]


class Machine:
    """Compiles an interpreter once per variant and runs programs on it."""

    def __init__(self, interpreter: Interpreter) -> None:
        self.interpreter = interpreter
        grammar = interpreter.language.grammar
        self.printer = Printer(grammar, self._show_other) if grammar is not None else None
        self.entered = EnteredClauses()
        self._aside: OneRun | None = None
        self._idle: list[OneRun] = []
        """A run on brief code that is over, for the next one to begin with: to make what a run
        needs takes longer than most programs. Whoever takes it has it alone, in whatever thread."""
        self._residuals: dict[tuple[int, tuple[str, ...]], tuple[Node, ResidualProgram | None]] = {}
        """By the identity of a program what is left of it, if anything can be."""
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

    def compiled(self, variant: Variant, *, brief: bool) -> Compiled:
        return _compiled(self.interpreter, variant, brief=brief)

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
        ways: Sequence[int] = (),
        watch: Watch | None = None,
        few: int | None = None,
        roomy: bool = True,
        residual: bool | None = None,
    ) -> Result:
        """Run a program on lines of input. Every way to end is an outcome; nothing is raised.
        `kept` is what another run has left beside its value, where `main` takes that up; `ways`
        are those to take where several are open, the first ones when there are no more. `watch`
        is told of each state that a `repeat` comes to, where there may be several ways. Runs that
        are made where there is room for deep recursion need not be `roomy`.

        `on_start` is told how to stop the run from another thread. A traced run needs a recorder.

        A run begins on code that is soon compiled; where it makes more than a `few` calls it begins
        once more, on code that is fast. Where nothing is counted and the program can be specialised
        it goes on as a `residual` program before that: at once where that is asked for, and never
        where it is False. Fast code gains nothing where a record is kept, which takes so long, and
        where terms are entered that the run itself has made, by substitution or by small steps.
        """
        limits = limits or Limits()
        main = self.interpreter.functions[self.interpreter.main]
        args: list[Any] = [term]
        if len(main.params) >= 2:
            args.append(make_list([tuple_of(name, value) for name, value in given]))
        args += nothing_kept(main) if kept is None or not self.keeps else kept
        if main.subject is None:
            args.append(term)
        stopped: list[bool] = []

        def result(limits: Limits, *, brief: bool) -> Result:
            with self._begun(
                limits, variant, recorder, given_input, ways, watch,
                brief=brief, again=on_start is None,
            ) as session:  # fmt: skip
                if on_start is not None:

                    def stop() -> None:
                        stopped.append(True)
                        session.space[" stop"]()

                    on_start(stop)
                    if stopped:
                        stop()
                outcome, state = session.outcome(
                    lambda: session.call(main.name, *args), roomy=roomy
                )
                counts = session.space[" counts"]()
            costs = self._costs(counts, session.visited) if variant == "counted" else {}
            return Result(
                outcome, tuple(session.output), costs, state, tuple(session.taken),
                limits.calls - counts["fuel"],
            )  # fmt: skip

        specialisable = (
            variant == "plain" and kept is None and not ways and watch is None
            and residual is not False
        )  # fmt: skip
        if few is None:
            few = SOON if specialisable and self._may_be_specialised else FEW
        if residual and specialisable:
            few = 0
        soon_over = limits.calls <= few or not self._may_be_specialised
        if variant == "traced" or watch is not None or (few and soon_over):
            return result(limits, brief=True)
        if few:
            found = result(replace(limits, calls=few), brief=True)
            if stopped or not found.cut:
                return found
        if specialisable and self._may_be_specialised:
            left = self.residual(term, tuple(name for name, _ in given))
            if left is not None:
                from embrix.machine.residual.residual_run import Surroundings

                values = [value for _, value in given]
                around = Surroundings(limits, self.display, given_input, values)
                again = partial(
                    self.run, term, given, variant=variant, limits=limits,
                    given_input=given_input, residual=False,
                )  # fmt: skip
                found_left = self._run_left(left, around, again, stopped, on_start)
                if found_left is not None:
                    return found_left
            if 0 < few < FEW and not stopped:
                found = result(replace(limits, calls=min(FEW, limits.calls)), brief=True)
                if stopped or not found.cut or limits.calls <= FEW:
                    return found
        return result(limits, brief=False)

    @cached_property
    def _may_be_specialised(self) -> bool:
        return may_be_specialised(self.interpreter)

    def residual(self, term: Node, names: tuple[str, ...] = ()) -> ResidualProgram | None:
        """The residual program of a program with some names supplied by hand, where it can be
        specialised; it is remembered for a while."""
        known = self._residuals.get((id(term), names))
        if known is None:
            # Most runs are over before.
            from embrix.machine.residual.knowledge import NotResidual
            from embrix.machine.residual.residual_run import specialise

            if len(self._residuals) >= MOST_RESIDUAL:
                self._residuals.clear()
            try:
                known = term, specialise(self.interpreter, term, names, MOST_LEFT)
            except NotResidual:
                known = term, None
            except Exception:
                # A fault of ours: the run must go on all the same.
                LOG.exception("a program was not specialised")
                known = term, None
            self._residuals[id(term), names] = known
        return known[1]

    def _run_left(
        self, program: ResidualProgram, around: Surroundings, again: Callable[[], Result],
        stopped: list[bool], on_start: Callable[[Callable[[], None]], None] | None,
    ) -> Result | None:  # fmt: skip
        """What a residual program comes to; None where that is for the interpreter to say."""
        from embrix.machine.residual.residual_run import HandedBack

        if on_start is not None:

            def stop() -> None:
                stopped.append(True)
                around.stop()

            on_start(stop)
        self.entered.unmarked()  # nobody knows by which clauses
        try:
            ran = program.run(around)
        except HandedBack:
            return None
        made = ran.beside

        def beside() -> Sequence[Value]:
            """What came beside the value, by the interpreter where that cannot be put together."""
            try:
                return made() if made is not None else ()
            except (HandedBack, RecursionError):
                state = again().state
                return state.values if isinstance(state, Shown) else ()

        outcome, state = came_to(self, ran.value, beside if made is not None else ())
        return Result(outcome, tuple(around.output), {}, state, (), ran.spent)

    @contextmanager
    def _begun(
        self,
        limits: Limits,
        variant: Variant = "plain",
        recorder: Recorder | None = None,
        given_input: Sequence[str] = (),
        ways: Sequence[int] = (),
        watch: Watch | None = None,
        *,
        brief: bool = True,
        again: bool = True,
    ) -> Iterator[OneRun]:
        """A run. On brief code it begins `again` with what the last one has left, where nothing of
        that can be seen."""
        again = again and brief and variant == "plain"
        session: OneRun | None = None
        if again:
            with suppress(IndexError):
                session = self._idle.pop()
        if session is None or not session.begin_again(limits, given_input, ways, watch):
            session = OneRun(self, limits, variant, recorder, given_input, ways, watch, brief=brief)
        try:
            yield session
        finally:
            if again and not session.worn and not self._idle:
                self._idle.append(session)

    @contextmanager
    def evaluator(self, limits: Limits) -> Iterator[Callable[[Node], Value]]:
        """A function that evaluates programs one after another on one lot of fuel, without
        bindings, and gives their values as they are. It raises `Ended`."""
        session = OneRun(self, limits, "plain", None, brief=False)
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

    def test_law(self, law: Law, args: Sequence[Value], limits: Limits | None = None) -> LawTrial:
        """What comes of a law for these values, soonest where there is room for deep recursion."""
        number = self.interpreter.laws.index(law)
        limits = limits or Limits(calls=100_000)
        try:
            for part in range(len(law.conditions)):
                if not self._holds(f"when {number} {part}", args, limits):
                    return "apart"
            found = self._holds(f"law {number}", args, limits)
        except Ended:
            return "open"
        return "failed" if found is None else "true" if found else "false"

    def meets(self, law: Law, args: Sequence[Value]) -> bool:
        """Whether these values meet the condition of a law as far as it says what holds, and not
        what does not."""
        number = self.interpreter.laws.index(law)
        parts = [part for part, negative in enumerate(law.negative) if not negative]
        limits = Limits(calls=100_000)
        try:
            return all(
                self._holds(f"when {number} {part}", args, limits)
                for part in parts or range(len(law.conditions))
            )
        except Ended:
            return False

    def _holds(self, part: str, args: Sequence[Value], limits: Limits) -> bool | None:
        """Whether a part of a law holds; None where it fails or is stuck. Raises `Ended` where that
        is not known."""
        root = next((arg for arg in args if isinstance(arg, tuple)), NIL_NODE)
        with self._begun(limits) as session:
            try:
                return bool(session.guarded(partial(session.call, part, *args, root), roomy=False))
            except (Failed, Stuck):
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
        costs.update((f"calls of {name}", number) for name, number in calls.items()
                     if not functions[name].helper)  # fmt: skip
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
            session = self._aside or OneRun(self, ASIDE, "plain", None)
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

    def sentence(self, error: ErrorType, payload: Sequence[Value]) -> str:
        """What an error says; what a function in its sentence does not come to is left out."""
        if error.name not in self.interpreter.sentences:
            return self.fill(error.message, payload)
        try:
            return str(self.apply(f"sentence {error.name}", payload))
        except Ended:
            return "…"

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
