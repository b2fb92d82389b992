"""What has been read and checked before, in this process: the same text is not checked again.

A definition is checked by what it is made of (its text, its language, what it extends), and all of
these are the very objects that were there before when nothing in them has changed. So an edit costs
as much as what it touches. How many things a course has makes no difference: what is remembered is
what the last few readings of a course needed.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Source

T = TypeVar("T")

READINGS = 12
"""Readings of a course for which something is remembered that none of them needed."""


@dataclass(slots=True)
class _Known:
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

    def forget(self) -> None:
        """Begin anew."""
        self._known.clear()

    def begin(self) -> None:
        """A course is about to be read: what has not been needed for long is forgotten."""
        self._reading += 1
        while self._known:
            oldest = next(iter(self._known.values()))
            if oldest.reading >= self._reading - READINGS:
                break
            self._known.popitem(last=False)

    def source(self, name: str, text: str, path: Path | None) -> Source:
        """The source with this text: the same object as long as nothing in it changes."""
        found, _ = self.recall(("source", name, path, text), (), lambda _: Source(name, text, path))
        return found

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
