"""What has been read and checked before, in this process: the same text is not checked again.

A definition is checked by what it is made of (its text, its language, what it extends), and all of
these are the very objects that were there before when nothing in them has changed. So an edit costs
as much as what it touches.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any, TypeVar

from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Source

T = TypeVar("T")

MOST = 400
"""Things that are remembered: those used last."""


class Memory:
    def __init__(self) -> None:
        self._known: OrderedDict[Hashable, tuple[Any, tuple[Diagnostic, ...], object]] = (
            OrderedDict()
        )

    def forget(self) -> None:
        """Begin anew."""
        self._known.clear()

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
            # The parts are kept, so that their numbers stay theirs.
            known = (made, tuple(findings.sorted()), parts)
            self._known[whole] = known
            while len(self._known) > MOST:
                self._known.popitem(last=False)
        else:
            self._known.move_to_end(whole)
        return known[0], known[1]


MEMORY = Memory()
"""That of this process."""
