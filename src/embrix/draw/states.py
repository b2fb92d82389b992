"""The states that a program can come to, as a graph: what begins is at the top, what comes of it
below. A state between two others at which nothing parts, meets or ends is left out; the line says
how many steps it stands for.

Points are put in layers by how many lines lead to them, and within a layer beside those that they
come from (the barycentre method of Sugiyama, Tagawa and Toda, 1981).
"""

from __future__ import annotations

import itertools
import textwrap
from collections.abc import Sequence

from embrix.draw.scene import (
    LINE,
    RISE,
    SIZE,
    Box,
    Drawing,
    Item,
    Label,
    Line,
    Path,
    Role,
    Tile,
    label,
    placed,
    scene_of,
    wide,
)
from embrix.machine.exploring import Explored
from embrix.text.plural import counted
from embrix.text.visible import cut, visible
from embrix.text.way_numbers import ways_text
from embrix.trace.state_graph import Chain, GraphState, chains, ranks

MOST_DRAWN = 120
"""States that are drawn at most."""
LONGEST, NARROW, CROWDED = 30, 20, 5
"""Characters of a line in a box, and where a layer has as many points or more."""
MOST_LINES = 3
"""Lines of a term."""
GAP, DEEP = 22.0, 46.0
"""Points between boxes of a layer, and between layers."""
SWEEPS = 8
ALONG = (0.5, 0.35, 0.65, 0.8, 0.2)
"""Where a text may stand beside a line, as shares of its length."""
BASE = RISE * SIZE + (LINE - SIZE) / 2


class TooMany(Exception):
    """There are more states than a picture can show; the message says how many."""


def draw_states(explored: Explored, states: list[GraphState], title: str) -> Drawing:
    """Raises `TooMany`."""
    text = describe_states(explored, states)
    kept, found = chains(states)
    if len(kept) > MOST_DRAWN:
        raise TooMany(
            f"{counted(len(kept), 'state')} part, meet or end; a picture shows {MOST_DRAWN} at most"
        )
    graph = _Graph(explored, states, kept, found)
    scene = scene_of(graph.tile(), title)
    return Drawing((scene,), text)


