"""A store in character cells: a row of boxes with their locations, those that have changed with
heavy sides."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from embrix.draw.frame_rows import FrameRow
from embrix.messages.replies import HeldValue
from embrix.text.visible import cut, visible, width

MOST_CELLS = 60
"""Boxes that are drawn, the newest."""
BROADEST = 24
"""Cells of a value in a box."""
SIGNS = {"suspended": "◌ ", "forcing": "◔ ", "settled": "● "}
"""What a suspension is up to."""
_LIGHT, _HEAVY = "╭─╮││╰─╯", "┏━┓┃┃┗━┛"


def store_rows(store: Sequence[HeldValue], changed: Collection[str], room: int) -> list[FrameRow]:
    """The boxes, the oldest first, as many beside each other as there is room for."""
    rows: list[FrameRow] = []
    left = max(0, len(store) - MOST_CELLS)
    if left:
        rows.append([(f"… and {left:,} older", "note")])
    at = room  # so that the first box begins a line
    for one in store[left:]:
        value = SIGNS.get(one.role, "") + visible(one.value)
        broad = min(BROADEST, room - 4, max(width(value), width(one.location) + 2))
        if at + broad + 4 > room:
            rows += [[], [], []]
            at = 0
        signs = _HEAVY if one.location in changed else _LIGHT
        shown = cut(value, broad)
        rows[-3] += [
            (f"{signs[0]} ", "box"), (one.location, "name"),
            (f" {signs[1] * (broad - width(one.location))}{signs[2]}", "box"),
        ]  # fmt: skip
        rows[-2] += [
            (f"{signs[3]} ", "box"), (shown + " " * (broad - width(shown)), "value"),
            (f" {signs[4]}", "box"),
        ]  # fmt: skip
        rows[-1].append((f"{signs[5]}{signs[6] * (broad + 2)}{signs[7]}", "box"))
        at += broad + 4
    return rows
