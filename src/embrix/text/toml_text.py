"""Texts as TOML has them: one of several lines stands there as it is read."""

from __future__ import annotations

import tomlkit
from tomlkit.items import String, StringType, Trivia


def toml_text(text: str) -> String:
    """A text as an entry of a file."""
    if "\n" not in text.rstrip("\n"):
        return tomlkit.string(text)
    # A line end right behind the opening marks belongs to no text.
    first = "."
    written = tomlkit.string(first + text, multiline=True).as_string()
    return String(StringType.MLB, text, "\n" + written[3 + len(first) : -3], Trivia())
