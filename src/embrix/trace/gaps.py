"""The steps of a long walk between the first and the last, of which no record stays: how they are
gone through all the same."""

from __future__ import annotations

import sys
from bisect import bisect_left, bisect_right
from collections.abc import Callable

from embrix.trace.walk import Walk

PART = 50_000
"""Events that are looked at together."""
NEVER = sys.maxsize
"""An event that does not come."""


def not_kept(walk: Walk) -> range:
    """The steps of which no record that stays has all."""
    last = walk.traced.last
    if last is None:
        return range(0)
    kept = len(walk.traced.recorder.events)
    if walk.relation is None:
        return range(kept, last.begin)
    begun = walk.reductions.begun
    return range(max(0, bisect_right(begun, kept) - 1), bisect_left(begun, last.begin))


def sweep(walk: Walk, first: int, seen: Callable[[range], bool]) -> None:
    """Carry the run out once more and look at all steps from one on, part by part: `seen` is told
    the numbers of those that a record has then as a whole, and says whether that is enough."""
    if walk.relation is None:
        walk.sweep(first, lambda begin: begin + PART, seen)
        return
    begun = walk.reductions.begun

    def ends(begin: int) -> int:
        following = bisect_left(begun, begin + PART)
        return begun[following] if following < len(begun) else NEVER

    def terms(events: range) -> bool:
        numbers = range(bisect_left(begun, events.start), bisect_left(begun, events.stop))
        return bool(numbers) and seen(numbers)

    walk.sweep(begun[first], ends, terms)
