"""The nearest known word to a misspelt one."""

from __future__ import annotations

from collections.abc import Iterable


def nearest(word: str, known: Iterable[str]) -> str | None:
    """The known word that `word` most likely stands for, or None."""
    words = list(known)
    if word in words:
        return word
    import difflib  # most words are known

    found = difflib.get_close_matches(word[:80], words, n=1, cutoff=0.6)
    return found[0] if found else None


def did_you_mean(word: str, known: Iterable[str], otherwise: str = "") -> str:
    """A hint that offers the nearest known word, or the sentence `otherwise`."""
    found = nearest(word, known)
    return f"did you mean {found}?" if found else otherwise
