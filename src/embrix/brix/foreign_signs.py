"""Signs of other languages that a definition does not have, and what is meant by them."""

from __future__ import annotations

import re

SIGNS = re.compile(r"&&|\|\||!(?!=)|;|%|//[^\n]*|--(?= )[^\n]*|'[^'\n]*'")
"""Signs that mean nothing here, but much elsewhere."""
FIRST = frozenset("&|!;%/-'")
"""What they begin with."""

_SIGNS = {
    "&&": ("`and` stands between two conditions here", "write and", "and"),
    "||": ("`or` stands between two conditions here", "write or", "or"),
    "!": ("a condition is negated by `not` here", "write not", "not"),
    "%": ("the remainder of a division is written with `mod` here", "write mod", "mod"),
    ";": ("no sign ends a line here", "remove it", ""),
    "/": ("a comment begins with `#` here", "write # in place of //", ""),
    "-": ("a comment begins with `#` here", "write # in place of --", ""),
    "'": ("a text stands in double quotes here", 'write "…"', ""),
}


def sign(found: str, *, inside: bool = False) -> tuple[str, str, str]:
    """For what `SIGNS` found, perhaps inside brackets: the message, the repair, and the word that
    is meant (or nothing)."""
    if found == ";" and inside:
        return "a comma stands between two parts in brackets here", "write ,", ","
    return _SIGNS[found if found in _SIGNS else found[0]]
