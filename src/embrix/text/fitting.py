"""A row of pieces within a width: what matters least is cut first."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.text.visible import width

Piece = tuple[str, str]
"""Its kind (`sign`, `names`, `store`, `other`, `term`, `result`) and its text."""

STAGES: Sequence[tuple[tuple[str, ...], int]] = (
    (("other", "store"), 12), (("names",), 24), (("term",), 32), (("names",), 12),
    (("other", "store", "names"), 1), (("term",), 12), (("result",), 16), (("term", "result"), 6),
)  # fmt: skip
"""Kinds, and the columns down to which their pieces may be cut before those of the next line are:
what is around an expression before the expression, and that before its result. Signs stay."""


DEEPEST = 8
"""Levels by which a row is indented."""


def indented(depth: int) -> str:
    """The lines in front of a row of a depth; of one that lies deeper its number is shown."""
    return "│ " * depth if depth <= DEEPEST else f"{'│ ' * (DEEPEST - 2)}{depth:<4}"


def fitted(pieces: Sequence[Piece], room: int) -> list[Piece]:
    """The pieces in at most `room` columns, or as short as they may become."""
    kept = [*pieces]
    over = sum(width(text) for _, text in kept) - room
    for kinds, least in STAGES:
        while over > 0:
            wide = [
                n for n, (kind, text) in enumerate(kept) if kind in kinds and width(text) > least
            ]
            if not wide:
                break
            longest = max(wide, key=lambda n: width(kept[n][1]))
            kind, text = kept[longest]
            shorter = shortened(kind, text, max(least, width(text) - over))
            over -= width(text) - width(shorter)
            kept[longest] = (kind, shorter)
    return kept


def joined_within(pieces: Sequence[Piece], room: int) -> str:
    """The pieces as one text in at most `room` columns, or as short as it may become."""
    return "".join(text for _, text in fitted(pieces, room))


def shortened(kind: str, text: str, room: int) -> str:
    """A text in fewer columns; names and locations go as a whole."""
    if width(text) <= room:
        return text
    if kind in ("names", "store") and room > 1:
        items = text.removesuffix(", …").split(", ")
        named = " ".join(items[0].split(" ")[:2])  # rate =
        while items and width(", ".join([*items, "…"])) > room:
            items.pop()
        if items or width(named) + 2 > room:
            return ", ".join([*items, "…"])
    return _cut(text, room)


def _cut(text: str, room: int) -> str:
    """As many characters as fit in front of a sign that more followed."""
    end = min(len(text), room) - 1
    while end > 0 and width(text[:end]) >= room:
        end -= 1
    return f"{text[: max(0, end)]}…"
