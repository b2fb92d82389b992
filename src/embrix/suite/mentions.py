"""Where suites, and `course.toml`, mention what definitions declare: errors, forms, choices."""

from __future__ import annotations

import re
from collections.abc import Iterator

from embrix.text.toml_places import structure

_LANGUAGE = re.compile(r"^language[ \t]*=[ \t]*[\"'](\w+)[\"']", re.M)


def language_of(text: str) -> str:
    """The language that a suite names; nothing where it names none."""
    found = _LANGUAGE.search(text)
    return found[1] if found is not None else ""


def mentions(text: str, kind: str, name: str, owner: str = "") -> Iterator[int]:
    """Where a text in TOML mentions something by name; `owner` is the choice of an alternative."""
    plain, word = structure(text), re.escape(name)
    if kind == "error":
        yield from _values(text, plain, "error", rf"{word}(?=[\"'])")
        for table in re.finditer(r"\berrors[ \t]*=[ \t]*\{[^}]*\}", plain):
            yield from _found(plain, rf"\b{word}(?=[ \t]*=)", table.start(), table.end())
    elif kind == "form":
        for key in ("term", "value"):
            yield from _values(text, plain, key, rf"[^\"']*?\b{word}(?=\()", every=True)
    elif kind == "choice":
        yield from _found(text, rf"(?<=[\"'\[,]){word}(?==\w)", 0, len(text))
    elif kind == "alternative":
        yield from _found(text, rf"(?<=\b{re.escape(owner)}=){word}\b", 0, len(text))


def _found(text: str, pattern: str, start: int, end: int) -> Iterator[int]:
    for found in re.compile(pattern).finditer(text, start, end):
        yield found.start()


def _values(text: str, plain: str, key: str, pattern: str, *, every: bool = False) -> Iterator[int]:
    """Places in the texts that are the values of a key; what matches ends with the name."""
    for found in re.finditer(rf"\b{key}[ \t]*=", plain):
        begin = found.end() + len(text[found.end() :]) - len(text[found.end() :].lstrip(" \t")) + 1
        quote = text[begin - 1 : begin]
        if quote not in ("'", '"') or not quote:
            continue
        end = text.find(quote, begin)
        inside = text[begin : end + 1 if end >= 0 else len(text)]
        at = 0
        while True:
            hit = re.compile(pattern).match(inside, at)
            if hit is None:
                break
            name = re.search(r"\w+\Z", inside[: hit.end()])
            assert name is not None
            yield begin + name.start()
            at = hit.end()
            if not every:
                break
