"""Where in a walk something happens: looked for from one step on, in both directions."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Literal, TypeAlias

from embrix.brix.core import Function
from embrix.machine.recorder import Recorder
from embrix.terms.node import EMPTY, FIELDS, FRAME, KNOT, Value
from embrix.terms.types import Con, settle
from embrix.text.source import Span
from embrix.text.typed_number import typed_number
from embrix.trace.gaps import not_kept, sweep
from embrix.trace.line_search import LineSearch
from embrix.trace.value_changes import NOTHING, ValueChanges
from embrix.trace.walk import Walk
from embrix.trace.walk_steps import RecordView

Kind: TypeAlias = Literal[
    "text", "lookup", "output", "end", "name", "location", "over", "out", "clause",
]  # fmt: skip

KINDS: dict[Kind, str] = {
    "text": "the next step with a text in it",
    "lookup": "the next lookup of a name",
    "name": "the next step that binds a name to another value",
    "location": "the next step that changes a location of the store",
    "output": "the next output",
    "end": "the end, or the failure",
    "over": "the end of this judgement",
    "out": "the end of the enclosing judgement",
    "clause": "the next step that applies a clause, given by its line",
}

Progress: TypeAlias = Callable[[int], None]
EVERY, AT_ONCE = 2_000, 50_000
"""Steps between two calls of the progress, and those that are looked at without one."""


def seek(
    walk: Walk, kind: Kind, what: str, start: int, forward: bool, progress: Progress | None = None
) -> int | None:
    """The number of the next step (before `start`, when not forward) at which something of a
    kind happens, or None. `progress` is told how many steps have been looked at."""
    if kind == "end":
        last = len(walk) - 1
        return last if start != last else None
    if kind in ("over", "out"):
        return _structural(walk, kind, start, forward, progress)
    numbers = range(start + 1, len(walk)) if forward else range(start - 1, -1, -1)
    if kind == "output":
        outputs = [one for one in walk.output_steps() if one in numbers]
        return min(outputs, key=lambda one: abs(one - start), default=None)
    test = _TESTS[kind](walk, what, forward)
    if isinstance(test, ValueChanges):
        test(start)  # what it is now
    return _first(walk, numbers, test, progress)


def _first(walk: Walk, numbers: range, test: Test, progress: Progress | None) -> int | None:
    """The first of some numbers, which go up or down, at which a test holds. What is not recorded
    is gone through in one further run, from its first step on."""
    apart = not_kept(walk)
    at = 0
    while at < len(numbers):
        number = numbers[at]
        if progress is not None and at % EVERY == 0:
            progress(at)
        if number not in apart:
            if isinstance(test, EventTest) and number < _events(walk):
                found, count = _in_view(walk.view_of(number), numbers[at:], test)
                if found is not None:
                    return found
                at += count
                continue
            if test(number):
                return number
            at += 1
            continue
        so_far = partial(_further, progress, at)
        found, end = _in_gap(walk, number, test, up=numbers.step > 0, progress=so_far)
        if found is not None:
            return found if found in numbers else None
        at = abs(end - numbers[0])
    return None


def _in_view(view: RecordView, numbers: range, test: EventTest) -> tuple[int | None, int]:
    """The first of some numbers that a record has at which a test holds, and how many of them were
    looked at: those up to the first that the record has not."""
    recorder, events, first = view.recorder, view.recorder.events, view.first
    end = first + len(events)
    count = end - numbers[0] if numbers.step > 0 else numbers[0] - first + 1
    numbers = numbers[: min(count, AT_ONCE)]
    holds = test.holds
    for number in numbers:
        event = events[number - first]
        if holds(recorder, ~event, True) if event < 0 else holds(recorder, event, False):
            return number, len(numbers)
    return None, len(numbers)


def _further(progress: Progress | None, before: int, looked: int) -> None:
    if progress is not None:
        progress(before + looked)


def _in_gap(
    walk: Walk, number: int, test: Test, *, up: bool, progress: Progress
) -> tuple[int | None, int]:
    """The first step from one on at which a test holds, up or down to the next that is kept, and
    the number of that one."""
    gap = not_kept(walk)
    end = gap.stop if up else gap.start - 1
    first, last = (number, gap.stop - 1) if up else (gap.start, number)
    found: int | None = None
    ahead = test.ahead() if isinstance(test, ValueChanges) and not up else None

    def seen(numbers: range) -> bool:
        nonlocal found
        progress(abs(numbers[0] - number))
        here = range(max(first, numbers[0]), min(last, numbers[-1]) + 1)
        if isinstance(test, EventTest) and here:
            way = here if up else here[::-1]
            hit, _ = _in_view(walk.view_of(here[0]), way, test)
            found = found if hit is None else hit
            return (up and hit is not None) or numbers[-1] >= last
        for one in here:
            if ahead is not None:
                ahead.step(one)
            elif test(one):
                found = one
                if up:
                    return True
        return numbers[-1] >= last

    sweep(walk, first, seen)
    return (found if ahead is None else ahead.end()), end


def _events(walk: Walk) -> int:
    """How many steps are events."""
    return len(walk) - 1 if walk.relation is None else 0


# ---------------------------------------------------------------------- in the tree of judgements


def _structural(
    walk: Walk, kind: Kind, start: int, forward: bool, progress: Progress | None
) -> int | None:
    """Over a judgement, or out of the one around it. In a reduction sequence: the next term."""
    if walk.relation is not None:
        number = start + (1 if forward else -1)
        return number if 0 <= number < len(walk) else None
    if start >= _events(walk):
        return None if forward else start - 1
    recorder, instance, left = walk.raw(start)
    if kind == "out":
        instance = recorder.parents[instance]
        if instance < 0:
            return len(walk) - 1 if forward else 0
    elif left == forward:
        number = start + (1 if forward else -1)
        return number if 0 <= number < len(walk) else None

    def holds(_: Recorder, other: int, leaves: bool) -> bool:
        return other == instance and leaves == forward

    numbers = range(start + 1, _events(walk)) if forward else range(start - 1, -1, -1)
    return _first(walk, numbers, EventTest(walk, holds), progress)


# ---------------------------------------------------------------------- what happens

Test: TypeAlias = Callable[[int], bool]


class EventTest:
    """A test of what an event of a record says: the judgement, and whether it is left."""

    def __init__(
        self, walk: Walk, holds: Callable[[Recorder, int, bool], bool], end: Test | None = None
    ) -> None:
        """`end` tests the last step, which is no event."""
        self._walk, self.holds, self._end = walk, holds, end

    def __call__(self, number: int) -> bool:
        if number >= _events(self._walk):
            return self._end is not None and self._end(number)
        return self.holds(*self._walk.raw(number))


def _text(walk: Walk, what: str, _forward: bool) -> Test:
    wanted = what.casefold()

    def test(number: int) -> bool:
        return wanted in walk.text(number).casefold()

    return test if walk.relation is not None else EventTest(walk, LineSearch(walk, what), test)


def _lookup(walk: Walk, what: str, _forward: bool) -> Test:
    """A judgement about a form that uses the name begins, or a step rewrites such a form."""
    signature = walk.lane.interpreter.signature

    def uses(subject: Value) -> bool:
        form = signature.form_of(subject) if isinstance(subject, tuple) else None
        if form is None or not form.uses:
            return False
        return not what or any(subject[FIELDS + index] == what for index in form.uses)

    if walk.relation is not None:
        return lambda number: uses(walk.redex(number))
    subjects = [one.subject for one in walk.lane.interpreter.functions.values()]

    def holds(recorder: Recorder, instance: int, left: bool) -> bool:
        subject = None if left else subjects[recorder.functions[instance]]
        return subject is not None and uses(recorder.arguments[instance][subject])

    return EventTest(walk, holds)


def _environments(function: Function) -> tuple[int, ...]:
    """Which arguments of a function are environments."""
    kinds = [settle(kind) for kind in function.types]
    return tuple(number for number, kind in enumerate(kinds)
                 if isinstance(kind, Con) and kind.name == "Env")  # fmt: skip


def _name(walk: Walk, what: str, _forward: bool) -> Test:
    places = [_environments(one) for one in walk.lane.interpreter.functions.values()]

    def find(number: int) -> Value:
        if number >= _events(walk):
            return NOTHING
        recorder, instance, _ = walk.raw(number)
        arguments = recorder.arguments[instance]
        for place in places[recorder.functions[instance]]:
            frame = arguments[place]
            while frame[0] in (FRAME, KNOT):
                if frame[FIELDS] == what:
                    return frame[FIELDS + 1]
                frame = frame[FIELDS + 2]
            assert frame[0] == EMPTY
        return NOTHING

    return ValueChanges(find)


def _location(walk: Walk, what: str, _forward: bool) -> Test:
    wanted = typed_number(what.removeprefix("@"))

    def find(number: int) -> Value:
        store = walk.store_at(number)
        return NOTHING if store is None else store[FIELDS].get(wanted, NOTHING)

    return ValueChanges(find)


def _clause(walk: Walk, what: str, _forward: bool) -> Test:
    """`FILE:LINE`, or a line of the interpreter's own file."""
    file, _, line = what.rpartition(":")
    wanted = typed_number(line)

    def fits(clause: Span | None) -> bool:
        if clause is None or wanted is None:
            return False
        source = clause.source or walk.lane.interpreter.source
        if file and source.name != file:
            return False
        first, _ = source.position(clause.start)
        last, _ = source.position(clause.end)
        return first <= wanted <= last

    def test(number: int) -> bool:
        return fits(walk.clause_at(number))

    if walk.relation is not None:
        return test
    functions = walk.lane.interpreter.functions.values()
    fitting = {(number, at) for number, function in enumerate(functions)
               for at, clause in enumerate(function.clauses) if fits(clause.span)}  # fmt: skip

    def holds(recorder: Recorder, instance: int, left: bool) -> bool:
        if left or not fitting:
            return False
        return (recorder.functions[instance], recorder.clauses[instance]) in fitting

    return EventTest(walk, holds, test)


_TESTS: dict[str, Callable[[Walk, str, bool], Test]] = {
    "text": _text, "lookup": _lookup, "name": _name, "location": _location, "clause": _clause,
}  # fmt: skip
