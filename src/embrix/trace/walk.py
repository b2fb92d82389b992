"""Walking through a recorded run.

A walk is a row of steps. For a small-step interpreter a step is a term on its way, with the
redex of the next step; for any other it is an
event: a judgement entered or left. Steps are made
when they are looked at; the record itself stays in columns.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Literal

from embrix.brix.core import Function, Interpreter
from embrix.grammar.printed import Path, Printed
from embrix.machine.configuration import look
from embrix.terms.node import FIELDS, TUPLE, Node
from embrix.terms.substitution_details import substitution_details
from embrix.text.source import Span
from embrix.trace.context_places import place_in_context
from embrix.trace.judgement_rows import JudgementRows
from embrix.trace.reductions import Reductions
from embrix.trace.spread import spread
from embrix.trace.substitution_marks import Substitution, TermMark, marks_after, marks_before
from embrix.trace.walk_steps import Put, WalkStep

MOST_PIECES, DEEP, NEAR = 4_000, 1_000, 200
"""Of a term: the pieces that are shown, the levels from its top, and the levels above a focus that
lies deeper than that."""
MOST_WRITTEN = 200
"""Characters of the output that are shown at each step."""
MOST_PUT = 8
"""Substitutions that are shown at one step."""
MOST_SEARCHED = 400
"""Nodes in which the place of a step is looked for."""


def walkable(interpreter: Interpreter) -> bool:
    """Whether runs of an interpreter have steps: it has a small-step relation, or a function with a
    judgement."""
    if interpreter.steps is not None:
        return True
    return any(function.judgement is not None for function in interpreter.functions.values())


class Walk(JudgementRows):
    """The steps of one traced run."""

    @property
    def style(self) -> Literal["reductions", "judgements"]:
        return "reductions" if self.relation is not None else "judgements"

    def __len__(self) -> int:
        """The number of steps."""
        if self.traced.term is None:
            return 1
        if self.relation is not None:
            return len(self.reductions) + self._has_end
        last = self.traced.last
        return (last.passed if last is not None else len(self.traced.recorder.events)) + 1

    @property
    def _has_end(self) -> bool:
        """Whether the last step is not a term or judgement but how the run ended."""
        return self.relation is None or self.traced.result.outcome.kind != "value"

    @property
    def cut(self) -> int:
        """How many steps are recorded from the first on where not all are; else 0."""
        if self.traced.last is None:
            return 0
        events = len(self._whole.recorder.events)
        return events if self.relation is None else self.reductions.begins_after(events)

    def step(self, number: int, *, renewed: bool = True) -> WalkStep:
        """The step with a number, counted from zero; of a term on request without what the step
        before it put there, which takes printing it twice. Raises IndexError."""
        if not 0 <= number < len(self):
            raise IndexError(number)
        if number == len(self) - 1 and self._has_end:
            return self._end(number)
        if self.relation is not None:
            return self._term(number, with_renewed=renewed and number > 0)
        return self._event(number)

    def text(self, number: int) -> str:
        """The text of a step, without everything else that is known there."""
        if number == len(self) - 1 and self._has_end:
            return self.step(number).text
        if self.relation is None:
            _, instance, left = self.raw(number)
            return self.judgement(instance, left)
        term, instance = self._step(number)
        return self._print(term, self._place(instance)[0] if instance >= 0 else None).text

    def clause_at(self, number: int) -> Span | None:
        """The clause that is applied at a step; none where a judgement is left."""
        if number == len(self) - 1 and self._has_end:
            return self.step(number).clause
        if self.relation is None:
            _, instance, left = self.raw(number)
            return None if left else self._clause(instance)
        _, instance = self._step(number)
        return self._clause(self._redex(instance)[1]) if instance >= 0 else None

    def lines(self) -> list[str]:
        """The reduction sequence, or the conclusions in the order in which they were reached."""
        return list(self.each_line())

    def each_line(self) -> Iterator[str]:
        """The same line by line, each made when it is asked for."""
        if self.traced.term is None:
            return
        recorder = self._recorder = self.traced.recorder
        if self.relation is not None:
            for number in range(self._recorded_terms):
                yield self._print(self._step(number)[0]).text
            return
        for event in recorder.events:
            if event < 0:
                self._recorder = recorder
                yield self.judgement(~event, True)

    def count_lines(self) -> int:
        """How many lines there are."""
        if self.traced.term is None:
            return 0
        if self.relation is not None:
            return self._recorded_terms
        return sum(event < 0 for event in self.traced.recorder.events)

    def numbered(
        self,
        *,
        only: frozenset[str] = frozenset(),
        deep: int | None = None,
        begins: Callable[[str], bool] | None = None,
    ) -> list[tuple[int, str]]:
        """The lines with the numbers of their steps.

        `only` keeps judgements of some functions; `begins` starts at the first line, or judgement
        entered, that it takes; `deep` keeps judgements at most so many levels inside that one.
        """
        if self.traced.term is None:
            return []
        self._recorder = self.traced.recorder
        if self.relation is not None:
            found = self._term_lines()
            starts = (n for n, line in found if begins is None or begins(line))
            first = next(starts, len(found))
            return found[first:]
        recorder = self._recorder
        first, root = (0, -1) if begins is None else self._first(begins)
        depths = self._whole.depths
        base = depths[first] if root >= 0 else 0
        lines = []
        for number in range(first, len(recorder.events)):
            event = recorder.events[number]
            if event >= 0:
                continue
            named = not only or self._function(~event).name in only
            if named and (deep is None or depths[number] - base <= deep):
                lines.append((number, self.judgement(~event, True)))
            if ~event == root:
                break
        return lines

    def _first(self, begins: Callable[[str], bool]) -> tuple[int, int]:
        """The event at which the first judgement is entered that is taken, with its instance."""
        for number, event in enumerate(self._recorder.events):
            if event >= 0 and begins(self.judgement(event, False)):
                return number, event
        return len(self._recorder.events), -1

    def levels(self, most: int = 400) -> list[int]:
        """The height of the run over time at up to `most` points: how deep judgements are nested,
        or how large the term is."""
        if self.traced.term is None:
            return []
        if self.relation is not None:
            heights = self.reductions.sizes(most)
        elif self.traced.last is not None:
            heights = spread(self.traced.last.heights, most)
        else:
            heights = spread(self._whole.depths, most)
        return heights or [0]

    # ---------------------------------------------------------------- terms

    @cached_property
    def reductions(self) -> Reductions:
        """The steps of a reduction sequence."""
        assert self.relation is not None
        return Reductions(self.traced, self.relation, self._functions.index(self.relation))

    def _step(self, number: int) -> tuple[Node, int]:
        """A term of the reduction sequence with the judgement that rewrites it, or -1. The record
        that has the whole step is looked at."""
        steps = self.reductions
        if number == len(steps.taken):
            self._recorder = self.traced.last or self.traced.recorder
            assert steps.final is not None
            return steps.final, -1
        if self.traced.last is None:
            self._recorder = self.traced.recorder
        else:
            self._turn_to(steps.begun[number], steps.end(number) - 1)
        return steps.term(self._recorder, number), steps.taken[number]

    @property
    def _recorded_terms(self) -> int:
        """How many terms are recorded; of a run that was cut, from the first on."""
        if self.traced.last is not None:
            return self.reductions.begins_after(len(self.traced.recorder.events))
        return len(self.reductions)

    def _term_lines(self) -> list[tuple[int, str]]:
        """The recorded terms with their numbers."""
        return list(enumerate(self.each_line()))

    def _term(self, number: int, *, with_renewed: bool) -> WalkStep:
        renewed: Span | None = None
        before: Sequence[Substitution] = ()
        rewritten: Path = ()
        if with_renewed:
            _, instance = self._step(number - 1)
            rewritten, _ = self._redex(instance)
            before = self._puts(number - 1)
            if -1 not in rewritten:
                renewed = self._print(self._step(number)[0], rewritten).focus
        term, instance = self._step(number)
        if instance < 0:
            printed = self._print(term)
            written = self._written(self._recorder.now)
            marks = self._marks_after(term, printed.text, rewritten, before)
            return WalkStep(number, "term", printed.text, None, None, 0, (), None, "final",
                           renewed=renewed, written=written, marks=marks)  # fmt: skip
        steps = self.reductions
        path, innermost, redex = self._place(instance)
        printed = self._print(term, path)
        marks = self._marks_after(term, printed.text, rewritten, before)
        if with_renewed or number == 0:
            marks += self._marks_before(term, printed.text, self._puts(number))
        return WalkStep(
            number, "term", printed.text, printed.focus, redex[1] if redex else None, 0,
            self._bindings(instance), self._clause(innermost),
            store=self._store(instance, left=False),
            put=self._put(steps.begun[number] + 1, steps.end(number)),
            renewed=renewed, written=self._written(steps.begun[number]), marks=marks,
        )  # fmt: skip

    def _written(self, events: int) -> str:
        """The end of what had been written after so many events."""
        places = (self.traced.last or self.traced.recorder).outputs
        count = bisect_right(places, events)
        pieces = self.traced.result.output[max(0, count - MOST_WRITTEN) : count]
        return "".join(pieces)[-MOST_WRITTEN:]

    def _puts(self, number: int) -> list[Substitution]:
        """The substitutions of a step of a reduction sequence."""
        steps = self.reductions
        recorded = self._recorder.put
        at = bisect_left(recorded, steps.begun[number] + 1, key=lambda one: one[0])
        found = recorded[at : at + MOST_PUT]
        return [one[1:] for one in found if one[0] <= steps.end(number)]

    def _marks_before(
        self, term: Node, text: str, puts: Sequence[Substitution]
    ) -> tuple[TermMark, ...]:
        """Where substitutions do something in a term."""
        signature = self.lane.interpreter.signature
        for name, _, inner, result in puts:
            if isinstance(inner, tuple):
                marks = marks_before(self._text, signature, term, text, name, inner, result)
                if marks:
                    return tuple(marks)
        return ()

    def _marks_after(
        self, term: Node, text: str, path: Path, puts: Sequence[Substitution]
    ) -> tuple[TermMark, ...]:
        """What substitutions have put into the part of a term that has been rewritten."""
        signature = self.lane.interpreter.signature
        relation = self.relation
        way = path
        if relation is not None and len(relation.subjects) > 1:
            way = (relation.control, *path)
        for one in puts if -1 not in path else ():
            marks = marks_after(self._text, signature, term, text, way, one)
            if marks:
                return tuple(marks)
        return ()

    def _text(self, term: Node) -> str:
        return self._print(term).text

    def _put(self, first: int, last: int) -> tuple[Put, ...]:
        """The substitutions after so many events."""
        recorder = self._recorder
        signature = self.lane.interpreter.signature
        at = bisect_left(recorder.put, first, key=lambda one: one[0])
        found = []
        for events, name, value, term, result in recorder.put[at : at + MOST_PUT]:
            if events > last:
                break
            text = substitution_details(signature, name, term, result)
            found.append(Put(self._print(value).text, text))
        return tuple(found)

    def _redex(self, instance: int) -> tuple[Path, int]:
        """The way to the part that a step rewrites, and the step instance that does it."""
        recorder = self._recorder
        path: list[int] = []
        at = instance
        number = instance + 1
        while self._known(number) and recorder.parents[number] >= instance:
            own = self._functions[recorder.functions[number]]
            if recorder.parents[number] == at and own.finals:
                path += self._way(at, number)
                at = number
            number += 1
        return tuple(path), at

    def _place(self, instance: int) -> tuple[Path, int, Node | None]:
        """The way to what a step rewrites, the step instance that does it, and what that is."""
        path, innermost = self._redex(instance)
        redex = self._subject(innermost)
        around = self._context(innermost)
        if around is not None:
            path, redex = (*path, *around[0]), around[1]
        return path, innermost, redex

    def _context(self, instance: int) -> tuple[Path, Node] | None:
        """Where the clause of a step finds what it rewrites, if it has a context."""
        term = self._subject(instance)
        if term is None:
            return None
        function, clause = self._function(instance), self._recorder.clauses[instance]
        return place_in_context(self._machine, function, clause, term)

    def _known(self, instance: int) -> bool:
        columns = self._recorder.functions
        return instance in columns if isinstance(columns, Mapping) else instance < len(columns)

    def _way(self, outer: int, inner: int) -> list[int]:
        """The way from the outer subject to the part in which the inner step takes place."""
        recorder = self._recorder
        function = self._function(outer)
        whole = recorder.arguments[outer][function.control]
        part = recorder.arguments[inner][self._function(inner).control]
        clause = recorder.clauses[outer]
        if clause >= 0:
            for index in function.clauses[clause].steps:
                if whole[FIELDS + index] is part:
                    return [index]
        pending: list[tuple[Node, list[int]]] = [(whole, [])]
        for node, way in pending:  # which grows while it is gone through
            for index, field in enumerate(node[FIELDS:]):
                if field is part:
                    return [*way, index]
                if isinstance(field, tuple) and len(pending) < MOST_SEARCHED:
                    pending.append((field, [*way, index]))
        return [-1]

    def _print(self, term: Node, path: Path | None = None) -> Printed:
        relation = self.relation
        if relation is not None and len(relation.subjects) > 1 and term[0] == TUPLE:
            return self._print_state(relation, term, path)
        printer = self._machine.printer
        if printer is None or not isinstance(term, tuple):
            return Printed(self._machine.display.show(term))
        if term[0] not in self.lane.interpreter.language.signature.by_tag:
            return Printed(self._machine.display.show(term))
        if path is not None and len(path) > DEEP:
            # What lies far above the focus is not shown either.
            for step in path[:-NEAR]:
                term = term[FIELDS + step]
            near = printer.show(term, focus=path[-NEAR:], most=MOST_PIECES, deep=DEEP)
            focus = near.focus and Span(near.focus.start + 2, near.focus.end + 2)
            return Printed(f"… {near.text} …", focus, whole=False)
        return printer.show(term, focus=path, most=MOST_PIECES, deep=DEEP)

    def _print_state(self, relation: Function, state: Node, path: Path | None) -> Printed:
        """A configuration of several parts; the focus is in what the relation goes into."""
        text, focus, whole = "", None, True
        for part in look(relation):
            if isinstance(part, str):
                text += part
            elif part != relation.control:
                text += self._machine.display.show(state[FIELDS + part])
            else:
                control = self._print(state[FIELDS + part], path)
                at, whole = len(text), control.whole
                focus = control.focus and Span(at + control.focus.start, at + control.focus.end)
                text += control.text
        return Printed(text, focus, whole)

    # ---------------------------------------------------------------- events

    def _event(self, number: int) -> WalkStep:
        _, instance, left = self.raw(number)
        view = self._turn_to(number)
        subject = self._subject(instance)
        depth = view.depths[number - view.first]
        # Of the events up to this one, those that entered a judgement: as many more as are open.
        begun = (number + 1 + depth) // 2 if left else instance
        known = self._bindings(instance, left)
        row = self.pieces(instance, left, known, self._store_above(number))
        return WalkStep(
            number, "leave" if left else "enter", self.judgement(instance, left), None,
            subject[1] if subject else None, depth, known, self._clause(instance),
            store=self._store(instance, left=left, until=begun),
            note="tail call" if not left and self.takes_over(instance) else "",
            row=row, changed=self._changed(instance, left),
            refused=self._refused(instance), stack=self._stack(instance),
            put=self._put(number + 1, number + 1), written=self._written(number),
        )  # fmt: skip

    def _store_above(self, number: int) -> Node | None:
        """The store of the row above that of an event, which is looked at afterwards as before."""
        _, instance, left = self.raw(number)
        if number == 0 or self._store_of(instance, left=left) is None:
            return None
        _, above, left = self.raw(number - 1)
        store = self._store_of(above, left=left)
        self._turn_to(number)
        return store

    def _end(self, number: int) -> WalkStep:
        outcome = self.traced.result.outcome
        self._recorder = self.traced.last or self.traced.recorder
        current = self._recorder.current
        known = self._bindings(current) if current >= 0 else ()
        clause = self._clause(current) if current >= 0 else None
        return WalkStep(
            number, "end", outcome.sentence, None, outcome.place, 0, known, clause, outcome.kind,
            written=self._written(number),
        )  # fmt: skip

    # ---------------------------------------------------------------- parts

    def redex(self, number: int) -> Node | None:
        """The part that a step rewrites."""
        if number >= len(self.reductions.taken):
            return None
        innermost = self._redex(self._step(number)[1])[1]
        around = self._context(innermost)
        return around[1] if around is not None else self._subject(innermost)

    def output_steps(self) -> list[int]:
        """The first step after each output."""
        places = list(self.traced.recorder.outputs)
        if self.traced.last is not None:
            places = list(self.traced.last.outputs)
        if self.relation is None:
            return [min(place, len(self) - 1) for place in places]
        return [self.reductions.begins_after(place) for place in places]

    def judgement_at(self, number: int) -> int:
        """The judgement of a step: the one that is entered or left there, or takes the step."""
        if self.traced.term is None or not 0 <= number < len(self):
            return -1
        if self.relation is not None:
            taken = self.reductions.taken
            return self._step(number)[1] if number < len(taken) else -1
        if number >= len(self) - 1:
            return 0
        return self.raw(number)[1]

    def environment_at(self, number: int) -> Node | None:
        """The environment at a step: that of the judgement, or of the nearest one around it."""
        if self.relation is not None:
            taken = self.judgement_at(number)
            return self._environment(taken) if taken >= 0 else None
        if number >= len(self) - 1:
            return None
        _, instance, _ = self.raw(number)
        while not self._has_environment(instance) and self._recorder.parents[instance] >= 0:
            instance = self._recorder.parents[instance]
        return self._environment(instance)

    def store_at(self, number: int) -> Node | None:
        """The store at a step."""
        if self.relation is None:
            if number >= len(self) - 1:
                return None
            _, instance, left = self.raw(number)
            return self._store_of(instance, left=left)
        if number >= len(self.reductions.taken):
            return None
        return self._store_of(self._step(number)[1], left=False)
