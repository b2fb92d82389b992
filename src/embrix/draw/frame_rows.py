"""Environments in character cells: boxes of frames, the innermost first, with lines at the right
from each closure to the frame at which its environment begins."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, TypeAlias

from msgspec import Struct

from embrix.messages.replies import EMPTY_ENVIRONMENT, LEFT_OUT, LinkedFrame
from embrix.text.visible import cut, visible, width

LEAST = 12
"""Cells between the sides of a box."""

CellRole: TypeAlias = Literal["box", "name", "value", "note", "shadowed", "link"]
FrameRow: TypeAlias = list[tuple[str, CellRole]]
"""A line of a picture, in pieces."""


class _Link(Struct):
    """From one line to another, in a column at the right."""

    begin: int
    end: int
    column: int = 0

    @property
    def top(self) -> int:
        return min(self.begin, self.end)

    @property
    def bottom(self) -> int:
        return max(self.begin, self.end)


def frame_rows(frames: Sequence[LinkedFrame], room: int) -> list[FrameRow]:
    """The picture, in lines of at most so many cells where the names allow it."""
    boxes = boxes_of(frames)
    line_of: dict[int, int] = {}
    feet: list[int] = []
    lines = 0
    for box in boxes:
        for number in box:
            line_of[number] = lines + 1 + number - box[0]
        lines += len(box) + 2
        feet.append(lines - 1)
    links = [
        _Link(line_of[number], line_of[frame.holds])
        for number, frame in enumerate(frames)
        if frame.holds is not None and frame.holds >= 0 and frame.holds != number
    ]
    links += [
        _Link(foot, line_of[frames[box[-1]].around])
        for box, foot in zip(boxes, feet, strict=True) if frames[box[-1]].around >= 0
    ]  # fmt: skip
    rails = _rails(links, lines)
    most = max(LEAST, room - 4 - max(map(len, rails), default=0))
    texts = [_inside(number, frame) for number, frame in enumerate(frames)]
    broad = min(most, max((width(name + value + note) for name, value, note in texts), default=0))
    made: list[FrameRow] = []
    for box, foot in zip(boxes, feet, strict=True):
        made.append([(f"╭{'─' * (broad + 2)}╮", "box")])
        for number in box:
            made.append(_row(frames[number], texts[number], broad))
            made[-1].append((rails[line_of[number]], "link"))
        made.append([(f"╰{'─' * (broad + 2)}╯", "box")])
        around = frames[box[-1]].around
        end = {EMPTY_ENVIRONMENT: " ∅", LEFT_OUT: " …"}.get(around, "")
        made[-1].append((end + rails[foot][len(end) :], "link"))
        top = foot - len(box) - 1
        made[top].append((rails[top], "link"))
    return made


def boxes_of(frames: Sequence[LinkedFrame]) -> list[list[int]]:
    """The numbers of the frames in each box: those that are around each other."""
    boxes: list[list[int]] = []
    for number in range(len(frames)):
        if number and frames[number - 1].around == number:
            boxes[-1].append(number)
        else:
            boxes.append([number])
    return boxes


def _inside(number: int, frame: LinkedFrame) -> tuple[str, str, str]:
    """Name, value and note. The note has a sign for a link that has no line of its own: a closure
    that holds its own frame, no frame, or one that is left out."""
    note = "shadowed" if frame.shadowed else frame.note
    if frame.holds is not None and frame.holds in (number, EMPTY_ENVIRONMENT, LEFT_OUT):
        sign = {EMPTY_ENVIRONMENT: "●∅", LEFT_OUT: "●…"}.get(frame.holds, "↺")
        note = f"{note} {sign}".lstrip()
    return visible(frame.name), f" = {visible(frame.value)}", f"  {note}" if note else ""


def _row(frame: LinkedFrame, text: tuple[str, str, str], broad: int) -> FrameRow:
    name, value, note = text
    value = cut(value, max(4, broad - width(name) - width(note)))
    gap = max(0, broad - width(name) - width(value) - width(note))
    plain: CellRole = "shadowed" if frame.shadowed else "value"
    return [
        ("│ ", "box"), (name, "shadowed" if frame.shadowed else "name"), (value, plain),
        (" " * gap + note, "note"), (" │", "box"),
    ]  # fmt: skip


def _rails(links: list[_Link], lines: int) -> list[str]:
    """What stands at the right of each line: where links begin and end, and their lines."""
    for link in sorted(links, key=lambda one: one.bottom - one.top):
        taken = {
            other.column for other in links
            if other is not link and other.column and other.top <= link.bottom
            and link.top <= other.bottom
        }  # fmt: skip
        link.column = next(n for n in range(1, len(links) + 1) if n not in taken)
    grid = [[" "] * (2 * len(links) + 3) for _ in range(lines)]
    for link in links:
        at = 2 * link.column + 1
        for line in range(link.top + 1, link.bottom):
            grid[line][at] = "┼" if grid[line][at] == "─" else "│"
    for link in links:
        at = 2 * link.column + 1
        for line in (link.begin, link.end):
            for cell in range(2, at):
                grid[line][cell] = _ACROSS.get(grid[line][cell], "─")
            grid[line][at] = _corner(grid[line][at], "╮" if line == link.top else "╯")
        grid[link.begin][1] = "●"
        grid[link.end][0] = "◂"
        if grid[link.end][1] == " ":
            grid[link.end][1] = "─"
    return ["".join(row).rstrip() for row in grid]


_ACROSS = {"│": "┼", "┼": "┼", "╮": "┬", "╯": "┴", "┬": "┬", "┴": "┴", "┤": "┼"}
"""What a line across something becomes."""


def _corner(before: str, corner: str) -> str:
    """A corner where something may be drawn already."""
    if before in "─┬┴":
        return "┬" if corner == "╮" else "┴"
    return corner if before in " ╮╯" else "┤"
