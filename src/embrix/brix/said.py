"""What a definition says, whatever its comments: the same text stands for the same meaning."""

from __future__ import annotations

import re

from embrix.brix.lexer import TEXT

_UNTIL_COMMENT = re.compile(rf"((?:[^\"/'#]|{TEXT})*)#")
"""A line up to its comment, where nothing before it could be a pattern or another sign."""


def said(text: str) -> str:
    """The text without comments, empty lines and blanks at the ends of lines. A comment stays where
    it is not certain to be one: that only costs that something is worked out once more."""
    kept = []
    for line in text.split("\n"):
        found = _UNTIL_COMMENT.match(line) if "#" in line else None
        line = (found[1] if found is not None else line).rstrip()
        if line:
            kept.append(line)
    return "\n".join(kept)
