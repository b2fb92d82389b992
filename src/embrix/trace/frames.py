"""Where the frames of an environment come from: made for this judgement, held by a closure, or
there already around it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, TypeAlias

from embrix.machine.recorder import NOT_LEFT, Recorder
from embrix.machine.window import CHILDREN
from embrix.terms.node import FIELDS, FRAME, KNOT, LOCATION, STORE, TUPLE, Node, Value, bindings

Origin: TypeAlias = Literal["fresh", "captured", "around"]

MOST_SCANNED = 2_000
"""Judgements before this one among which those that the same one has called are looked for."""
MOST_FRAMES = 2_000


def origins(
    recorder: Recorder, instance: int, environment: Node, around: Node | None
) -> list[Origin]:
    """For each frame of an environment, innermost first, where it comes from. `around` is the
    environment of the nearest judgement around this one that has one; without any all is fresh.

    A frame in an environment that some value holds (an argument of the judgement around, or the
    result of what went before) has been captured, unless the environment extends the one around.
    """
    known = set(_frames(around)) if around is not None else set()
    held: set[int] = set()
    parent = recorder.parents[instance]
    if parent >= 0:
        for value in (*recorder.arguments[parent], *_at_locations(recorder.arguments[parent])):
            held.update(_held(value))
        for result in _before(recorder, parent, instance):
            held.update(_held(result))
            known.update(_handed_on(result))
    found: list[Origin] = []
    frame = environment
    extends = False
    while frame[0] in (FRAME, KNOT) and len(found) < MOST_FRAMES:
        extends = extends or frame is around
        if extends:
            found.append("around")
        elif id(frame) in held:
            found.append("captured")
        else:
            found.append("around" if id(frame) in known else "fresh")
        frame = frame[FIELDS + 2]
    return found


def _before(recorder: Recorder, parent: int, instance: int) -> list[Value]:
    """The results of the last judgements that the same one has called before."""
    found: list[Value] = []
    kept = recorder.parents if isinstance(recorder.parents, Mapping) else None
    for other in range(instance - 1, max(parent, instance - MOST_SCANNED), -1):
        if kept is not None and other not in kept:
            continue
        if recorder.parents[other] == parent:
            result = recorder.results[other]
            found += [] if result is NOT_LEFT else [result]
            if len(found) >= CHILDREN:
                break
    return found


def _at_locations(arguments: tuple[Value, ...]) -> list[Value]:
    """What the stores among the arguments of a judgement have at the locations that it knows: those
    among its arguments, and those that its names stand for."""
    nodes = [one for one in arguments if isinstance(one, tuple)]
    known = [one for one in nodes if one[0] == LOCATION]
    for environment in nodes:
        for _, (_, value) in zip(range(MOST_FRAMES), bindings(environment), strict=False):
            if isinstance(value, tuple) and value[0] == LOCATION:
                known.append(value)
    return [
        store[FIELDS][where[FIELDS]]
        for store in nodes
        if store[0] == STORE
        for where in known
        if where[FIELDS] in store[FIELDS]
    ]


def _frames(environment: Node) -> list[int]:
    found: list[int] = []
    while environment[0] in (FRAME, KNOT) and len(found) < MOST_FRAMES:
        found.append(id(environment))
        environment = environment[FIELDS + 2]
    return found


def _handed_on(value: Value) -> list[int]:
    """The frames of an environment that is a result, or a component of one."""
    if not isinstance(value, tuple):
        return []
    parts = value[FIELDS:] if value[0] == TUPLE else (value,)
    return [
        frame for part in parts
        if isinstance(part, tuple) and part[0] in (FRAME, KNOT) for frame in _frames(part)
    ]  # fmt: skip


def _held(value: Value) -> list[int]:
    """The frames of environments that are fields of a value, or of a component of it."""
    if not isinstance(value, tuple):
        return []
    found: list[int] = []
    for part in (value, *(one for one in value[FIELDS:] if isinstance(one, tuple))):
        if part[0] in (FRAME, KNOT, TUPLE):
            continue
        for inner in part[FIELDS:]:
            if isinstance(inner, tuple) and inner and inner[0] in (FRAME, KNOT):
                found += _frames(inner)
    return found
