"""What a run holds over time: frames and the closures that point to them, changes of the store,
the fate of each suspension."""

from __future__ import annotations

from msgspec import Struct

from embrix.terms.node import EMPTY, FIELDS, FRAME, KNOT, Node, Value
from embrix.trace.walk import Walk
from embrix.trace.walk_steps import WalkStep

MOST_FRAMES = 40
MOST_LOOKED_AT = 20_000
"""Steps that are looked at for changes of the store."""


class HeldFrame(Struct, frozen=True):
    """A binding as a box: `key` tells frames apart; `holds` is the key of the frame at which the
    environment of a closure in it begins (0: the empty one, None: no closure)."""

    key: int
    name: str
    value: str
    note: str
    shadowed: bool
    holds: int | None


def frames_at(walk: Walk, number: int) -> list[HeldFrame]:
    """The frames of the environment at a step, the innermost first."""
    environment = walk.environment_at(number)
    step = walk.step(number)
    found: list[HeldFrame] = []
    frame = environment
    for binding in step.bindings[:MOST_FRAMES]:
        if frame is None or frame[0] not in (FRAME, KNOT):
            break
        text = "" if binding.origin == "around" else binding.origin
        found.append(
            HeldFrame(
                id(frame),
                binding.name,
                binding.value,
                text,
                binding.shadowed,
                _held(frame[FIELDS + 1]),
            )
        )
        frame = frame[FIELDS + 2]
    return found


def _held(value: Value) -> int | None:
    for part in value[FIELDS:] if isinstance(value, tuple) else ():
        if isinstance(part, tuple) and part and part[0] in (FRAME, KNOT):
            return id(part)
        if isinstance(part, tuple) and part and part[0] == EMPTY:
            return 0
    return None


def store_changes(walk: Walk, most: int) -> list[int]:
    """The steps at which the store is another one than before, the first ones."""
    found: list[int] = []
    before: Node | None = None
    for number in range(min(len(walk), MOST_LOOKED_AT)):
        store = walk.store_at(number)
        if store is None or store is before:
            continue
        if before is None or store[FIELDS] != before[FIELDS]:
            found.append(number)
            if len(found) >= most:
                break
        before = store
    return found


class Suspension(Struct, frozen=True):
    """A suspended computation: the numbers of the steps at which it is first seen waiting, being
    forced, done, and used again."""

    location: str
    what: str
    made: int
    forced: int | None
    done: int | None
    reused: tuple[int, ...]


def suspensions(walk: Walk) -> list[Suspension]:
    """Every suspension of a run, in the order in which they were made."""
    waiting: dict[str, list[object]] = {}
    for number in range(min(len(walk), MOST_LOOKED_AT)):
        step: WalkStep = walk.step(number)
        for held in step.store:
            known = waiting.get(held.location)
            if known is None:
                if held.role == "suspended":
                    waiting[held.location] = [held.value, number, None, None, [], 0]
                continue
            if held.role == "forcing" and known[2] is None:
                known[2] = number
            if held.role == "settled" and known[3] is None:
                known[3] = number
                known[2] = number if known[2] is None else known[2]
            if held.reused > int(str(known[5])):
                known[5] = held.reused
                reused = known[4]
                assert isinstance(reused, list)
                reused.append(number)
    return [
        Suspension(location, str(what), made, forced, done, tuple(reused))  # type: ignore[arg-type]
        for location, (what, made, forced, done, reused, _) in waiting.items()
    ]
