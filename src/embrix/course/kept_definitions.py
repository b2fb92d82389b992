"""What has been read and checked is kept on disk for the next process.

What is made of some parts (`KeptUnit`) has a file of its own, named by what stands for those: texts
in the end, and the modules that make it. It holds the objects as plain data
(`text/object_graphs.py`) and is believed only where this program has written it for this user
(`text/sealed.py`). Objects that belong to parts are named by where they stand in those, so it says
of every part as well what stands for the order of its objects.

Only what a course is made of when it is read for the first time is kept, or looked for: what is
typed afterwards changes too often. It is off unless a program asks for it (`use_cache`).
"""

from __future__ import annotations

import marshal
from collections.abc import Callable, Hashable, Sequence
from typing import Any

from msgspec import Struct

from embrix.brix.core import Interpreter, Language
from embrix.grammar.model import Grammar
from embrix.grammar.tokens import TokenTable
from embrix.terms.signature import Signature
from embrix.text.diagnostic import Diagnostic
from embrix.text.digests import digest, digest_of, makers
from embrix.text.object_graphs import WORKED_OUT, CannotWrite, Objects, read, written
from embrix.text.sealed import SealedFolder
from embrix.text.source import Source

MAKERS = ("brix", "course", "grammar", "machine", "suite", "terms", "text")
"""The packages that have a say in what is made."""
LEFT_OUT: dict[type, dict[str, Any]] = {
    Language: {"meaning": None},
    Interpreter: {"meaning": None},
    Grammar: {"conversions": None, "by_left": WORKED_OUT},
    TokenTable: dict.fromkeys(("_patterns", "_automata", "_spaced", "_shifts"), WORKED_OUT),
    Signature: dict.fromkeys(("by_name", "by_tag", "scopes", "uses", "users"), WORKED_OUT),
}
"""What belongs to a process, or is worked out as fast as read."""

Found = tuple[Diagnostic, ...]


class KeptUnit(Struct, frozen=True, eq=False):
    """Something that is kept, or a text."""

    key: bytes
    """Stands for what it is made of."""
    content: bytes
    """Stands for how it was written."""
    stands: object
    """What others build on."""
    part: Objects
    under: tuple[KeptUnit, ...] = ()
    """What it builds on, nearest last."""


class KeptKind(Struct, frozen=True):
    """How something is kept. `take` gives what is written of it and of what was found in it, in a
    tuple whose first element others may build on; `give` makes it of that again."""

    take: Callable[[Any, Found], tuple[Any, ...]] = lambda made, found: (made, found)
    give: Callable[..., tuple[Any, Found]] = lambda made, found: (made, found)


AS_IT_IS = KeptKind()
"""What is made and what was found in it, as they are."""


def unit_of_text(source: Source) -> KeptUnit:
    """That of a text, which is there in every process."""
    said = digest(f"{len(source.name)} {source.name} {source.text}")
    return KeptUnit(said, said, source, Objects([source]))


class Place:
    """Where something is kept that is made of some units."""

    def __init__(
        self, kept: KeptKind, key: Hashable, units: Sequence[KeptUnit | None], folder: SealedFolder
    ) -> None:
        """`key` says what it is and how it is made, `units` of what, with None for what is not
        there."""
        self._kept = kept
        self._under = tuple(dict.fromkeys(
            one for unit in units if unit is not None for one in (*unit.under, unit)
        ))  # fmt: skip
        made_of = [unit.key if unit is not None else None for unit in units]
        self._key = digest_of((key, made_of, makers(MAKERS)))
        self._folder = folder

    def read(self) -> tuple[Any, Found, KeptUnit] | None:
        """What was kept there, what was found in it, and its unit."""
        content = self._folder.read(self._key.hex()) if self._key is not None else None
        if content is None or self._key is None:
            return None
        orders, graph = marshal.loads(content)
        if orders != self._orders:
            return None
        data, part = read(graph, [one.part for one in self._under])
        made, found = self._kept.give(*data)
        return made, found, KeptUnit(self._key, digest(content), data[0], part, self._under)

    def write(self, made: object, found: Found) -> KeptUnit | None:
        """Keep something there, if it can be written."""
        if self._key is None:
            return None
        data = self._kept.take(made, found)
        try:
            graph, part = written(data, [one.part for one in self._under], LEFT_OUT)
        except CannotWrite:
            return None
        content = marshal.dumps((self._orders, graph))
        self._folder.write(self._key.hex(), content)
        return KeptUnit(self._key, digest(content), data[0], part, self._under)

    @property
    def _orders(self) -> tuple[bytes, ...]:
        return tuple(one.content for one in self._under)
