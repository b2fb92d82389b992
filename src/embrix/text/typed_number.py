"""Numbers that somebody types: into a question, behind an option, as a place."""

from __future__ import annotations

MOST_DIGITS = 18


def typed_number(text: str) -> int | None:
    """The whole number without a sign that a text is, or None where it is none."""
    usual = text.isascii() and text.isdecimal() and len(text) <= MOST_DIGITS
    return int(text) if usual else None
