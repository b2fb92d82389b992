"""Alt with a letter, as a terminal sends it: Escape and the letter.

The interface library waits after these two characters for the rest of a longer sequence. Where
another key follows meanwhile (a held Alt+N, somebody who types fast), it takes them for a `^` and
the letter, which then stand in the text. No longer sequence begins so, so nothing need be waited
for.
"""

from __future__ import annotations

from string import ascii_lowercase
from types import SimpleNamespace
from typing import Any

from textual import _ansi_sequences

DIGITS = "0123"
"""Those that arrange the panes, and give them their own sizes back. The library takes Escape and 3
for a pound sign."""


def know_alt_letters() -> None:
    """Tell the library that Escape and a small letter are a key, where it has no other for them;
    and so are Escape and some digits."""
    sequences: dict[str, Any] = _ansi_sequences.ANSI_SEQUENCES_KEYS  # type: ignore[assignment]
    for letter in ascii_lowercase:
        sequences.setdefault(f"\x1b{letter}", (SimpleNamespace(value=f"alt+{letter}"),))
    for digit in DIGITS:
        sequences[f"\x1b{digit}"] = (SimpleNamespace(value=f"alt+{digit}"),)
