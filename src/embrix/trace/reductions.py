"""The reduction sequence of a run: which judgement takes each step, and when it begins."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping, Sequence

from embrix.brix.core import Function
from embrix.machine.configuration import state, state_after
from embrix.machine.lane import Traced
from embrix.machine.recorder import NOT_LEFT, Recorder
from embrix.terms.node import Node, Value
from embrix.terms.node import size as term_size
from embrix.trace.spread import spread

LARGEST = 10_000
"""Nodes up to which a term is measured."""


class Reductions:
    """The steps of a run in order. Of a run that is not recorded as a whole only the numbers of
    events and judgements are known: a record that has them must be looked at for the terms."""

    def __init__(self, traced: Traced, relation: Function, own: int) -> None:
        self._traced = traced
        self._relation = relation
        marks = traced.last.marks if traced.last is not None else None
        if marks is not None:
            self.begun: Sequence[int] = marks.begun
            self.taken: Sequence[int] = marks.taken
        else:
            self.taken = _outermost(traced.recorder, own)
            events = traced.recorder.events
            entered = {event: at for at, event in enumerate(events) if event >= 0}
            self.begun = [entered.get(instance, -1) for instance in self.taken]

    def __len__(self) -> int:
        """The number of terms."""
        return len(self.taken) + (not self.taken or self.final is not None)

    @property
    def final(self) -> Node | None:
        """The term that the last step came to, if it came to one."""
        if not self.taken:
            return self._traced.term
        recorder = self._traced.last or self._traced.recorder
        numbered = recorder.results
        if isinstance(numbered, Mapping) and self.taken[-1] not in numbered:
            return None
        result: Value = numbered[self.taken[-1]]
        if result is NOT_LEFT:
            return None
        return state_after(self._relation, recorder.arguments[self.taken[-1]], result)

    def term(self, recorder: Recorder, number: int) -> Node:
        """A term before the last one, from a record that has its step."""
        return state(self._relation, recorder.arguments[self.taken[number]])

    def end(self, number: int) -> int:
        """The event before which a step has ended."""
        if number + 1 < len(self.begun):
            return self.begun[number + 1]
        return (self._traced.last or self._traced.recorder).now

    def begins_after(self, events: int) -> int:
        """The number of the first term that stands after so many events."""
        return min(bisect_left(self.begun, events), len(self) - 1)

    def sizes(self, most: int) -> list[int]:
        """How large terms are at up to `most` points."""
        marks = self._traced.last.marks if self._traced.last is not None else None
        if marks is not None:
            return spread(marks.sizes, most)
        terms = [self.term(self._traced.recorder, at) for at in range(len(self.taken))]
        final = self.final
        terms += [final] if final is not None else []
        # Large terms are measured at fewer points.
        first = term_size(terms[0], LARGEST) if terms else 1
        points = max(FEWEST, min(most, MEASURED // max(1, first)))
        return [term_size(term, LARGEST) for term in spread(terms, points)]


FEWEST, MEASURED = 8, 200_000
"""Points at which terms are measured at least, and nodes that are gone through for that."""


def _outermost(recorder: Recorder, own: int) -> list[int]:
    """The judgements of a function that lie in no other one of it: steps, not steps inside."""
    found: list[int] = []
    inside = bytearray(len(recorder.functions))
    for instance, function in enumerate(recorder.functions):
        parent = recorder.parents[instance]
        inside[instance] = parent >= 0 and (inside[parent] or recorder.functions[parent] == own)
        if function == own and not inside[instance]:
            found.append(instance)
    return found
