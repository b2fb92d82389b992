"""What has been read and checked before, in this process: the same text is not checked again.

A definition is checked by what it is made of (its text, its language, what it extends), and all of
these are the very objects that were there before when nothing in them has changed. So an edit costs
as much as what it touches. How many things a course has makes no difference: what the last reading
of it needed is remembered, and of earlier readings as much as there is room for.

What was made by another process of the same texts is not made again (`kept_definitions.py`).
"""

from __future__ import annotations

from collections import OrderedDict, deque
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any, TypeVar

from msgspec import Struct

from embrix.course.kept_definitions import KeptKind, KeptUnit, Place, unit_of_text
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.sealed import SealedFolder
from embrix.text.source import Source
from embrix.text.user_folders import cache_in_use

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
    unit: KeptUnit | None = None
    """Where it is kept on disk."""


class Memory:
    def __init__(self) -> None:
        self._known: OrderedDict[Hashable, _Known] = OrderedDict()
        """By when they were needed, the last one at the end."""
        self._reading = 0
        self._replaced: deque[int] = deque([0], maxlen=MOST_READINGS)
        """For the last readings, the newest at the end, how many characters each read that were not
        known before: about as many as went out of use in it."""
        self._units: dict[int, KeptUnit] = {}
        """By identity, of what is kept on disk."""
        self._read_first: dict[tuple[str, Path | None], int] = {}
        """In which reading a text of this name and path was read first."""
        self._folder: SealedFolder | None = None

    def forget(self) -> None:
        """Begin anew."""
        self._known.clear()
        self._units.clear()
        self._read_first.clear()

    def begin(self) -> None:
        """A course is about to be read: what there is no room for is forgotten, what has not been
        needed for longest before the rest."""
        while sum(self._replaced) > ROOM:
            self._replaced.popleft()
        oldest = self._reading - len(self._replaced)
        while self._known and next(iter(self._known.values())).reading < oldest:
            _, known = self._known.popitem(last=False)
            if known.unit is not None:
                self._units.pop(id(known.unit.stands), None)
        self._reading += 1
        self._replaced.append(0)
        self._folder = SealedFolder.of_user("definitions") if cache_in_use() else None

    def source(self, name: str, text: str, path: Path | None) -> Source:
        """The source with this text: the same object as long as nothing in it changes."""

        key = ("source", name, path, text)

        def new(_: Findings) -> Source:
            self._replaced[-1] += len(text)
            return Source(name, text, path)

        made, _ = self.recall(key, (), new)
        known = self._known[key,]
        first = self._read_first.setdefault((name, path), self._reading) == self._reading
        if first and known.unit is None:
            self._keep(known, unit_of_text(made))
        return made

    def recall(
        self, key: Hashable, parts: tuple[object, ...], make: Callable[[Findings], T],
        kept: KeptKind | None = None,
    ) -> tuple[T, tuple[Diagnostic, ...]]:  # fmt: skip
        """What `make` gives and finds for these parts, which are told by what they are and not by
        what they say. What is `kept` on disk may come from there."""
        whole = (key, *map(id, parts))
        known = self._known.get(whole)
        if known is None:
            known = self._found(key, parts, make, kept)
            self._known[whole] = known
        else:
            known.reading = self._reading
            self._known.move_to_end(whole)
        return known.made, known.found

    def _found(
        self, key: Hashable, parts: tuple[object, ...], make: Callable[[Findings], T],
        kept: KeptKind | None,
    ) -> _Known:  # fmt: skip
        place = self._place(key, parts, kept) if kept is not None else None
        before = place.read() if place is not None else None
        if before is not None:
            made, found, unit = before
            return self._keep(_Known(made, found, parts, self._reading), unit)
        findings = Findings()
        new = make(findings)
        known = _Known(new, tuple(findings.sorted()), parts, self._reading)
        after = place.write(new, known.found) if place is not None else None
        return self._keep(known, after) if after is not None else known

    def _keep(self, known: _Known, unit: KeptUnit) -> _Known:
        """Something that is known and kept on disk: others that are kept may build on it."""
        if isinstance(unit.stands, Struct):
            known.unit = unit
            self._units[id(unit.stands)] = unit
        return known

    def _place(self, key: Hashable, parts: tuple[object, ...], kept: KeptKind) -> Place | None:
        """Where something is kept on disk, if all is that it is made of."""
        units = [self._units.get(id(part)) for part in parts]
        unknown = [part for part, unit in zip(parts, units, strict=True) if unit is None]
        if self._folder is None or any(part is not None for part in unknown):
            return None
        return Place(kept, key, units, self._folder)


MEMORY = Memory()
"""That of this process."""
