"""Suspended computations in a store: which waits, which is being forced, which is done, and how
often the value of one has been used again.

A judgement that is given a location and a store looks at what is there: at a suspension it forces
it, at something settled it uses it again.
"""

from __future__ import annotations

from bisect import bisect_left

from embrix.brix.core import Function, Interpreter
from embrix.machine.recorder import Recorder, Window
from embrix.terms.node import FIELDS
from embrix.terms.types import Con, settle


class Waiting:
    """What has happened to the suspensions of one record."""

    def __init__(self, recorder: Recorder, interpreter: Interpreter) -> None:
        self._recorder = recorder
        self._roles = {c.tag: c.role for c in interpreter.constructors.values() if c.role}
        functions = enumerate(interpreter.functions.values())
        looking = {number: where for number, one in functions if (where := _places(one))}
        self._reused: dict[int, list[int]] = {}
        self._forced: dict[int, int] = {}
        columns = recorder.functions
        numbered = columns.items() if isinstance(columns, dict) else enumerate(columns)
        for instance, function in numbered if self._roles and looking else ():
            where = looking.get(function)
            if where is None:
                continue
            arguments = recorder.arguments[instance]
            location, store = arguments[where[0]][FIELDS], arguments[where[1]][FIELDS]
            value = store.get(location)
            role = self._roles.get(value[0]) if isinstance(value, tuple) else None
            if role == "settled":
                self._reused.setdefault(location, []).append(instance)
            elif role == "suspended":
                self._forced[instance] = location

    def reused(self, location: int, instance: int) -> int:
        """How often the value at a location had been used again when a judgement began; nothing is
        told of a part of a run, in which what came before cannot be seen."""
        if isinstance(self._recorder, Window):
            return 0
        return bisect_left(self._reused.get(location, []), instance)

    def being_forced(self, instance: int) -> set[int]:
        """The locations that this judgement and those around it are forcing."""
        found: set[int] = set()
        at = instance
        while at >= 0 and self._forced:
            if at in self._forced:
                found.add(self._forced[at])
            at = self._recorder.parents[at]
        return found


def _places(function: Function) -> tuple[int, int] | None:
    """Where a function takes a location and where a store, if it takes both."""
    kinds = [settle(kind) for kind in function.types]
    names = [kind.name if isinstance(kind, Con) else "" for kind in kinds]
    if "Loc" in names and "Store" in names:
        return names.index("Loc"), names.index("Store")
    return None
