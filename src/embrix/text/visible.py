"""Text from strangers made fit for a terminal: nothing invisible, nothing that steers it."""

from __future__ import annotations

import unicodedata

_NAMED = {"\n": "\\n", "\r": "\\r", "\t": "\\t", "\0": "\\0"}
_HIDDEN = frozenset(["Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp"])


def visible(text: str, keep: str = "") -> str:
    """`text` with control, bidirectional and other invisible characters written as escapes.

    Characters in `keep` stay as they are (a line end, say).
    """
    if text.isascii() and text.isprintable():
        return text
    return "".join(
        character
        if character in keep or unicodedata.category(character) not in _HIDDEN
        else _NAMED.get(character, f"\\u{{{ord(character):x}}}")
        for character in text
    )


def without_controls(text: str) -> str:
    """`text` without the characters that `visible` would write as escapes."""
    if text.isprintable():
        return text
    return "".join(sign for sign in text if unicodedata.category(sign) not in _HIDDEN)


def width(text: str) -> int:
    """Cells that `text` takes on a terminal (what `visible` returned; wide characters take two)."""
    return len(text) if text.isascii() else sum(map(_CELLS.__getitem__, text))


MOST_CHARACTERS_KNOWN = 10_000
PLAIN = (("\0", "\u02ff"), ("\u2010", "\u25ff"), ("\u2700", "\u2bff"))
"""Latin letters; signs, arrows, formulas, boxes; more signs and formulas."""


class _Cells(dict[str, int]):
    """Cells of each character that has been met."""

    def __missing__(self, character: str) -> int:
        if len(self) >= MOST_CHARACTERS_KNOWN:
            self.clear()
        cells = self[character] = 1 if _plain_sign(character) else _cells(character)
        return cells


def _plain_sign(character: str) -> bool:
    """Whether this is a letter or sign of one cell among those that most screens have: then no
    tables are needed, which take long to load."""
    among = any(first <= character <= last for first, last in PLAIN)
    wide = unicodedata.east_asian_width(character) in "WF"
    kind = unicodedata.category(character)
    return among and not wide and (kind == "Zs" or kind[0] not in "MCZ")


def _cells(character: str) -> int:
    from wcwidth import wcwidth

    return max(0, wcwidth(character))


_CELLS = _Cells()


def for_screen(line: str, tab: int = 4) -> tuple[str, list[int]]:
    """A source line as it is shown, and the cell at which each of its offsets begins.

    The list has one entry more than the line has characters, so that an end can be looked up.
    """
    shown: list[str] = []
    cells = [0]
    at = 0
    for character in line:
        piece = " " * (tab - at % tab) if character == "\t" else visible(character)
        shown.append(piece)
        at += width(piece)
        cells.append(at)
    return "".join(shown), cells


def times(count: int) -> str:
    """How often, in words."""
    return {0: "never", 1: "once", 2: "twice"}.get(count, f"{count:,} times")


def cut(text: str, limit: int) -> str:
    """`text`, or its first `limit` characters and a sign that more followed."""
    return text if len(text) <= limit else text[: max(0, limit - 1)] + "…"
