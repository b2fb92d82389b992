"""Verdicts that an edit leaves as they were: those of runs that have entered none of the clauses
that say something else."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from weakref import WeakKeyDictionary

from msgspec import Struct

from embrix.brix.core import DeclaredAlike
from embrix.machine.entered import Clauses, changed_clauses
from embrix.machine.lane import Lane
from embrix.machine.unit import Unit
from embrix.suite.check import Verdict

MOST = 20_000
"""Verdicts that are remembered for interpreters that declare the same, those used last."""


class _Earlier(Struct, frozen=True):
    """A verdict on an interpreter, and the clauses that were entered for it."""

    unit: Unit
    entered: Clauses
    verdict: Verdict


_EARLIER: WeakKeyDictionary[DeclaredAlike, OrderedDict[Hashable, _Earlier]] = WeakKeyDictionary()
_MARKING = Lock()
"""Held while marks are made: they are those of one verdict."""


def unchanged_verdict(lane: Lane, key: Hashable, judge: Callable[[], Verdict]) -> Verdict:
    """The verdict that came earlier of what the key says, if no clause that was entered for it says
    something else now; otherwise what `judge` gives."""
    declared = lane.interpreter.meaning.declared
    if declared is None or not _MARKING.acquire(blocking=False):
        return judge()
    try:
        known = _EARLIER.setdefault(declared, OrderedDict())
        unit = lane.machine.compiled("plain", brief=True).unit
        earlier = known.get(key)
        if earlier is not None and earlier.unit is not unit:
            changed = changed_clauses(earlier.unit, unit)
            if changed is None or changed & earlier.entered:
                earlier = None
        if earlier is None:
            lane.machine.entered.clear()
            verdict = judge()
            entered = lane.machine.entered.clauses()
            if entered is None:
                return verdict
            earlier = _Earlier(unit, entered, verdict)
        known[key] = _Earlier(unit, earlier.entered, earlier.verdict)
        known.move_to_end(key)
        if len(known) > MOST:
            known.popitem(last=False)
        return earlier.verdict
    finally:
        _MARKING.release()
