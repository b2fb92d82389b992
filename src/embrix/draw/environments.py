"""Environments as pictures: a box for each frame, linked to the one around it and from the closures
that hold it."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.draw.frame_rows import boxes_of, frame_rows
from embrix.draw.scene import (
    LINE,
    RISE,
    SIZE,
    Box,
    Drawing,
    Item,
    Label,
    Line,
    Role,
    Tile,
    label,
    scene_of,
    wide,
)
from embrix.messages.replies import EMPTY_ENVIRONMENT, LinkedFrame
from embrix.text.visible import cut, visible
from embrix.trace.frame_graph import frame_graph
from embrix.trace.walk import Walk

LONGEST, SHORTEST = 46, 10
"""Characters of a value in a box, at most and where many boxes stand in a row."""
BROAD = 760.0
"""Points of width to which values are made shorter."""
BASE = RISE * SIZE + (LINE - SIZE) / 2
GAP, HIGH = 26.0, LINE * 1.6
"""Between two boxes, and the height of a name in one."""
TEXT_ROOM = 100
"""Cells of a line of plain text."""


def draw_environment(walk: Walk, number: int, title: str) -> Drawing:
    """The names at a step, the innermost first, each frame linked to the one around it; a closure
    points to the frame at which its environment begins. Frames that only closures hold stand below.
    """
    step = walk.step(number)
    frames = frame_graph(walk, number)
    head = f"step {number:,}:  {cut(visible(step.brief), 90)}"
    text = "\n".join("".join(part for part, _ in row).rstrip()
                     for row in frame_rows(frames, TEXT_ROOM))  # fmt: skip
    return Drawing(
        (scene_of(_Picture(frames, head).tile(), title),),
        f"step {number}: {visible(step.brief)}\n{text}\n",
    )


class _Picture:
    def __init__(self, frames: Sequence[LinkedFrame], head: str) -> None:
        self.frames = frames
        self.longest = LONGEST
        while self.longest > SHORTEST and any(self.wide(row) > BROAD for row in boxes_of(frames)):
            self.longest -= 4
        self.items: list[Item] = [label(0, BASE, head, "faint")]
        rows = boxes_of(frames)
        firsts = {row[0] for row in rows[1:]}
        held = [frame.holds for frame in frames] + [frames[row[-1]].around for row in rows]
        self.margin = 14 + 6.0 * sum(one in firsts for one in held) if len(rows) > 1 else 0.0
        """Where the boxes begin: room for the lines that lead past a row."""
        self.passing = 0
        """The lines of which that room is taken."""
        self.place: dict[int, tuple[float, float, float]] = {}
        """For each frame the left side, the width and the top of its box."""

    def text(self, number: int) -> tuple[str, str]:
        """What stands in a box: name and value, and what is told of them."""
        frame = self.frames[number]
        text = f"{visible(frame.name)} = {cut(visible(frame.value), self.longest)}"
        return text, "shadowed" if frame.shadowed else frame.note

    def wide(self, row: Sequence[int]) -> float:
        """The width of a row of boxes, in points."""
        boxes = (max(map(wide, self.text(number))) + 12 for number in row)
        return sum(boxes) + GAP * len(row)

    def tile(self) -> Tile:
        top = LINE * 1.6
        links = 0
        for row in boxes_of(self.frames) or [[]]:
            self.row(row, top)
            top += HIGH + LINE + 12
            # Room for the lines that begin here.
            links = sum(self.frames[n].holds is not None for n in row)
            links += bool(row) and self.frames[row[-1]].around >= 0
            top += 12 * links
        for row in boxes_of(self.frames):
            self.links(row)
        if any(frame.holds is not None for frame in self.frames):
            text = "dashed: the environment that a closure holds"
            self.items.append(label(0, top + BASE, text, "accent"))
            top += LINE
        broad = max(item.box.x + item.box.width for item in self.items if isinstance(item, Label))
        boxes = [left + width for left, width, _ in self.place.values()]
        return Tile(max([broad, *boxes]) + 4, top, tuple(self.items))

    def row(self, row: Sequence[int], top: float) -> None:
        """The boxes of a row from left to right, and what its last frame stands in."""
        x = self.margin
        for number in row:
            frame = self.frames[number]
            text, note = self.text(number)
            broad = max(wide(text), wide(note)) + 12
            role: Role = "faint" if frame.shadowed else "ink"
            self.place[number] = (x, broad, top)
            self.items += [
                Box(x, top, broad, HIGH + (LINE if note else 0), role),
                label(x + 6, top + BASE + 4, text, role, bold=not frame.shadowed),
            ]  # fmt: skip
            if note:
                self.items.append(label(x + 6, top + BASE + 4 + LINE, note, "accent"))
            if number != row[0]:
                self.items.append(
                    Line(x - GAP, top + HIGH / 2, x, top + HIGH / 2, "faint", arrow=True)
                )
            x += broad + GAP
        around = self.frames[row[-1]].around if row else EMPTY_ENVIRONMENT
        if around < 0:
            sign = "∅" if around == EMPTY_ENVIRONMENT else "…"
            self.items.append(label(x, top + BASE + 4, sign, "faint"))
            if row:
                y = top + HIGH / 2
                self.items.append(Line(x - GAP, y, x - 3, y, "faint", arrow=True))

    def links(self, row: Sequence[int]) -> None:
        """Lines below a row: from its closures to what they hold, and from its end to a frame of
        another row."""
        level = 0
        for number in row:
            held = self.frames[number].holds
            if held is None:
                continue
            self.link(number, held, level, dashed=True)
            level += 1
        if row and self.frames[row[-1]].around >= 0:
            self.link(row[-1], self.frames[row[-1]].around, level, dashed=False)

    def link(self, number: int, target: int, level: int, *, dashed: bool) -> None:
        left, broad, _ = self.place[number]
        foot = self.foot(number)
        y = self.place[number][2] + HIGH + LINE + 8 + level * 12
        begin = left + broad / 2 - (0 if dashed else 8)
        role: Role = "accent" if dashed else "faint"
        self.items.append(Line(begin, foot, begin, y, role, dashed=dashed))
        if target < 0:
            sign = "∅" if target == EMPTY_ENVIRONMENT else "…"
            self.items.append(label(begin + 4, y - LINE + BASE + 4, sign, role))
            return
        to_left, to_broad, to_top = self.place[target]
        if to_top > self.place[number][2] and to_left == self.margin:
            # A row further down is entered from the left, past the rows between.
            side = self.margin - 10 - 6 * self.passing
            self.passing += 1
            middle = to_top + HIGH / 2
            self.items += [
                Line(begin, y, side, y, role, dashed=dashed),
                Line(side, y, side, middle, role, dashed=dashed),
                Line(side, middle, to_left, middle, role, dashed=dashed, arrow=True),
            ]
            return
        end = to_left + to_broad / 2 + (6 if dashed else -6)
        into = to_top if to_top > self.place[number][2] else self.foot(target)
        self.items += [
            Line(begin, y, end, y, role, dashed=dashed),
            Line(end, y, end, into, role, dashed=dashed, arrow=True),
        ]

    def foot(self, number: int) -> float:
        """The lower side of the box of a frame."""
        noted = self.frames[number].shadowed or self.frames[number].note
        return self.place[number][2] + HIGH + (LINE if noted else 0)
