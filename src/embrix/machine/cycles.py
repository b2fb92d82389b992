"""Small-step runs that come back to where they were: a term that returns will return for ever."""

from __future__ import annotations

from embrix.brix.core import Interpreter
from embrix.machine.recorder import Recorder
from embrix.terms.node import Value, same, size

CALLS, STEPS = 60_000, 400
"""How far such a run is looked at."""

LARGEST = 4_000
"""Nodes of a term that is compared."""


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
