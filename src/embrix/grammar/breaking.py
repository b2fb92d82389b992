"""Breaking a printed term into lines of a width.

A stretch that fits on its line stays whole. One that does not is broken where a reader would:
before a word or sign that follows a part, after a separator, between parts in a row. Words begin
their line where the stretch began; everything else is indented.
"""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import TypeAlias

from msgspec import Struct, field

INDENT = 2
DEEPEST = 150
"""Stretches inside stretches that are looked at; what is deeper stays on its line."""

OPENING, CLOSING = ("(", "[", "{"), (")", "]", "}")

Part: TypeAlias = "int | _Stretch"


class _Stretch(Struct):
    parts: list[Part] = field(default_factory=list)
    first: int = 0
    last: int = 0


def break_lines(
    texts: Sequence[str],
    gaps: list[str],
    groups: Sequence[tuple[int, bool]],
    width: int,
    fixed: Collection[int] = (),
) -> None:
    """Change the gaps before pieces to line ends. `groups` tells before which piece a part of the
    term opens (True) or closes; before a `fixed` piece no line can end."""
    _Breaker(texts, gaps, width, fixed).lay(_stretches(len(texts), groups), 0, 0)


def _stretches(count: int, groups: Sequence[tuple[int, bool]]) -> _Stretch:
    root = _Stretch()
    stack = [root]
    skipped = 0
    marks = iter([*groups, (count, False)])
    at, opens = next(marks)
    for number in range(count):
        while at == number:
            if opens and len(stack) < DEEPEST:
                inner = _Stretch(first=number)
                stack[-1].parts.append(inner)
                stack.append(inner)
            elif opens:
                skipped += 1
            elif skipped:
                skipped -= 1
            elif len(stack) > 1:
                stack.pop()
            at, opens = next(marks)
        stack[-1].parts.append(number)
        for stretch in stack:
            stretch.last = number
    return root


class _Breaker:
    def __init__(
        self, texts: Sequence[str], gaps: list[str], width: int, fixed: Collection[int]
    ) -> None:
        self.texts = texts
        self.fixed = fixed
        self.gaps = gaps
        self.width = width
        self.column = 0
        self.inner: dict[int, int] = {}
        """Where the first part that is no piece stands, by the identity of a list of parts."""
        self.before = [len(gap) for gap in gaps]
        """The gaps as they were: what is broken before a piece is no part of its length."""
        sums = [0]
        for text, gap in zip(texts, gaps, strict=False):
            sums.append(sums[-1] + len(gap) + len(text))
        self.sums = sums

    def length(self, first: int, last: int) -> int:
        """Columns of the pieces from one to another on one line, the gap before not counted."""
        return self.sums[last + 1] - self.sums[first] - self.before[first]

    def lay(self, stretch: _Stretch, indent: int, closing: int) -> None:
        """Place a stretch at the column reached; `closing` columns must be left behind it."""
        if not stretch.parts:
            return
        if self.column + self.length(stretch.first, stretch.last) + closing <= self.width:
            self.column += self.length(stretch.first, stretch.last)
            return
        inside = indent
        # The items of a list that begins a line stand below each other.
        step = 0 if self.listed(stretch) and self.column == indent else INDENT
        opened: list[bool] = []
        for number, part in enumerate(stretch.parts):
            first = part if isinstance(part, int) else part.first
            text = self.texts[part] if isinstance(part, int) else ""
            broken = bool(number) and self.breaks(stretch.parts, number)
            if text in CLOSING and opened:
                broken = opened.pop() and first not in self.fixed
            if broken:
                inside = indent if text in CLOSING or text[:1].isalpha() else indent + step
                self.gaps[first] = "\n" + " " * inside
                self.column = inside
            elif number:
                self.column += len(self.gaps[first])
            if isinstance(part, int):
                self.column += len(text)
                if text in OPENING:
                    after = number + 1 < len(stretch.parts)
                    opened.append(after and self.breaks(stretch.parts, number + 1))
            else:
                last = number + 1 == len(stretch.parts)
                self.lay(part, inside, closing if last else self.behind(stretch.parts, number))

    def listed(self, stretch: _Stretch) -> bool:
        """Whether a stretch is a row of parts with separators between them."""
        return any(isinstance(p, int) and self.texts[p] in (",", ";") for p in stretch.parts)

    def behind(self, parts: Sequence[Part], number: int) -> int:
        """The columns of what stays on the line behind a part."""
        following = parts[number + 1]
        if self.breaks(parts, number + 1) or not isinstance(following, int):
            return 0
        return len(self.gaps[following]) + len(self.texts[following])

    def breaks(self, parts: Sequence[Part], number: int) -> bool:
        """Whether a stretch that does not fit is broken before one of its parts."""
        part, before = parts[number], parts[number - 1]
        if (part if isinstance(part, int) else part.first) in self.fixed:
            return False
        if isinstance(before, int) and self.texts[before] in (",", ";", "{"):
            return True
        if isinstance(before, int) and self.texts[before] in ("[", "("):
            return not isinstance(part, int) and self.listed(part)
        if not isinstance(part, int):
            return not isinstance(before, int)
        if self.texts[part] in (",", ";", ":", ")", "]") or not self.gaps[part]:
            return False
        first = self.inner.get(id(parts))
        if first is None:
            # The list lives as long as its stretch does.
            found = (at for at, one in enumerate(parts) if not isinstance(one, int))
            first = self.inner[id(parts)] = next(found, len(parts))
        return first < number
