"""Texts in TOML: what they say, and where keys and tables are written. The readers of TOML that we
use tell values without their places; for these only the structure is looked at, never what stands
inside texts or comments."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Collection
from functools import lru_cache
from typing import Any

from embrix.text.source import Source, Span


def read_toml(text: str, parse_float: Callable[[str], Any] = float) -> dict[str, Any]:
    """What a TOML text says. Raises TOMLDecodeError, also for what the reader has no measure for:
    nesting without end, numbers of thousands of digits."""
    try:
        return tomllib.loads(text, parse_float=parse_float)
    except tomllib.TOMLDecodeError:
        raise
    except RecursionError as deep:
        raise tomllib.TOMLDecodeError("it is nested too deeply") from deep
    except ValueError as bad:
        raise tomllib.TOMLDecodeError(str(bad)) from bad


_PIECES = re.compile(
    r"""
    (?P<comment> \#[^\n]* )
  | (?P<long> \"{3} (?: [^\\] | \\. )*? (?: \"{3,5} | \Z ) | '{3} .*? (?: '{3,5} | \Z ) )
  | (?P<short> " (?: [^"\\\n] | \\. )* "? | ' [^'\n]* '? )
    """,
    re.VERBOSE | re.DOTALL,
)
_NAMED = re.compile(r"[ \t]*[=.]")
_HEADER = re.compile(r"""[ \t]*\[\[?(?:[^="'\n]|"[^"\n]*"|'[^'\n]*')*\]\]?[ \t]*(?:\#.*)?$""")


@lru_cache(maxsize=16)
def structure(text: str) -> str:
    """The text with the insides of values that are texts, and of comments, as spaces: every place
    stays the same. Quoted keys stay as they are."""

    def blank(found: re.Match[str]) -> str:
        piece = found.group()
        if found.lastgroup == "short" and _is_key(text, found):
            return piece
        return "\n".join(" " * len(line) for line in piece.split("\n"))

    return _PIECES.sub(blank, text)


def _is_key(text: str, found: re.Match[str]) -> bool:
    if _NAMED.match(text, found.end()):
        return True
    line = text[text.rfind("\n", 0, found.start()) + 1 :].partition("\n")[0]
    return bool(_HEADER.match(line))


def heads(text: str, kinds: Collection[str]) -> list[tuple[int, str]]:
    """Where the tables `[[kind]]` of some kinds begin, in the order of the text."""
    head = re.compile(r"^[ \t]*(\[\[[ \t]*[\"']?(\w+)[\"']?[ \t]*\]\])", re.M)
    return [
        (found.start(1), found.group(2))
        for found in head.finditer(structure(text))
        if found.group(2) in kinds
    ]


def key_place(text: str, key: str, start: int = 0, end: int | None = None) -> int:
    """Where a line begins with a key, or with the head of a table called so, in a slice of the
    text; -1 where none does."""
    head = r"\[\[?[ \t]*(?:[\w\"' -]+\.)*[ \t]*"
    line = re.compile(rf"^[ \t]*(?:{head})?[\"']?({re.escape(key)})[\"']?[ \t]*[=.\]]", re.M)
    found = line.search(structure(text), start, len(text) if end is None else end)
    return found.start(1) if found else -1


def entry_place(text: str, key: str, start: int, end: int) -> int:
    """Where a key is written in a slice of the text: on a line of its own, in a table on one line,
    behind a dot, or in the head of a table; -1 where it is not."""
    pattern = rf"(?:^|[\s.{{,\[\"'])({re.escape(key)})(?=[\"']?\s*(?:=|\]|\.))"
    found = re.compile(pattern, re.M).search(structure(text), start, end)
    return found.start(1) if found else -1


def fault_place(source: Source, bad: tomllib.TOMLDecodeError) -> Span:
    """Where a text stops being TOML; its end where the reader does not say."""
    found = re.search(r"at line (\d+), column (\d+)", str(bad))
    if not found:
        end = len(source.text)
        return Span(max(0, end - 1), end)
    at = source.offset(int(found.group(1)), int(found.group(2)))
    return Span(at, at + 1)
