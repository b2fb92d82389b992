"""The definitions of a file, one behind the other.

Each is read as a text of its own in which what stands before it is blank and nothing stands behind
it: places are those of the file, and nothing that is written in one definition matters to another.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

from embrix.text.source import Source

HEADS = ("language", "interpreter", "library")
"""The words with which a definition begins."""
_HEAD = re.compile(rf"^(?:{'|'.join(HEADS)}) +\w", re.MULTILINE)
_FIRST = re.compile(r"^[^\s#]", re.MULTILINE)


def extents(text: str) -> list[tuple[int, int]]:
    """Where each definition of a text begins and ends: the first one with the text."""
    first = _FIRST.search(text)
    heads = _HEAD.finditer(text, first.end() if first is not None else 0)
    begins = [0, *(head.start() for head in heads)]
    return list(zip(begins, [*begins[1:], len(text)], strict=True))


def alone(text: str, begin: int, end: int) -> str:
    """A part of a text with what stands before it blank, line by line."""
    return re.sub(r"[^\r\n]", " ", text[:begin]) + text[begin:end]


def definitions_of(source: Source, make: Callable[[str], Source] | None = None) -> Iterator[Source]:
    """Each definition of a file as a source of its own; `make` makes one of a text. A file with one
    definition is that source itself."""
    text = source.text
    found = extents(text)
    if len(found) == 1:
        yield source
        return
    for begin, end in found:
        part = alone(text, begin, end)
        yield make(part) if make is not None else Source(source.name, part, source.path)


def definition_at(text: str, place: int) -> tuple[str, Callable[[str], str]]:
    """The definition in which a place of a text lies, alone; and what makes the whole text of what
    that becomes."""
    begin, end = next(one for one in reversed(extents(text)) if one[0] <= place)
    return alone(text, begin, end), lambda made: text[:begin] + made[begin:] + text[end:]
