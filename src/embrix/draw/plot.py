"""A chart of points in character cells: a letter for each row of points, lines of small dots."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from msgspec import Struct

from embrix.compare.range import Scale
from embrix.draw.ticks import ticks

LETTERS = "abcdefghijklmnopqrstuvwxyz"
AXES, GRID = -1, -2
_DOTS = ((0x01, 0x08), (0x02, 0x10), (0x04, 0x20), (0x40, 0x80))
_BLANK = 0x2800


class Cell(Struct, frozen=True):
    """What stands in a cell, and of which row of points it is (`AXES` or `GRID` otherwise)."""

    text: str
    row: int


class Axis(Struct, frozen=True):
    """Where a value lies along an axis, as a share from 0 to 1."""

    low: float
    high: float
    logarithmic: bool

    def share(self, value: float) -> float:
        low, high = self.low, self.high
        if self.logarithmic:
            low, high, value = (math.log10(max(one, 1e-9)) for one in (low, high, max(value, low)))
        return (value - low) / (high - low) if high > low else 0.0


def plot(
    table: Mapping[str, Sequence[tuple[float, float]]], columns: int, rows: int,
    scale: Scale = "linear",
) -> list[list[Cell]]:  # fmt: skip
    """Rows of cells from the top: marks of the axis at the left, the chart, the lower axis."""
    points = [point for row in table.values() for point in row]
    if not points or columns < 24 or rows < 6:
        return []
    lows, highs = ([f(p[axis] for p in points) for axis in (0, 1)] for f in (min, max))
    log_y = scale != "linear"
    least = max(1.0, lows[1]) if log_y else 0.0
    most = max(2, min(7, (rows - 2) // 3))
    marks = ticks(least, highs[1], "logarithmic" if log_y else "linear", most)
    upright = Axis(min(marks[0], least), max(highs[1], marks[-1]), log_y)
    level = Axis(lows[0], highs[0], scale == "both" and lows[0] > 0)
    left = max(len(f"{mark:,.0f}") for mark in marks)
    wide, high = columns - left - 4, rows - 2
    grid = [[_BLANK] * wide for _ in range(high)]
    owner = [[-1] * wide for _ in range(high)]
    ends: dict[tuple[int, int], tuple[str, int]] = {}
    for number, row in enumerate(table.values()):
        spots = [
            (level.share(n) * (2 * wide - 1), (1 - upright.share(value)) * (4 * high - 1))
            for n, value in sorted(row)
        ]
        for begin, end in zip(spots, spots[1:] or spots, strict=False):
            _line(grid, owner, begin, end, number)
        every = max(1, len(spots) // 10)
        for at, (x, y) in enumerate(spots):
            if at % every == 0 or at == len(spots) - 1:
                ends[round(y) // 4, round(x) // 2] = (LETTERS[number % len(LETTERS)], number)
    height_of = {mark: round((1 - upright.share(mark)) * (4 * high - 1)) // 4 for mark in marks}
    made: list[list[Cell]] = []
    for at in range(high):
        mark = next((one for one, height in height_of.items() if height == at), None)
        shown = f"{mark:,.0f}" if mark is not None else ""
        cells = [Cell(f" {shown:>{left}} {'┤' if shown else '│'}", AXES)]
        for column in range(wide):
            if (at, column) in ends:
                cells.append(Cell(*ends[at, column]))
            else:
                dots = grid[at][column]
                text = chr(dots) if dots != _BLANK else "┈" if shown else " "
                cells.append(Cell(text, owner[at][column] if dots != _BLANK else GRID))
        made.append(cells)
    made.append([Cell(f" {'':>{left}} └{'─' * wide}", AXES)])
    made.append([Cell(_lower(level, wide, left + 3), AXES)])
    return made


def _line(
    grid: list[list[int]], owner: list[list[int]], begin: tuple[float, float],
    end: tuple[float, float], number: int,
) -> None:  # fmt: skip
    steps = max(1, math.ceil(max(abs(end[0] - begin[0]), abs(end[1] - begin[1]))))
    for step in range(steps + 1):
        x = round(begin[0] + (end[0] - begin[0]) * step / steps)
        y = round(begin[1] + (end[1] - begin[1]) * step / steps)
        grid[y // 4][x // 2] |= _DOTS[y % 4][x % 2]
        owner[y // 4][x // 2] = number


def _lower(axis: Axis, wide: int, left: int) -> str:
    """The numbers under the lower axis, as many as do not run into each other."""
    line = " " * left
    for mark in ticks(axis.low, axis.high, "logarithmic" if axis.logarithmic else "linear"):
        if not axis.low <= mark <= axis.high:
            continue
        shown = f"{mark:,g}"
        at = left + round(axis.share(mark) * (wide - 1)) - len(shown) // 2
        if at > len(line) or len(line) == left:
            line = line.ljust(max(at, left)) + shown
    return line
