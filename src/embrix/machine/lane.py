"""A lane: a language's parser and one of its interpreters, from program text to outcome."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import cached_property, partial
from weakref import WeakKeyDictionary

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix.core import Interpreter, Language, Meaning
from embrix.grammar.lr import parser_of
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Ambiguous, GaveUp, Parsed, Parser, ParseResult, Refused
from embrix.machine.endless import CALLS, find_cycle, last_new
from embrix.machine.exploring import MOST_RUNS, Explored, Reached, explore
from embrix.machine.limits import Limits
from embrix.machine.marks import Marks
from embrix.machine.outcome import Outcome, Result
from embrix.machine.recorder import Recorder, WholeRecord
from embrix.machine.run import Machine
from embrix.machine.unit import Variant
from embrix.machine.window import Window
from embrix.machine.written_terms import TermParser
from embrix.terms.binding import free_names, substitute
from embrix.terms.node import Node, Place, Value, without_places
from embrix.text.visible import cut, visible

MANY, SOON = 20_000, 2_000
"""Calls after which it is looked whether the steps of a run come back to where they were, and the
calls of it that are looked at then."""
_ENDLESS = ("calls", "depth", "recorded events")
"""The limits that a run without end comes to."""
LAST = 20_000
"""The last events, which are kept of a run that has too many."""
BRIEF = 18
"""Characters of an environment or store in the judgement that is shown."""

_SEVERAL: WeakKeyDictionary[Meaning, bool] = WeakKeyDictionary()
"""Of interpreters that say the same, whether a run may have several ways to go on."""

OnStart = Callable[[Callable[[], None]], None]


class Traced(Struct, frozen=True):
    """A run with its record. `term` is None when the program was rejected.

    Where there were more events than may be kept, `recorder` has the first ones and `last` the
    last ones; `again` carries the run out once more for another part of it.
    """

    result: Result
    term: Node | None
    recorder: Recorder
    last: Window | None = None
    again: Callable[[Recorder], Result] | None = None


class BadBinding(Exception):
    """A name supplied by hand cannot be used; the message says why."""


class Lane:
    """Runs program texts on one interpreter."""

    def __init__(self, interpreter: Interpreter, parser: Parser) -> None:
        self.interpreter = interpreter
        self.machine = Machine(interpreter)
        self.parser = parser

    records = True
    """Whether it tells of every judgement of a run."""
    tells_value, tells_output = True, True
    """Whether it tells what a program gives, and what it writes."""

    @property
    def language(self) -> str:
        """The name of the language whose programs it runs."""
        return self.interpreter.language.name

    @cached_property
    def name(self) -> str:
        return self.interpreter.lane

    @property
    def keeps(self) -> bool:
        """Whether a run takes up what another has left beside its value."""
        return self.machine.keeps

    @cached_property
    def role(self) -> str:
        """Its name without a version: what suites call it."""
        return self.interpreter.role

    def run(
        self,
        text: str,
        given: Mapping[str, str] | None = None,
        *,
        limits: Limits | None = None,
        variant: Variant = "counted",
        on_start: OnStart | None = None,
        given_input: Sequence[str] = (),
        kept: Sequence[Value] | None = None,
        ways: Sequence[int] = (),
        explain: bool = True,
        few: int | None = None,
    ) -> Result:
        """The outcome of a program text; `given` maps names to expressions of the language, `kept`
        is what another run of the lane has left beside its value. `ways` are those to take where
        several are open, the first ones when there are no more. Of a run that comes to its limits
        it is told where nothing new happened any more, unless nobody wants that explained. `few`
        is how many calls it makes before it is made faster, which hides what clauses it comes to.

        Raises `BadBinding`.
        """
        parsed = self.parser.parse(text)
        if not isinstance(parsed, Parsed):
            return Result(rejection(parsed))
        term, values = self.with_given(parsed.term, given or {}, limits)

        def result(limits: Limits | None) -> Result:
            return self.machine.run(
                term, values, limits=limits, variant=variant, on_start=on_start,
                given_input=given_input, kept=kept, ways=ways, few=few,
            )  # fmt: skip

        def record(calls: int) -> Recorder:
            recorder = WholeRecord(calls)
            self.machine.run(
                term, values, limits=Limits(calls=calls, events=calls), variant="traced",
                recorder=recorder, given_input=given_input, on_start=on_start, kept=kept, ways=ways,
            )  # fmt: skip
            return recorder

        whole = limits or Limits()
        if variant != "plain" and self._may_come_back(whole, given_input, ways):
            # Steps that soon come back to where they were are not taken over and over.
            first = result(replace(whole, calls=MANY))
            if first.outcome.name != "calls":
                return first
            cycle = self._cycle(record(SOON))
            if cycle is not None:
                return replace(first, outcome=cycle)
        made = result(limits)
        if variant == "plain" or made.outcome.name not in _ENDLESS or not explain:
            return made
        recorder = record(CALLS)
        told = self._cycle(recorder) or self._last_new(made.outcome, recorder)
        return replace(made, outcome=told)

    def run_term(self, term: Node, *, limits: Limits | None = None) -> Result:
        """The outcome of a program that is there as a term, without counted costs. Raises
        `BadBinding`."""
        term, values = self.with_given(term, {}, limits)
        return self.machine.run(term, values, limits=limits, variant="plain")

    def _may_come_back(
        self, limits: Limits, given_input: Sequence[str], ways: Sequence[int]
    ) -> bool:
        """Whether it is looked soon if the steps of a run come back to where they were: not where
        lines of input or chosen ways may still lead out."""
        free = not given_input and not ways
        return bool(self.interpreter.repeating) and free and limits.calls > 2 * MANY

    def _cycle(self, recorder: Recorder) -> Outcome | None:
        """That a run comes back to where it was, if its record shows that."""
        found = find_cycle(self.interpreter, recorder)
        if found is None:
            return None
        text = f"step {found[1]} begins with the term of step {found[0]}, and so on for ever"
        return Outcome("cycle", text)

    def _last_new(self, outcome: Outcome, recorder: Recorder) -> Outcome:
        found = last_new(recorder)
        if found is None:
            return outcome
        instance, repeats = found
        function = self.machine.function_number(recorder.functions[instance])
        arguments = recorder.arguments[instance]
        text = f"{outcome.text}; it still reached new states"
        if repeats:
            judged = function.judgement or (function.name,)
            shown = visible(self.machine.fill(judged, arguments, room=BRIEF))
            text = f"{outcome.text}; nothing new after judgement {instance + 1}, {cut(shown, 80)}"
        place = arguments[function.subject][1] if function.subject is not None else None
        return replace(outcome, text=text, place=place if repeats else None)

    def trace(
        self,
        text: str,
        given: Mapping[str, str] | None = None,
        *,
        limits: Limits | None = None,
        on_start: OnStart | None = None,
        given_input: Sequence[str] = (),
        kept: Sequence[Value] | None = None,
        ways: Sequence[int] = (),
    ) -> Traced:
        """A run of a program text with its record, of one whose steps soon come back to where they
        were a part. Raises `BadBinding`."""
        whole = limits or Limits()
        recorder = WholeRecord(whole.events)
        parsed = self.parser.parse(text)
        if not isinstance(parsed, Parsed):
            return Traced(Result(rejection(parsed)), None, recorder)
        term, values = self.with_given(parsed.term, given or {}, limits)

        def record(limits: Limits, other: Recorder) -> Result:
            return self.machine.run(
                term, values, limits=limits, variant="traced", recorder=other, on_start=on_start,
                given_input=given_input, kept=kept, ways=ways,
            )  # fmt: skip

        if self._may_come_back(whole, given_input, ways):
            few = partial(record, replace(whole, calls=MANY))
            first = few(recorder)
            cycle = self._cycle(recorder) if first.outcome.name == "calls" else None
            if cycle is not None:
                return Traced(replace(first, outcome=cycle), term, recorder, None, few)
            if first.outcome.name not in _ENDLESS:
                return Traced(first, term, recorder, None, few)
            recorder = WholeRecord(whole.events)
        again = partial(record, whole)
        result = again(recorder)
        if result.outcome.name != "recorded events":
            return Traced(result, term, recorder, None, again)
        last = Window(None, LAST, Marks(self.interpreter))
        result = again(last)
        last.trim()
        return Traced(result, term, recorder, last, again)

    @cached_property
    def several(self) -> bool:
        """Whether a run may have several ways to go on."""
        meaning = self.interpreter.meaning
        if meaning not in _SEVERAL:
            _SEVERAL[meaning] = self.interpreter.several
        return _SEVERAL[meaning]

    def explore(
        self,
        text: str,
        given: Mapping[str, str] | None = None,
        *,
        given_input: Sequence[str] = (),
        most_runs: int = MOST_RUNS,
        progress: Callable[[int], None] | None = None,
    ) -> Explored:
        """All that a program can come to. Raises `BadBinding`, and what `progress` raises."""
        parsed = self.parser.parse(text)
        if not isinstance(parsed, Parsed):
            return Explored([Reached(rejection(parsed), (), (), ())], runs=1)
        term, values = self.with_given(parsed.term, given or {}, None)
        if not self.several:
            ended = self.machine.run(term, values, variant="plain", given_input=given_input)
            only = Reached(ended.outcome, ended.output, tuple(ended.state), ())
            return Explored([only], runs=1)
        return explore(
            self.machine, term, values, given_input, most_runs=most_runs, progress=progress
        )

    def with_given(
        self, term: Node, given: Mapping[str, str], limits: Limits | None
    ) -> tuple[Node, list[tuple[str, Value]]]:
        """Names supplied by hand: passed on as values, or put into the program by substitution
        where the interpreter has no place for them."""
        values: list[tuple[str, Value]] = []
        put: list[tuple[str, Node]] = []
        language = self.interpreter.language
        terms = {name: term for name, term in self._prelude.items() if name not in given}
        terms |= {name: self._bound(name, text) for name, text in given.items()}
        for name, bound in terms.items():
            if not self.machine.takes_bindings:
                put.append((name, bound))
                continue
            # What comes later may use what came before.
            outcome = self.machine.run(bound, values, limits=limits, variant="plain").outcome
            if outcome.kind != "value":
                raise BadBinding(f"{name} has no value: {outcome.sentence}")
            values.append((name, outcome.value))
        signature = language.signature
        mentioned = free_names(signature, term) if put else frozenset()
        for name, bound in reversed(put):
            if name in mentioned:
                term = substitute(signature, bound, name, term)
                mentioned |= free_names(signature, bound)
        return term, values

    @cached_property
    def _prelude(self) -> dict[str, Node]:
        """What the names of the prelude stand for. Raises `BadBinding`."""
        prelude = self.interpreter.language.syntax.prelude
        return {name: self._bound(name, text) for name, text, _ in prelude}

    def _bound(self, name: str, text: str) -> Node:
        """The term that a name stands for, without places where it is put into a program. Raises
        `BadBinding`."""
        printer = self.machine.printer
        if printer is None or printer.literal(name) is None:
            raise BadBinding(f"{name} is no name in {self.language}")
        parsed = self.parser.parse(text)
        if not isinstance(parsed, Parsed):
            raise BadBinding(f"{name}: {rejection(parsed).sentence}")
        return parsed.term if self.machine.takes_bindings else without_places(parsed.term)


def parser_for(
    language: Language, parser_by: Callable[[Grammar], Parser] = parser_of
) -> Parser | None:
    """The parser of a language; None when its grammar cannot be used. Terms are read as well."""
    if language.grammar is None and (language.syntax.grammars or not language.sound):
        return None
    plain = parser_by(language.grammar) if language.grammar is not None else None
    return TermParser(language, plain)


def rejection(parsed: ParseResult) -> Outcome:
    """The outcome of a text that is no program."""
    match parsed:
        case Refused(by, message, span):
            return Outcome("rejected", message, by, place=_place(span.start, span.end))
        case Ambiguous(span):
            return Outcome(
                "ambiguous", "the grammar gives this program more than one tree",
                place=_place(span.start, span.end),
            )  # fmt: skip
        case GaveUp(span):
            return Outcome(
                "gave up", "parsing took too many steps", place=_place(span.start, span.end)
            )
        case Parsed():
            raise AssertionError("a parsed program is no rejection")


def _place(start: int, end: int) -> Place:
    return (start, end)
