"""What a run holds over time: changes of the store, the fate of each suspension."""

from __future__ import annotations

from msgspec import Struct

from embrix.terms.node import FIELDS, Node
from embrix.trace.walk import Walk
from embrix.trace.walk_steps import WalkStep

MOST_LOOKED_AT = 20_000
"""Steps that are looked at for changes of the store."""


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
