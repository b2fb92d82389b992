"""Charts of costs: bars for each lane, and how a cost grows."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from functools import partial

from embrix.compare.growth import described
from embrix.compare.range import Scale
from embrix.draw.scene import (
    LINE,
    RISE,
    SIZE,
    Box,
    Drawing,
    Item,
    Line,
    Path,
    Role,
    Tile,
    label,
    scene_of,
    stacked,
    text_block,
    wide,
)
from embrix.draw.ticks import ticks

BROAD, HIGH = 420.0, 240.0
BAR = 260.0
ROLES: tuple[Role, ...] = ("accent", "good", "store", "bad", "ink")
MARKS = ("●", "■", "▲", "◆", "○", "□", "△", "◇")
BASE = RISE * SIZE + (LINE - SIZE) / 2
_label, _block = partial(label, face="text"), partial(text_block, face="text")
_wide = partial(wide, face="text")
"""A chart has words only."""


def draw_bars(costs: Mapping[str, Mapping[str, int]], names: Sequence[str], title: str) -> Drawing:
    """For each kind of cost a bar for each lane; the longest of a kind fills the room."""
    left = max((_wide(lane) for lane in costs), default=0.0) + 10
    parts: list[Tile] = []
    lines: list[str] = []
    widest = max((len(lane) for lane in costs), default=0)
    for name in names:
        found = {lane: counted.get(name, 0) for lane, counted in costs.items()}
        most = max(found.values(), default=0)
        if not most:
            continue
        parts.append(_block(name, bold=True))
        lines.append(name)
        for number, (lane, value) in enumerate(found.items()):
            length = BAR * value / most
            role = ROLES[number % len(ROLES)]
            count = f"{value:,}"
            items: list[Item] = [_label(0, BASE, lane)]
            if value:
                items.append(Box(left, 3, max(0.8, length), LINE - 6, role, "shade"))
            items.append(_label(left + length + 6, BASE, count))
            parts.append(Tile(left + length + 6 + _wide(count), LINE, tuple(items)))
            lines.append(f"  {lane:<{widest}}  {'█' * round(30 * value / most)} {count}".rstrip())
        parts.append(Tile(0, 6, ()))
    parts = parts or [_block("nothing was counted", "faint")]
    return Drawing((scene_of(stacked(parts), title),), "\n".join(lines) + "\n")


def draw_growth(
    table: Mapping[str, Sequence[tuple[float, float]]],
    parameter: str,
    cost: str,
    title: str,
    scale: Scale = "linear",
) -> Drawing:
    """A cost against a parameter, a line for each lane; the growth that fits best is named."""
    points = [point for row in table.values() for point in row]
    if not points:
        scene = scene_of(_block("no run finished", "faint"), title)
        return Drawing((scene,), "no run finished\n")
    lows, highs = ([f(p[axis] for p in points) for axis in (0, 1)] for f in (min, max))
    low_y = 0.0 if scale == "linear" else max(1.0, lows[1])
    upright: Scale = "linear" if scale == "linear" else "logarithmic"
    level: Scale = "logarithmic" if scale == "both" and lows[0] > 0 else "linear"
    y_marks = ticks(low_y, highs[1], upright)
    top = max(highs[1], y_marks[-1])
    bottom = min(low_y, y_marks[0])

    def y(value: float) -> float:
        if upright == "logarithmic":
            share = (math.log10(max(value, bottom)) - math.log10(bottom)) / max(
                1e-9, math.log10(top) - math.log10(bottom)
            )
        else:
            share = (value - bottom) / max(1e-9, top - bottom)
        return LINE + HIGH * (1 - share)

    left = max(_wide(f"{mark:,.0f}") for mark in y_marks) + 10

    def x(value: float) -> float:
        begin, end = lows[0], highs[0]
        if level == "logarithmic":
            begin, end, value = (math.log10(one) for one in (begin, end, value))
        return left + BROAD * (value - begin) / max(1e-9, end - begin)

    items: list[Item] = [
        Line(left, LINE, left, LINE + HIGH),
        Line(left, LINE + HIGH, left + BROAD, LINE + HIGH),
        _label(0, BASE - 3, cost, "faint"),
    ]
    for mark in y_marks:
        shown = f"{mark:,.0f}"
        items.append(Line(left, y(mark), left + BROAD, y(mark), "shade", 0.5))
        items.append(_label(left - 6 - _wide(shown), y(mark) + 3.5, shown, "faint"))
    for mark in ticks(lows[0], highs[0], level):
        if not lows[0] <= mark <= highs[0]:
            continue
        shown = f"{mark:g}"
        items.append(Line(x(mark), LINE + HIGH, x(mark), LINE + HIGH + 4))
        items.append(_label(x(mark) - _wide(shown) / 2, 2 * LINE + HIGH, shown, "faint"))
    items.append(_label(left + BROAD + 8, LINE + HIGH + 3, parameter, "faint"))
    broad = left + BROAD + 16 + _wide(parameter)
    for number, (lane, row) in enumerate(table.items()):
        role = ROLES[number % len(ROLES)]
        sign = MARKS[number % len(MARKS)]
        if len(row) > 1:
            items.append(Path(tuple((x(a), y(b)) for a, b in row), role))
        # A line of few points bears its sign at each, one of many at some of them.
        every = max(1, len(row) // 12)
        shift = wide(sign, 7) / 2
        items += [
            label(x(a) - shift, y(b) + 2.4, sign, role, size=7)
            for at, (a, b) in enumerate(row) if at % every == 0 or at == len(row) - 1
        ]  # fmt: skip
        legend = f"{sign} {lane}: {described(row)}"
        items.append(_label(0, LINE * (3.4 + number) + HIGH, legend, role))
        broad = max(broad, _wide(legend))
    high = LINE * (3.6 + len(table)) + HIGH
    scene = scene_of(Tile(broad, high, tuple(items)), title)
    return Drawing((scene,), _growth_text(table, parameter, cost))


def _growth_text(
    table: Mapping[str, Sequence[tuple[float, float]]], parameter: str, cost: str
) -> str:
    """The chart with characters: a sign for each lane."""
    rows, columns = 16, 64
    points = [point for row in table.values() for point in row]
    first, last = min(p[0] for p in points), max(p[0] for p in points)
    top = max(p[1] for p in points) or 1.0
    grid = [[" "] * columns for _ in range(rows)]
    for number, row in enumerate(table.values()):
        for n, value in row:
            column = round((n - first) / max(1e-9, last - first) * (columns - 1))
            line = rows - 1 - round(value / top * (rows - 1))
            grid[line][column] = MARKS[number % len(MARKS)]
    edge = f"{top:,.0f}"
    lines = [f"{edge if at == 0 else '0' if at == rows - 1 else '':>{len(edge)}} │{''.join(row)}"
             for at, row in enumerate(grid)]  # fmt: skip
    lines.append(f"{'':>{len(edge)}} └{'─' * columns}")
    lines.append(f"{'':>{len(edge)}}  {first:g} … {last:g} = {parameter}   ({cost})")
    lines += [f"{MARKS[number % len(MARKS)]} {lane}: {described(row)}"
              for number, (lane, row) in enumerate(table.items())]  # fmt: skip
    return "\n".join(line.rstrip() for line in lines) + "\n"
