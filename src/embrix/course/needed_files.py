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
    rf"interpreter +[a-z]\w* +for +([A-Z]\w*)(?: +extends +(?:[A-Z]\w*\.)?[a-z]\w*)?{_END}",
    re.ASCII,
)
_EXTENSION = re.compile(r'^ +extension +"([^"\\]*)"', re.MULTILINE)


class Wanted(Struct, frozen=True):
    """The language that is asked about: its name, or what its programs end in; where neither is
    said, the first one of the course."""

    language: str = ""
    extension: str = ""


FIRST = Wanted()


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
    return {path for path, head in heads if _is_needed(head, chain)}


def _head(text: str) -> str:
    """The first line that is neither empty nor a comment."""
    lines: Iterable[str] = (line.rstrip() for line in text.split("\n"))
    return next((line for line in lines if line and not line.startswith("#")), "")


def _ends(text: str, wanted: Wanted) -> bool:
    found = _EXTENSION.search(text)
    return bool(wanted.extension) and found is not None and found[1] == wanted.extension


def _is_needed(head: str, chain: list[str]) -> bool:
    """Whether a definition is part of what some languages need; an odd one may be."""
    language, interpreter = _LANGUAGE.match(head), _INTERPRETER.match(head)
    if language is not None:
        return language[1] in chain
    if interpreter is not None:
        return interpreter[1] in chain
    return True
