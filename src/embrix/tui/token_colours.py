"""The kinds of the tokens in a text, line by line."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable

from embrix.messages.replies import Place, TokenSlice
from embrix.text.comments import comments_in
from embrix.text.source import Source

SKIPPED = "skip"
"""The kind of what no token is."""


class TokenColours:
    """Kinds of tokens by what a line says, not by its number: typing elsewhere moves a line, and it
    keeps its colours until the tokens of the new text are known. Lines are looked up when they are
    drawn, so that a long text costs no more than what is in view.
    """

    def __init__(
        self, text: str = "", tokens: Iterable[TokenSlice] = (), skipped: Iterable[Place] = ()
    ) -> None:
        self._source = Source("", text)
        lines = text.split("\n")
        self._numbers = {line.removesuffix("\r"): number for number, line in enumerate(lines)}
        self._pieces = sorted([*tokens, *((start, end, SKIPPED) for start, end in skipped)])
        self._known: dict[str, tuple[tuple[int, int, str], ...]] = {}

    def of(self, line: str) -> tuple[tuple[int, int, str], ...]:
        """First and last column and kind of each token on a line that says this."""
        found = self._known.get(line)
        if found is None:
            found = self._known[line] = self._look(line)
        return found

    def comments(self, text: str) -> list[Place]:
        """Where a text has comments; none where it is not the one that was cut into tokens."""
        if text != self._source.text:
            return []
        return comments_in(text, ((start, end) for start, end, kind in self._pieces
                                 if kind == SKIPPED))  # fmt: skip

    def _look(self, line: str) -> tuple[tuple[int, int, str], ...]:
        number = self._numbers.get(line)
        if number is None:
            return ()
        begin = self._source.offset(number + 1, 1)
        end = begin + len(line)
        # No two tokens overlap: only one that begins before the line can reach into it.
        at = max(0, bisect_right(self._pieces, (begin, -1, "")) - 1)
        found = []
        while at < len(self._pieces) and self._pieces[at][0] < end:
            first, last, kind = self._pieces[at]
            if last > begin:
                found.append((max(first, begin) - begin, min(last, end) - begin, kind))
            at += 1
        return tuple(found)
