"""Runs without end: small steps that come back to where they were, and the last judgement of a run
that was not a repetition of an earlier one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from embrix.brix.core import Interpreter
from embrix.machine.recorder import Recorder
from embrix.terms.node import STORE, Value, same, size

CALLS, STEPS = 60_000, 400
"""How far such a run is looked at."""

LARGEST = 4_000
"""Nodes of a term that is compared."""

LOOKED_AT, ALIKE, WORK, EACH = 10_000, 40, 300_000, 50
"""How many judgements are looked at for a repetition, with how many earlier ones each is compared,
how many nodes all that may visit, and what each comparison counts at least."""


def find_cycle(interpreter: Interpreter, recorder: Recorder) -> tuple[int, int] | None:
    """The numbers of the first two steps of a record that begin with the same term and whatever
    else the steps are given; None when none was found."""
    relation = interpreter.steps
    if relation is None:
        return None
    number = list(interpreter.functions).index(relation.name)
    seen: dict[int, list[tuple[int, tuple[Value, ...]]]] = {}
    step = 0
    for instance, function in enumerate(recorder.functions):
        parent = recorder.parents[instance]
        if function != number or (parent >= 0 and recorder.functions[parent] == number):
            continue
        arguments = recorder.arguments[instance]
        weight = sum(size(argument, LARGEST) for argument in arguments)
        if weight < LARGEST:
            for earlier, others in seen.get(weight, ()):
                if all(same(a, b) for a, b in zip(arguments, others, strict=True)):
                    return earlier, step
            seen.setdefault(weight, []).append((step, arguments))
        step += 1
        if step > STEPS:
            return None
    return None


class _TooMuch(Exception):
    """Comparing has used up what it may."""


def last_new(recorder: Recorder) -> tuple[int, bool] | None:
    """The last judgement that began with something that no earlier one began with, and whether
    many repetitions came after it; None when that could not be found out."""
    spent = 0

    def spend(nodes: int) -> None:
        nonlocal spent
        spent += nodes
        if spent > WORK:
            raise _TooMuch

    seen: dict[Any, list[tuple[Value, ...]]] = {}
    newest = -1
    count = min(len(recorder.functions), LOOKED_AT)
    for instance in range(count):
        arguments = recorder.arguments[instance]
        key = (recorder.functions[instance], *map(_outline, arguments))
        earlier = seen.setdefault(key, [])
        try:
            known = any(_again(arguments, others, spend) for others in earlier[-ALIKE:])
        except _TooMuch:
            count = instance  # what comes later is not looked at
            break
        if not known:
            earlier.append(arguments)
            newest = instance
    return (newest, newest < count - count // 4) if count else None


def _again(
    arguments: tuple[Value, ...], others: tuple[Value, ...], spend: Callable[[int], None]
) -> bool:
    """Whether a judgement begins with the same as an earlier one. Stores are only compared by what
    they are: their insides are not walked over."""
    spend(EACH)
    for a, b in zip(arguments, others, strict=True):
        if a is b:
            continue
        if isinstance(a, tuple) and a[0] == STORE:
            return False
        if not same(a, b, spend):
            return False
    return True


def _outline(argument: Value) -> Value:
    """Enough of a value to tell most from one another."""
    if not isinstance(argument, tuple):
        return argument if argument == argument else "no number"
    return (argument[0], argument[1], len(argument))
