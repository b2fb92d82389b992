"""A whole run gone through once, part by part, with no more of it kept than one part."""

from __future__ import annotations

from collections.abc import Callable

from embrix.machine.faults import OutOfFuel
from embrix.machine.window import Window


class Sweep(Window):
    """The record of a run from an event on, part by part; `ends` says up to which event the part
    that begins at one goes. Each time `seen` is told of the record, which has that part; the run
    ends where it says that it has seen enough."""

    def __init__(
        self, first: int, ends: Callable[[int], int], seen: Callable[[Sweep], bool]
    ) -> None:
        super().__init__(first, ends(first) - first)
        self._ends = ends
        self._seen = seen

    def end(self) -> None:
        """The run is over: what has come since the last part is one as well."""
        if self._events:
            self._seen(self)

    def _turned(self, at: int) -> None:
        if at == self._end:
            enough = self._seen(self)
            done, self._events = self._events, []
            if enough:
                raise OutOfFuel("recorded events")
            self.begin = self._end
            self._end = self._ends(self.begin)
            self._forgotten(done)
        super()._turned(at)
