"""Where in a walk something happens: looked for from one step on, in both directions."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Literal, TypeAlias

from embrix.machine.recorder import Recorder
from embrix.terms.node import EMPTY, FIELDS, FRAME, KNOT, Value
from embrix.terms.types import Con, settle
from embrix.text.typed_number import typed_number
from embrix.trace.walk import Walk

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
EVERY = 2_000
"""Steps between two calls of the progress."""


def seek(
    walk: Walk, kind: Kind, what: str, start: int, forward: bool, progress: Progress | None = None
) -> int | None:
    """The number of the next step (before `start`, when not forward) at which something of a
    kind happens, or None. `progress` is told how many steps have been looked at."""
    if kind == "end":
        last = len(walk) - 1
        return last if start != last else None
    if kind in ("over", "out"):
        return _structural(walk, kind, start, forward)
    test = _TESTS[kind](walk, what, forward)
    numbers = range(start + 1, len(walk)) if forward else range(start - 1, -1, -1)
    if kind in ("name", "location"):
        test(start)  # what it is now
    for looked, number in enumerate(numbers):
        if progress is not None and looked % EVERY == 0:
            progress(looked)
        if test(number):
            return number
    return None


def _events(walk: Walk) -> int:
    """How many steps are events."""
    return len(walk) - 1 if walk.relation is None else 0


# ---------------------------------------------------------------------- in the tree of judgements


def _structural(walk: Walk, kind: Kind, start: int, forward: bool) -> int | None:
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
    for number in range(start + 1, _events(walk)) if forward else range(start - 1, -1, -1):
        _, other, leaves = walk.raw(number)
        if other == instance and leaves == forward:
            return number
    return None


# ---------------------------------------------------------------------- what happens

Test: TypeAlias = Callable[[int], bool]


def _text(walk: Walk, what: str, _forward: bool) -> Test:
    wanted = what.casefold()
    return lambda number: wanted in walk.text(number).casefold()


def _lookup(walk: Walk, what: str, _forward: bool) -> Test:
    """A judgement about a form that uses the name begins, or a step rewrites such a form."""
    signature = walk.lane.interpreter.signature

    def uses(subject: Value) -> bool:
        form = signature.form_of(subject) if isinstance(subject, tuple) else None
        if form is None or not form.uses:
            return False
        return not what or any(subject[FIELDS + index] == what for index in form.uses)

    def test(number: int) -> bool:
        if walk.relation is not None:
            return uses(walk.redex(number))
        if number >= _events(walk):
            return False
        _, instance, left = walk.raw(number)
        return not left and uses(walk.subject(instance))

    return test


def _output(walk: Walk, _what: str, _forward: bool) -> Test:
    places = set(walk.output_steps())
    return lambda number: number in places


def _environments(walk: Walk, recorder: Recorder, instance: int) -> Iterator[Value]:
    function = walk.function_of(instance)
    for kind, value in zip(function.types, recorder.arguments[instance], strict=True):
        settled = settle(kind)
        if isinstance(settled, Con) and settled.name == "Env":
            yield value


_NOTHING = object()


def _changes(find: Callable[[int], Value]) -> Test:
    """Whether what is found is not what was found last; where nothing is found nothing changes."""
    last: Value = _NOTHING

    def test(number: int) -> bool:
        nonlocal last
        found = find(number)
        if found is _NOTHING:
            return False
        before, last = last, found
        return before is not _NOTHING and before is not found and before != found

    return test


def _name(walk: Walk, what: str, _forward: bool) -> Test:
    def find(number: int) -> Value:
        if number >= _events(walk):
            return _NOTHING
        recorder, instance, _ = walk.raw(number)
        for environment in _environments(walk, recorder, instance):
            frame = environment
            while frame[0] in (FRAME, KNOT):
                if frame[FIELDS] == what:
                    return frame[FIELDS + 1]
                frame = frame[FIELDS + 2]
            assert frame[0] == EMPTY
        return _NOTHING

    return _changes(find)


def _location(walk: Walk, what: str, _forward: bool) -> Test:
    wanted = typed_number(what.removeprefix("@"))

    def find(number: int) -> Value:
        store = walk.store_at(number)
        return _NOTHING if store is None else store[FIELDS].get(wanted, _NOTHING)

    return _changes(find)


def _clause(walk: Walk, what: str, _forward: bool) -> Test:
    """`FILE:LINE`, or a line of the interpreter's own file."""
    file, _, line = what.rpartition(":")
    wanted = typed_number(line)

    def test(number: int) -> bool:
        step = walk.step(number)
        if step.clause is None or step.kind == "leave":
            return False
        source = step.clause.source or walk.lane.interpreter.source
        if file and source.name != file:
            return False
        first, _ = source.position(step.clause.start)
        last, _ = source.position(step.clause.end)
        return wanted is not None and first <= wanted <= last

    return test


_TESTS: dict[str, Callable[[Walk, str, bool], Test]] = {
    "text": _text, "lookup": _lookup, "output": _output, "name": _name, "location": _location,
    "clause": _clause,
}  # fmt: skip
