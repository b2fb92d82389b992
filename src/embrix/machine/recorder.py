"""The record of a run: every judgement instance with arguments, result, parent and clause.

Kept as columns, one entry per instance, because a run makes millions of them. An event is the
entering or the leaving of an instance; `events` holds the number of an instance for its entering
and its complement (~number) for its leaving.
"""

from __future__ import annotations

from embrix.machine.faults import OutOfFuel
from embrix.terms.node import Value

NOT_LEFT = object()
"""The result of an instance that was never left."""


MOST_OUTPUTS = 100_000
"""Outputs whose events are kept."""


class Recorder:
    """The whole record of a run, up to a number of events."""

    def __init__(self, most_events: int) -> None:
        self.functions: list[int] = []
        self.arguments: list[tuple[Value, ...]] = []
        self.parents: list[int] = []
        self.results: list[Value] = []
        self.clauses: list[int] = []
        self.tails: set[int] = set()
        """The instances whose last call takes their place: a call in tail position."""
        self.events: list[int] = []
        self.pending: list[int] = []
        """Instances whose last call is carried out by whoever called first: they are left with its
        result."""
        self.outputs: list[int] = []
        """How many events there had been at each output."""
        self.put: list[tuple[int, str, Value, Value, Value]] = []
        """Substitutions: how many events there had been, the name, what was put in its place, the
        term and what became of it."""
        self.current = -1
        self._most = most_events

    def enter(self, function: int, arguments: tuple[Value, ...]) -> int:
        """A judgement begins; its number."""
        number = len(self.functions)
        self.functions.append(function)
        self.arguments.append(arguments)
        self.parents.append(self.current)
        self.results.append(NOT_LEFT)
        self.clauses.append(-1)
        self.events.append(number)
        self.current = number
        if len(self.events) > self._most:
            raise OutOfFuel("recorded events")
        return number

    def wrote(self) -> None:
        """Something has been written."""
        if len(self.outputs) < MOST_OUTPUTS:
            self.outputs.append(self.now)

    @property
    def now(self) -> int:
        """How many events there have been."""
        return len(self.events)

    def substituted(self, name: str, value: Value, term: Value, result: Value) -> Value:
        """A name has been replaced in a term; the result is handed through."""
        if len(self.put) < MOST_OUTPUTS:
            self.put.append((self.now, name, value, term, result))
        return result

    def settle(self, result: Value, before: int) -> Value:
        """Calls in tail position have come to a result: all that began to wait for it since there
        were `before` of them are left with it."""
        while len(self.pending) > before:
            self.leave(self.pending.pop(), result)
        return result

    def mark(self) -> tuple[int, int]:
        """Where the record stands, for `caught`."""
        return self.current, len(self.pending)

    def caught(self, mark: tuple[int, int]) -> None:
        """A failure has been caught: everything entered since the mark is left without a result."""
        current, waiting = mark
        del self.pending[waiting:]
        while self.current != current and self.current >= 0:
            self.events.append(~self.current)
            self.current = self.parents[self.current]

    def leave(self, number: int, result: Value) -> Value:
        """A judgement has its result, which is handed through."""
        self.results[number] = result
        self.events.append(~number)
        self.current = self.parents[number]
        return result
