"""The record of a run: every judgement instance with arguments, result, parent and clause.

Kept as columns, one entry per instance, because a run makes millions of them. An event is the
entering or the leaving of an instance; `events` holds the number of an instance for its entering
and its complement (~number) for its leaving.
"""

from __future__ import annotations

from collections import deque
from typing import Any

from embrix.machine.faults import OutOfFuel
from embrix.machine.marks import Marks
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


class Window(Recorder):
    """The record of a part of a run: `count` events from number `first` on, or the last ones where
    `first` is None. Judgements that are open around the part are kept as well; memory is bounded by
    the part and by the depth of the run. `marks` are filled with what is to be known of the whole.
    """

    def __init__(self, first: int | None, count: int, marks: Marks | None = None) -> None:
        super().__init__(0)
        self.functions: Any = {}
        self.arguments: Any = {}
        self.parents: Any = {}
        self.results: Any = {}
        self.clauses: Any = {}
        self.events: Any = deque() if first is None else []
        self.begin = 0 if first is None else first
        """The number of the first event that is kept."""
        self.passed = 0
        """How many events there have been."""
        self.heights: list[int] = []
        """The greatest depth in each stretch of `STRETCH` events."""
        self.marks = marks
        self._sliding = first is None
        self._end = 0 if first is None else first + count
        self._count = count
        self._next = 0
        self._depth = 0
        self._entered: dict[int, int] = {}
        self._children: dict[int, deque[int]] = {}

    @property
    def now(self) -> int:
        return self.passed

    def substituted(self, name: str, value: Value, term: Value, result: Value) -> Value:
        inside = self._sliding or self.begin <= self.passed <= self._end
        return super().substituted(name, value, term, result) if inside else result

    def wrote(self) -> None:
        self.outputs.append(self.passed)

    def enter(self, function: int, arguments: tuple[Value, ...]) -> int:
        number = self._next
        self._next += 1
        self.functions[number] = function
        self.arguments[number] = arguments
        self.parents[number] = self.current
        self.results[number] = NOT_LEFT
        self.clauses[number] = -1
        if self.marks is not None:
            self.marks.entered(self.passed, number, function, arguments, self._entered)
        self._entered[number] = self.passed
        self.current = number
        self._depth += 1
        self._event(number)
        return number

    def leave(self, number: int, result: Value) -> Value:
        self.results[number] = result
        self._left(number)
        return result

    def caught(self, mark: tuple[int, int]) -> None:
        current, waiting = mark
        del self.pending[waiting:]
        while self.current != current and self.current >= 0:
            self._left(self.current)

    def _left(self, number: int) -> None:
        at = self.passed
        self._depth -= 1
        self._event(~number)
        self.current = self.parents[number]
        entered = self._entered.pop(number)
        if not self._sliding and (at < self.begin or entered >= self._end):
            self._gone(number)

    def _gone(self, number: int) -> None:
        """A judgement lies outside the part. The last ones that a judgement has called stay as long
        as it does: what they gave tells where environments come from."""
        for child in self._children.pop(number, ()):
            self._drop(child)
        parent = self.parents[number]
        if parent not in self.functions:
            self._drop(number)
            return
        children = self._children.setdefault(parent, deque())
        children.append(number)
        if len(children) > CHILDREN:
            self._drop(children.popleft())

    def _event(self, event: int) -> None:
        if self.passed % STRETCH == 0:
            self.heights.append(0)
        self.heights[-1] = max(self.heights[-1], self._depth)
        if self._sliding:
            self.events.append(event)
            if len(self.events) > self._count:
                self.begin += 1
                gone = self.events.popleft()
                if gone < 0:
                    self._gone(~gone)
        elif self.begin <= self.passed < self._end:
            self.events.append(event)
        self.passed += 1

    def _drop(self, number: int) -> None:
        for child in self._children.pop(number, ()):
            self._drop(child)
        for column in (
            self.functions, self.arguments, self.parents, self.results, self.clauses,
        ):  # fmt: skip
            del column[number]
        self.tails.discard(number)


STRETCH = 4_096
CHILDREN = 64
