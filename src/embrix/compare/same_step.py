"""The step of another walk of a program at which the same part of it is evaluated."""

from __future__ import annotations

from collections.abc import Iterator

from embrix.terms.node import Place
from embrix.trace.walk import Walk

MOST_EVENTS, MOST_TERMS = 100_000, 2_000
"""Events of a record and terms of a reduction sequence that are gone through."""


def same_step(one: Walk, number: int, other: Walk) -> int:
    """The number of the step of `other` that corresponds to a step of `one`: the same part of the
    program is evaluated there for as many times as here, or for the last time if it is not so
    often. Where it never is, the part around it counts; the first step stands for the first and
    for what has no counterpart, the last for the last."""
    if number <= 0:
        return 0
    if number >= len(one) - 1:
        return len(other) - 1
    here = _at(one, number)
    if here is None:
        return 0
    place, times, left = here
    found: dict[Place, list[tuple[int, int]]] = {}
    for entered, gone, part in _evaluations(other):
        if part[0] <= place[0] and place[1] <= part[1]:
            found.setdefault(part, []).append((entered, gone))
    if not found:
        return 0
    nearest = min(found, key=lambda part: part[1] - part[0])
    steps = found[nearest]
    entered, gone = steps[min(times, len(steps)) - 1 if nearest == place else 0]
    return gone if left and gone >= 0 and nearest == place else entered


def _at(walk: Walk, number: int) -> tuple[Place, int, bool] | None:
    """The part of the program that a step is about, for how many times it is evaluated by then,
    and whether its evaluation ends there; of a step that is about none (a location that is looked
    at) what begins before it."""
    found: tuple[Place, int, bool] | None = None
    times: dict[Place, int] = {}
    for entered, gone, place in _evaluations(walk):
        if entered > number:
            break
        times[place] = times.get(place, 0) + 1
        if number in (entered, gone):
            return place, times[place], number == gone
        found = place, times[place], False
    return found


def _evaluations(walk: Walk) -> Iterator[tuple[int, int, Place]]:
    """Each evaluation of a part of the program: the numbers of the steps at which it begins and
    ends (-1 where it does not end, or is one step), and the part; in the order in which they
    begin."""
    if walk.traced.term is None:
        return
    if walk.relation is not None:
        for number in range(min(len(walk), MOST_TERMS)):
            redex = walk.redex(number)
            if redex is not None and redex[1] is not None:
                yield number, -1, redex[1]
        return
    events = walk.traced.recorder.events[:MOST_EVENTS]
    gone = {~event: number for number, event in enumerate(events) if event < 0}
    for number, instance in enumerate(events):
        if instance < 0 or walk.function_of(instance).judgement is None:
            continue
        subject = walk.subject(instance)
        if subject is not None and subject[1] is not None:
            yield number, gone.get(instance, -1), subject[1]
