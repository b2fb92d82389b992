"""What has been read and checked before, in this process: the same text is not checked again.

A definition is checked by what it is made of (its text, its language, what it extends), and all of
these are the very objects that were there before when nothing in them has changed. So an edit costs
as much as what it touches. How many things a course has makes no difference: what the last reading
of it needed is remembered, and of earlier readings as much as there is room for.
"""

from __future__ import annotations

from collections import OrderedDict, deque
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any, TypeVar

from msgspec import Struct

from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Source

T = TypeVar("T")

ROOM = 400_000
"""Characters of text behind what is remembered though the last reading did not need it. What is
made of a character takes about 140 bytes."""
MOST_READINGS = 1_000
"""Readings for which anything is remembered that no later one needed."""


class _Known(Struct):
    made: Any
    found: tuple[Diagnostic, ...]
    parts: object
    """Kept, so that their numbers stay theirs."""
    reading: int
    """The last reading that needed it."""


class Memory:
    def __init__(self) -> None:
        self._known: OrderedDict[Hashable, _Known] = OrderedDict()
        """By when they were needed, the last one at the end."""
        self._reading = 0
        self._replaced: deque[int] = deque([0], maxlen=MOST_READINGS)
        """For the last readings, the newest at the end, how many characters each read that were not
        known before: about as many as went out of use in it."""

    def forget(self) -> None:
        """Begin anew."""
        self._known.clear()

    def begin(self) -> None:
        """A course is about to be read: what there is no room for is forgotten, what has not been
        needed for longest before the rest."""
        while sum(self._replaced) > ROOM:
            self._replaced.popleft()
        oldest = self._reading - len(self._replaced)
        while self._known and next(iter(self._known.values())).reading < oldest:
            self._known.popitem(last=False)
        self._reading += 1
        self._replaced.append(0)

    def source(self, name: str, text: str, path: Path | None) -> Source:
        """The source with this text: the same object as long as nothing in it changes."""

        def new(_: Findings) -> Source:
            self._replaced[-1] += len(text)
            return Source(name, text, path)

        return self.recall(("source", name, path, text), (), new)[0]

    def recall(
        self, key: Hashable, parts: tuple[object, ...], make: Callable[[Findings], T]
    ) -> tuple[T, tuple[Diagnostic, ...]]:
        """What `make` gives and finds for these parts, which are told by what they are and not by
        what they say."""
        whole = (key, *map(id, parts))
        known = self._known.get(whole)
        if known is None:
            findings = Findings()
            made = make(findings)
            known = _Known(made, tuple(findings.sorted()), parts, self._reading)
            self._known[whole] = known
        else:
            known.reading = self._reading
            self._known.move_to_end(whole)
        return known.made, known.found


MEMORY = Memory()
"""That of this process."""
