"""The record of a run: every judgement instance with arguments, result, parent and clause.

Kept as columns, one entry per instance, because a run makes millions of them. An event is the
entering or the leaving of an instance; `events` holds the number of an instance for its entering
and its complement (~number) for its leaving.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from array import array
from collections.abc import Mapping, MutableMapping, MutableSequence, Sequence
from typing import Any

from embrix.machine.faults import OutOfFuel
from embrix.terms.node import Value

NOT_LEFT = object()
"""The result of an instance that was never left."""


MOST_OUTPUTS = 100_000
"""Outputs whose events are kept."""

PIECE = 16_384
"""Events that are kept as objects before they are packed: a list takes one faster than an array,
and four times as much room."""


class Recorder(ABC):
    """What is told of a run as it goes on."""

    functions: Sequence[int] | Mapping[int, int]
    arguments: Sequence[tuple[Value, ...]] | Mapping[int, tuple[Value, ...]]
    results: Sequence[Value] | Mapping[int, Value]
    clauses: MutableSequence[int] | MutableMapping[int, int]
    parents: Sequence[int] | Mapping[int, int]
    """By number the instance around each; -1 for the first."""

    def __init__(self) -> None:
        self.current = -1
        """The innermost instance that is open; -1 where none is."""
        self.tails: set[int] = set()
        """The instances whose last call takes their place: a call in tail position."""
        self.pending: list[int] = []
        """Instances whose last call is carried out by whoever called first: they are left with its
        result."""
        self.outputs: list[int] = []
        """How many events there had been at each output."""
        self.put: list[tuple[int, str, Value, Value, Value]] = []
        """Substitutions: how many events there had been, the name, what was put in its place, the
        term and what became of it."""

    @property
    @abstractmethod
    def events(self) -> Sequence[int]:
        """Those that are kept."""

    @property
    @abstractmethod
    def now(self) -> int:
        """How many events there have been."""

    @abstractmethod
    def enter(self, function: int, arguments: tuple[Value, ...]) -> int:
        """A judgement begins; its number."""

    @abstractmethod
    def leave(self, number: int, result: Value) -> Value:
        """A judgement has its result, which is handed through."""

    @abstractmethod
    def caught(self, mark: tuple[int, int]) -> None:
        """A failure has been caught: everything entered since the mark is left without a result."""

    def mark(self) -> tuple[int, int]:
        """Where the record stands, for `caught`."""
        return self.current, len(self.pending)

    def wrote(self) -> None:
        """Something has been written."""
        if len(self.outputs) < MOST_OUTPUTS:
            self.outputs.append(self.now)

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


class WholeRecord(Recorder):
    """The whole record of a run, up to a number of events: what begins with the next one is not let
    happen."""

    def __init__(self, most_events: int) -> None:
        super().__init__()
        self.functions: list[int] = []
        self.arguments: list[tuple[Value, ...]] = []
        self.results: list[Any] = []
        self.clauses: list[int] = []
        self.parents: list[int] = []
        self._events = array("i")
        self._new: list[int] = []
        """Events that have not been packed."""
        self._most = most_events
        self._room = min(PIECE, most_events)
        """How many events there may be that have not been packed."""

    @property
    def events(self) -> Sequence[int]:
        self._pack()
        return self._events

    @property
    def now(self) -> int:
        return len(self._events) + len(self._new)

    def enter(self, function: int, arguments: tuple[Value, ...]) -> int:
        number = len(self.functions)
        self.functions.append(function)
        self.arguments.append(arguments)
        self.parents.append(self.current)
        self.results.append(NOT_LEFT)
        self.clauses.append(-1)
        self.current = number
        new = self._new
        new.append(number)
        if len(new) > self._room:
            self._pack()
            if len(self._events) > self._most:
                self._events.pop()
                raise OutOfFuel("recorded events")
        return number

    def leave(self, number: int, result: Value) -> Value:
        self.results[number] = result
        self._new.append(~number)
        self.current = self.parents[number]
        return result

    def caught(self, mark: tuple[int, int]) -> None:
        current, waiting = mark
        del self.pending[waiting:]
        while self.current != current and self.current >= 0:
            self._new.append(~self.current)
            self.current = self.parents[self.current]

    def _pack(self) -> None:
        if self._new:
            self._events.fromlist(self._new)
            self._new.clear()
            self._room = max(0, min(PIECE, self._most - len(self._events)))
