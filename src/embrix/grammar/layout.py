"""Tokens made of line ends and indentation.

Each line that holds a token ends in a `newline`. Where indentation counts, a line indented further
than the one above begins with an `indent`, and one indented less with a `dedent` for each block
that it leaves. Inside brackets neither is made. Indentation is compared as it is written, so that
spaces and tabs cannot be mixed into two readings of one text.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TypeAlias

from msgspec import Struct

Cut: TypeAlias = tuple[int, int, int]
"""A token as terminal, start and end."""
Strange: TypeAlias = tuple[tuple[int, int], str]
"""A place that is indented wrongly, and why."""


class Layout(Struct, frozen=True):
    """The terminals of the tokens that are made, and of the brackets inside which none is."""

    newline: int
    indent: int | None = None
    dedent: int | None = None
    opens: frozenset[int] = frozenset()
    closes: frozenset[int] = frozenset()

    def add(self, text: str, tokens: Sequence[Cut]) -> tuple[list[Cut], list[Strange]]:
        """The tokens with those of the layout among them, and lines that are indented wrongly.

        What is made has no extent: it stands right behind the token before it.
        """
        result: list[Cut] = []
        strange: list[Strange] = []
        blocks: list[str] = []
        depth = 0
        end = 0
        for token in tokens:
            first = not result
            if depth == 0 and (first or "\n" in text[end : token[1]]):
                if not first:
                    result.append((self.newline, end, end))
                why = self._indentation(text, token[1], end, blocks, result)
                if why:
                    begin = text.rfind("\n", 0, token[1]) + 1
                    strange.append(((begin, max(begin + 1, token[1])), why))
            if token[0] in self.opens:
                depth += 1
            elif token[0] in self.closes and depth:
                depth -= 1
            result.append(token)
            end = token[2]
        if result:
            result.append((self.newline, end, end))
            result += self._left(blocks[1:], end)
        return result, strange

    def _indentation(
        self, text: str, at: int, end: int, blocks: list[str], result: list[Cut]
    ) -> str:
        """Make what the indentation of a line asks for; why it is wrong, or nothing."""
        if self.indent is None or self.dedent is None:
            return ""
        before = text[text.rfind("\n", 0, at) + 1 : at]
        written = "".join(c if c.isspace() else " " for c in before)
        if not blocks:
            blocks.append(written)
        elif written != blocks[-1] and written.startswith(blocks[-1]):
            blocks.append(written)
            result.append((self.indent, end, end))
        else:
            while len(blocks) > 1 and blocks[-1] != written and blocks[-1].startswith(written):
                blocks.pop()
                result.append((self.dedent, end, end))
            if blocks[-1] != written:
                return "this line is indented like none of the lines above that it could belong to"
        return ""

    def _left(self, blocks: Iterable[str], end: int) -> list[Cut]:
        assert self.dedent is not None or not blocks
        return [(self.dedent, end, end) for _ in blocks if self.dedent is not None]