class _Graph:
    """Points are states, and outcomes behind them: those have the numbers below zero. A line over
    several layers has a bend in each between."""

    def __init__(
        self,
        explored: Explored,
        states: list[GraphState],
        kept: Sequence[int],
        found: Sequence[Chain],
    ) -> None:
        self.explored, self.states = explored, states
        lengths = {(one.begin, one.end): one.length for one in found}
        for number in kept:
            lengths.update(((number, -1 - end), 1) for end in states[number].ends)
        self.lengths = lengths
        self.rank = ranks(0, lengths)
        lowest = max(self.rank.values(), default=0)
        for number in self.rank:
            if number < 0:  # all that a program can give stands in one row
                self.rank[number] = lowest
        self.bends: dict[tuple[int, int], list[int]] = {}
        self.near: dict[int, list[int]] = {}
        self._bend(len(states))
        self.layers: list[list[int]] = [[] for _ in range(lowest + 1)]
        for number, rank in self.rank.items():
            self.layers[rank].append(number)
        self._arrange()
        self.boxes: dict[int, Box] = {}
        self.notes: list[Box] = []

    def _bend(self, number: int) -> None:
        """Points for the bends of lines; the first has a number."""
        for begin, end in self.lengths:
            between = range(self.rank[begin] + 1, self.rank[end])
            road = [begin]
            for rank in between:
                self.rank[number] = rank
                road.append(number)
                number += 1
            self.bends[begin, end] = road[1:]
            road.append(end)
            for one, other in itertools.pairwise(road):
                self.near.setdefault(one, []).append(other)
                self.near.setdefault(other, []).append(one)

    def _arrange(self) -> None:
        """Put each point below those that it comes from, and above those that follow."""
        place = {one: at for layer in self.layers for at, one in enumerate(layer)}
        for sweep in range(SWEEPS):
            down = sweep % 2 == 0
            for layer in self.layers if down else reversed(self.layers):

                def middle(one: int, down: bool = down) -> float:
                    rank = self.rank[one]
                    others = [
                        place[other] / max(1, len(self.layers[self.rank[other]]) - 1)
                        for other in self.near.get(one, ())
                        if (self.rank[other] < rank if down else self.rank[other] > rank)
                    ]
                    own = place[one] / max(1, len(self.layers[rank]) - 1)
                    return sum(others) / len(others) if others else own

                layer.sort(key=middle)
                place.update((one, at) for at, one in enumerate(layer))

    def tile(self) -> Tile:
        made = {one: self._point(one, len(layer)) for layer in self.layers for one in layer}
        broad = [sum(made[one].width for one in layer) + GAP * (len(layer) - 1)
                 for layer in self.layers]  # fmt: skip
        width = max(broad)
        items: list[Item] = []
        boxes: list[Item] = []
        y = 0.0
        for layer, own in zip(self.layers, broad, strict=True):
            # A layer takes all the room there is: lines run straighter.
            gap = GAP + (width - own) / (len(layer) + 1)
            x = (width - own) / (len(layer) + 1)
            high = max(made[one].height for one in layer)
            for one in layer:
                tile = made[one]
                self.boxes[one] = Box(x, y, tile.width, tile.height or high)
                boxes += placed(tile.at(x, y))
                x += tile.width + gap
            y += high + DEEP
        side = width
        for (begin, end), length in self.lengths.items():
            side = max(side, self._link(items, begin, end, length, side))
        return Tile(side, y - DEEP, (*items, *boxes))

    def _link(self, items: list[Item], begin: int, end: int, length: int, side: float) -> float:
        """A line from one point to another; one that leads upwards goes around the right."""
        a, b = self.boxes[begin], self.boxes[end]
        if self.rank[end] > self.rank[begin]:
            road = [(a.x + a.width / 2, a.y + a.height)]
            for bend in self.bends[begin, end]:
                box = self.boxes[bend]
                road += [(box.x, box.y), (box.x, box.y + box.height)]
            if len(road) > 1:
                items.append(Path(tuple(road), "faint"))
            (x, y), (to_x, to_y) = road[-1], (b.x + b.width / 2, b.y)
            items.append(Line(x, y, to_x, to_y, "faint", arrow=True))
            if length < 2:
                return side
            note = self._note(f"{length} steps", road[0], [*road, (to_x, to_y)][1])
            if note is None:
                return side
            items.append(note)
            return max(side, note.box.x + note.box.width)
        right = side + 14
        x, foot, to_y = a.x + a.width - 10, a.y + a.height, b.y + b.height / 2
        road = [(x, foot), (x, foot + 10), (right, foot + 10), (right, to_y)]
        items.append(Path(tuple(road), "accent", round=4))
        items.append(Line(right, to_y, b.x + b.width, to_y, "accent", arrow=True))
        return right

    def _note(
        self, text: str, begin: tuple[float, float], end: tuple[float, float]
    ) -> Label | None:
        """A text beside a line, where no other one stands; None where there is no room."""
        for share in ALONG:
            x, y = (a + share * (b - a) for a, b in zip(begin, end, strict=True))
            made = label(x + 6, y, text, "faint", size=SIZE * 0.8)
            if not any(made.box.overlaps(other) for other in self.notes):
                self.notes.append(made.box)
                return made
        return None

    def _point(self, number: int, beside: int) -> Tile:
        room = LONGEST if beside < CROWDED else NARROW
        if number < 0:
            one = self.explored.outcomes[-1 - number]
            good = one.outcome.kind == "value"
            lines = [("◆ " if good else "✗ ") + visible(one.outcome.sentence)]
            lines += [f"writes {visible(''.join(one.output))}"] if one.output else []
            return _box(lines, [], room, "good" if good else "bad")
        if number >= len(self.states):
            return Tile(0, 0, ())
        state = self.states[number]
        more = [*state.beside, *([f"written: {state.output}"] if state.output else [])]
        return _box([state.text], more, room, "ink")


def _box(lines: Sequence[str], more: Sequence[str], room: int, role: Role) -> Tile:
    """A box with a term or an outcome, and what is beside it."""
    shown = [(part, role) for line in lines for part in _broken(line, room)]
    shown += [(part, "store") for line in more for part in _broken(line, room)]
    width = max(wide(line) for line, _ in shown) + 12
    high = LINE * len(shown) + 6
    items: list[Item] = [Box(0, 0, width, high, role, "ground", 3)]
    for number, (line, own) in enumerate(shown):
        items.append(label(6, 3 + LINE * number + BASE, line, own, bold=role in ("good", "bad")))
    return Tile(width, high, tuple(items))


def _broken(line: str, room: int) -> list[str]:
    """A text in a few lines; what does not fit is cut."""
    lines = textwrap.wrap(line, room) or [""]
    if len(lines) > MOST_LINES:
        lines = [*lines[: MOST_LINES - 1], cut(" ".join(lines[MOST_LINES - 1 :]), room)]
    return [cut(one, room) for one in lines]


def describe_states(explored: Explored, states: Sequence[GraphState]) -> str:
    """The graph as text: each state with what its step may lead to."""
    lines = []
    for number, state in enumerate(states):
        beside = "".join(f"   {one}" for one in state.beside if one)
        written = f"   written: {state.output}" if state.output else ""
        lines.append(f"{number}  {state.text}{beside}{written}")
        for step in state.steps:
            ways = ways_text(step.ways)
            lines.append(f"    {f'way {ways} ' if ways else ''}→ {step.to}")
        for end in state.ends:
            lines.append(f"    ◆ {visible(explored.outcomes[end].outcome.sentence)}")
    if not states:
        lines = [f"◆ {visible(one.outcome.sentence)}" for one in explored.outcomes]
    return "\n".join(lines) + "\n"
