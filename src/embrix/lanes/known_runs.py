"""Runs that are remembered with what the interpreter says: an edit that changes nothing about a
lane does not run its program again."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from weakref import WeakKeyDictionary

from embrix.brix.core import Meaning
from embrix.machine.lane import Lane, OnStart
from embrix.messages.replies import RunResult

MOST = 12
"""Runs that are remembered for one interpreter, those used last."""
SHOWN = 20_000
"""A run with more characters of output is not remembered."""

_KNOWN: WeakKeyDictionary[Meaning, OrderedDict[Hashable, RunResult]] = WeakKeyDictionary()


def known_run(
    lane: Lane,
    asked: Hashable,
    run: Callable[[OnStart | None], RunResult],
    on_start: OnStart | None,
) -> RunResult:
    """What came of a run on a lane, remembered with all that was `asked`, unless somebody has
    stopped it."""
    if not lane.records:
        return run(on_start)  # a command outside, which may do otherwise next time
    stopped: list[bool] = []

    def begun(stop: Callable[[], None]) -> None:
        def stop_it() -> None:
            stopped.append(True)
            stop()

        assert on_start is not None
        on_start(stop_it)

    known = _KNOWN.setdefault(lane.interpreter.meaning, OrderedDict())
    key = (lane.name, lane.interpreter.language.chosen, asked)
    found = known.get(key)
    if found is not None:
        known.move_to_end(key)
        return found
    found = run(begun if on_start is not None else None)
    if not stopped and found.outcome.name != "memory" and sum(map(len, found.output)) <= SHOWN:
        known[key] = found
        if len(known) > MOST:
            known.popitem(last=False)
    return found
