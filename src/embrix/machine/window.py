"""The record of a part of a run, with what is open around it.

A judgement is one row of things here and not an entry in each of several columns: most are thrown
away soon after they are made.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from embrix.machine.marks import Marks
from embrix.machine.recorder import NOT_LEFT, Recorder
from embrix.terms.node import Value


class Column(Mapping[int, Any]):
    """One thing of each judgement that a part of a run has, by its number."""

    def __init__(self, records: Mapping[int, Sequence[Any]], place: int) -> None:
        self._records, self._place = records, place

    def __getitem__(self, number: int) -> Any:
        return self._records[number][self._place]

    def __contains__(self, number: object) -> bool:
        return number in self._records

    def __iter__(self) -> Iterator[int]:
        return iter(self._records)

    def __len__(self) -> int:
        return len(self._records)


FUNCTION, ARGUMENTS, PARENT, GIVEN, BEGUN, CALLED = range(6)
"""What a part of a run has of a judgement: its function, its arguments, the judgement around it,
its result, the event at which it began (-1 when it has been left), and those that it has called."""


class Window(Recorder):
    """The record of a part of a run: `count` events from number `first` on, or the last ones where
    `first` is None (before `trim` is called there may be more). Judgements that are open around the
    part are kept as well; memory is bounded by the part and by the depth of the run. `marks` are
    filled with what is to be known of the whole.
    """

    def __init__(self, first: int | None, count: int, marks: Marks | None = None) -> None:
        super().__init__()
        self._records: dict[int, list[Any]] = {}
        self.functions: Any = Column(self._records, FUNCTION)
        self.arguments: Any = Column(self._records, ARGUMENTS)
        self.parents = Column(self._records, PARENT)
        self._events: list[int] = []
        self.results: Any = Column(self._records, GIVEN)
        self.clauses: Any = {}
        self.begin = 0 if first is None else first
        """The number of the first event that is kept."""
        self.passed = 0
        """How many events there have been."""
        self.marks = marks
        self._wanted = marks.wanted if marks is not None else frozenset()
        self._heights: list[int] = []
        self._highest = 0
        self._sliding = first is None
        self._end = 0 if first is None else first + count
        self._count = count
        self._next = 0
        self._depth = 0
        self._keeps = False
        self._turn = 0
        """The event before which something beside the events has to be done."""

    @property
    def events(self) -> Sequence[int]:
        return self._events

    @property
    def now(self) -> int:
        return self.passed

    @property
    def heights(self) -> list[int]:
        """The greatest depth in each stretch of `STRETCH` events."""
        return [*self._heights, self._highest] if self.passed else []

    def __contains__(self, number: object) -> bool:
        """Whether a judgement is open."""
        record = self._records.get(number)  # type: ignore[call-overload]
        return record is not None and record[BEGUN] >= 0

    def substituted(self, name: str, value: Value, term: Value, result: Value) -> Value:
        inside = self._sliding or self.begin <= self.passed <= self._end
        return super().substituted(name, value, term, result) if inside else result

    def wrote(self) -> None:
        self.outputs.append(self.passed)

    def enter(self, function: int, arguments: tuple[Value, ...]) -> int:
        at = self.passed
        if at >= self._turn:
            self._turned(at)
        number = self._next
        self._next = number + 1
        self._records[number] = [function, arguments, self.current, NOT_LEFT, at, None]
        self.clauses[number] = -1
        if function in self._wanted:
            assert self.marks is not None
            self.marks.entered(at, number, function, arguments, self)
        self.current = number
        self._depth += 1
        if self._depth > self._highest:
            self._highest = self._depth
        if self._keeps:
            self._events.append(number)
        self.passed = at + 1
        return number

    def leave(self, number: int, result: Value) -> Value:
        record = self._records[number]
        record[GIVEN] = result
        self._left(number, record)
        return result

    def caught(self, mark: tuple[int, int]) -> None:
        current, waiting = mark
        del self.pending[waiting:]
        while self.current != current and self.current >= 0:
            self._left(self.current, self._records[self.current])

    def _left(self, number: int, record: list[Any]) -> None:
        at = self.passed
        if at >= self._turn:
            self._turned(at)
        self._depth -= 1
        if self._keeps:
            self._events.append(~number)
        self.passed = at + 1
        self.current = record[PARENT]
        begun, record[BEGUN] = record[BEGUN], -1
        if not self._sliding and (at < self.begin or begun >= self._end):
            self._gone(number, record)

    def _turned(self, at: int) -> None:
        """An event comes at which a stretch ends, or the part that is kept begins, ends or
        moves."""
        if at and at % STRETCH == 0:
            self._heights.append(self._highest)
            self._highest = self._depth
        self._keeps = self._sliding or self.begin <= at < self._end
        if self._sliding and len(self._events) >= self._count + STRETCH:
            self.trim()
        stretch = at - at % STRETCH + STRETCH
        self._turn = min(one for one in (stretch, self.begin, self._end) if one > at)

    def trim(self) -> None:
        """Keep no more events than the last ones that are asked for."""
        over = max(0, len(self._events) - self._count)
        gone, self._events = self._events[:over], self._events[over:]
        self.begin += over
        self._forgotten(gone)

    def _forgotten(self, events: Sequence[int]) -> None:
        """Events are not kept any more: what has been left at them is gone."""
        for event in events:
            if event < 0:
                self._gone(~event, self._records[~event])

    def _gone(self, number: int, record: list[Any]) -> None:
        """A judgement lies outside the part. The last ones that a judgement has called stay as long
        as it does: what they gave tells where environments come from."""
        if record[CALLED]:
            for child in record[CALLED]:
                self._drop(child)
            record[CALLED] = None
        around = self._records.get(record[PARENT])
        if around is None:
            self._drop(number)
        elif around[CALLED] is None:
            around[CALLED] = deque((number,))
        else:
            around[CALLED].append(number)
            if len(around[CALLED]) > CHILDREN:
                self._drop(around[CALLED].popleft())

    def _drop(self, number: int) -> None:
        for child in self._records.pop(number)[CALLED] or ():
            self._drop(child)
        del self.clauses[number]
        self.tails.discard(number)


STRETCH = 4_096
CHILDREN = 64
