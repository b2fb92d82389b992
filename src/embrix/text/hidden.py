"""Characters that an editor cannot show or would take for line ends, each for one that it can.

Offsets stay as they are, and every character comes back: a text that is opened and saved is the
same, byte for byte.
"""

from __future__ import annotations

import re
import unicodedata

FIRST = 0xF0000
"""The first of the private characters that stand for others, by adding their number to it."""
LAST = FIRST + 0xFFFD

_PRIVATE = re.compile(f"[{chr(FIRST)}-{chr(LAST)}]")
_PICTURES = {"\r": "␍", "\x0b": "␋", "\x0c": "␌", "\x85": "␤", "\u2028": "␤", "\u2029": "␤"}
_CATEGORIES = ("Cc", "Cf", "Zl", "Zp")


def hide(text: str) -> str:
    """The text with private characters for those that cannot be edited; where every line ends in
    CR LF these stay."""
    if text.isascii() and text.isprintable():
        return text
    uniform = "\r" in text and text.count("\r\n") == text.count("\r") == text.count("\n")
    return "".join(
        chr(FIRST + ord(sign)) if _is_hidden(sign) and not (uniform and sign == "\r") else sign
        for sign in text
    )


def restore(text: str) -> str:
    """The text with the characters that `hide` has replaced."""
    return _PRIVATE.sub(lambda found: chr(ord(found[0]) - FIRST), text)


def picture(text: str) -> str:
    """The text as it is shown, sign by sign."""
    return _PRIVATE.sub(lambda found: _picture(found[0]), text)


def can_hide(text: str) -> bool:
    """Whether a text has none of the private characters itself."""
    return _PRIVATE.search(text) is None


def hidden_in(text: str) -> int:
    """How many characters of a text are hidden."""
    return sum(FIRST <= ord(sign) <= LAST for sign in hide(text))


def _is_hidden(sign: str) -> bool:
    if sign in "\n\t" or sign.isprintable():
        return False
    return ord(sign) < 0xFFFE and unicodedata.category(sign) in _CATEGORIES


def _picture(sign: str) -> str:
    hidden = chr(ord(sign) - FIRST)
    if hidden in _PICTURES:
        return _PICTURES[hidden]
    return chr(0x2400 + ord(hidden)) if ord(hidden) < 0x20 else "�"
