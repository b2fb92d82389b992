"""Suspended computations in a store: which waits, which is being forced, which is done, and how
often the value of one has been used again.

A judgement that is given a location and a store looks at what is there: at a suspension it forces
it, at something settled it uses it again.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping, Sequence

from embrix.brix.core import Interpreter
from embrix.machine.marks import Marks, looked_at, places_by_number, roles_by_tag
from embrix.machine.recorder import Recorder


class Waiting:
    """What has happened to the suspensions of one record. Uses before a part of a run cannot be
    seen in it: they are in the marks of the whole run."""

    def __init__(
        self, recorder: Recorder, interpreter: Interpreter, marks: Marks | None = None
    ) -> None:
        self._recorder = recorder
        roles = roles_by_tag(interpreter)
        looking = places_by_number(interpreter)
        self._forced: dict[int, int] = {}
        reused: dict[int, list[int]] = {}
        columns = recorder.functions
        numbered = columns.items() if isinstance(columns, Mapping) else enumerate(columns)
        for instance, function in numbered if looking else ():
            where = looking.get(function)
            if where is None:
                continue
            location, role = looked_at(recorder.arguments[instance], where, roles)
            if role == "settled":
                reused.setdefault(location, []).append(instance)
            elif role == "suspended":
                self._forced[instance] = location
        self._reused: Mapping[int, Sequence[int]] = reused if marks is None else marks.uses

    def reused(self, location: int, instance: int) -> int:
        """How often the value at a location had been used again when a judgement began."""
        return bisect_left(self._reused.get(location, ()), instance)

    def being_forced(self, instance: int) -> set[int]:
        """The locations that this judgement and those around it are forcing."""
        found: set[int] = set()
        at = instance
        while at >= 0 and self._forced:
            if at in self._forced:
                found.add(self._forced[at])
            at = self._recorder.parents[at]
        return found
