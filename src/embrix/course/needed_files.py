"""Which definitions of a course a language needs, as their first lines say.

A course may hold many languages. What is asked about one of them needs its own file, its
interpreters, those of the languages that it extends, and the libraries; the others need not be read
and checked. Where the first lines do not say enough, everything is needed.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from pathlib import Path

from msgspec import Struct

from embrix.brix.parted import extents

_END = r"[ ]*(?:#.*)?$"
_LANGUAGE = re.compile(rf"language +([A-Z]\w*)(?: +extends +([A-Z]\w*))?{_END}", re.ASCII)
_INTERPRETER = re.compile(
    rf"interpreter +([a-z]\w*) +for +([A-Z]\w*)(?: +extends +(?:([A-Z]\w*)\.)?([a-z]\w*))?{_END}",
    re.ASCII,
)
_EXTENSION = re.compile(r'^ +extension +"([^"\\]*)"', re.MULTILINE)


class Wanted(Struct, frozen=True):
    """The language that is asked about: its name, or what its programs end in; where neither is
    said, the first one of the course. Its interpreters are those in `lanes`, or all."""

    language: str = ""
    extension: str = ""
    lanes: tuple[str, ...] = ()


FIRST = Wanted()


class Unread(Struct, frozen=True):
    """A language that has not been read, as far as its first lines tell of it."""

    name: str
    extension: str
    file: Path
    programs: tuple[Path, ...] = ()


def languages_in(texts: Mapping[Path, str]) -> list[Unread]:
    """The languages that some definitions declare, in their order."""
    found = [(path, part, _LANGUAGE.match(_head(part))) for path, text in texts.items()
             for part in (text[slice(*extent)] for extent in extents(text))]  # fmt: skip
    return [
        Unread(head[1], extension[1] if (extension := _EXTENSION.search(part)) else "", path)
        for path, part, head in found if head is not None
    ]  # fmt: skip


def needed_files(texts: Mapping[Path, str], wanted: Wanted) -> set[Path]:
    """Those of some definitions that a language needs; all of them where that cannot be seen."""
    everything = set(texts)
    parts = [(path, text[slice(*extent)]) for path, text in texts.items()
             for extent in extents(text)]  # fmt: skip
    heads = [(path, _head(text)) for path, text in parts]
    bases: dict[str, str | None] = {}
    target = ""
    for (_, head), (_, text) in zip(heads, parts, strict=True):
        found = _LANGUAGE.match(head)
        if found is None:
            continue
        name = found[1]
        if name in bases:
            return everything
        bases[name] = found[2]
        if name == wanted.language or (not wanted.language and _ends(text, wanted)):
            if target:
                return everything
            target = name
    if wanted == FIRST:
        target = next(iter(bases), "")
    if not target:
        return everything
    chain = [target]
    while (base := bases.get(chain[-1])) is not None and base not in chain:
        chain.append(base)
    if wanted == FIRST:
        chain = chain[-1:]  # what a language extends stands before it
    lanes = _with_bases([head for _, head in heads], target, wanted.lanes)
    return {path for path, head in heads if _is_needed(head, chain, lanes)}


def _with_bases(
    heads: Iterable[str], language: str, names: Iterable[str]
) -> set[tuple[str, str]] | None:
    """Some interpreters of a language, and those that they extend; None for all, where one of them
    cannot be seen."""
    bases: dict[tuple[str, str], tuple[str, str] | None] = {}
    for head in heads:
        found = _INTERPRETER.match(head)
        if found is not None:
            base = (found[3] or found[2], found[4]) if found[4] else None
            bases[found[2], found[1]] = base
    needed: set[tuple[str, str]] = set()
    for name in names:
        key: tuple[str, str] | None = (language, name)
        while key is not None and key not in needed:
            if key not in bases:
                return None
            needed.add(key)
            key = bases[key]
    return needed or None


def _head(text: str) -> str:
    """The first line that is neither empty nor a comment."""
    lines: Iterable[str] = (line.rstrip() for line in text.split("\n"))
    return next((line for line in lines if line and not line.startswith("#")), "")


def _ends(text: str, wanted: Wanted) -> bool:
    found = _EXTENSION.search(text)
    return bool(wanted.extension) and found is not None and found[1] == wanted.extension


def _is_needed(head: str, chain: list[str], lanes: set[tuple[str, str]] | None) -> bool:
    """Whether a definition is part of what some languages need, with some interpreters or all; an
    odd one may be."""
    language, interpreter = _LANGUAGE.match(head), _INTERPRETER.match(head)
    if language is not None:
        return language[1] in chain
    if interpreter is not None:
        of = (interpreter[2], interpreter[1])
        return of[0] in chain if lanes is None else of in lanes
    return True
