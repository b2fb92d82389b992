"""Waiting for something that other processes bring about: as long as anything moves, however slow
the machine is."""

from __future__ import annotations

import os
import time
from collections.abc import Hashable
from pathlib import Path

STILL = 30.0
"""Seconds without a change and without work after which nothing is waited for any more."""
WINDOW = 2.0
"""Seconds over which it is measured whether anybody works."""
WORKING = 0.05
"""The share of one processor from which on a process works: one of many on a busy machine."""
_TICK = os.sysconf("SC_CLK_TCK")


class Patience:
    """Says when waiting has no use: what is looked at stays the same, and no process below `root`
    works, nor that one if it is waited for `itself`."""

    def __init__(self, root: int, *, itself: bool = False) -> None:
        self._root, self._itself = root, itself
        self._look: Hashable = None
        self._since = self._measured = time.monotonic()
        self._used: float | None = None
        """What had been used when it was measured last; most waiting is over before that."""

    def over(self, look: Hashable = None) -> bool:
        """Whether waiting has no use any more; told what is to be seen now."""
        now = time.monotonic()
        if look != self._look:
            self._look, self._since = look, now
        if now - self._measured >= WINDOW:
            used = used_below(self._root, itself=self._itself)
            if self._used is None or used - self._used > WORKING * (now - self._measured):
                self._since = now
            self._measured, self._used = now, used
        return now - self._since > STILL


def used_below(root: int, *, itself: bool = False) -> float:
    """Seconds of processor time that the processes below one have used, those that have ended and
    were waited for included."""
    parents: dict[int, tuple[int, float]] = {}
    for path in Path("/proc").glob("[0-9]*/stat"):
        try:
            fields = path.read_text().rpartition(")")[2].split()
        except (OSError, ProcessLookupError):
            continue  # it has ended meanwhile
        own = sum(map(int, fields[11:15])) / _TICK
        parents[int(path.parent.name)] = int(fields[1]), own
    total = 0.0
    for number, (_, used) in parents.items():
        at, steps = number, 0
        while at in parents and at != root and steps < 100:
            at, steps = parents[at][0], steps + 1
        if at == root and (itself or number != root):
            total += used
    return total
