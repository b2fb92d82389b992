"""Lines with rounded corners."""

from __future__ import annotations

from collections.abc import Sequence

Point = tuple[float, float]


def rounded(points: Sequence[Point], radius: float) -> list[tuple[str, list[Point]]]:
    """A path as moves (`M`), lines (`L`) and curves (`C`, with two points that steer them)."""
    made: list[tuple[str, list[Point]]] = [("M", [points[0]])]
    for before, corner, after in zip(points, points[1:], points[2:], strict=False):
        into, out = _towards(corner, before, radius), _towards(corner, after, radius)
        steer = 0.5523  # which makes a quarter of a circle
        first = _between(into, corner, steer)
        second = _between(out, corner, steer)
        made += [("L", [into]), ("C", [first, second, out])]
    if len(points) > 1:
        made.append(("L", [points[-1]]))
    return made


def _towards(start: Point, end: Point, distance: float) -> Point:
    length = ((end[0] - start[0]) ** 2 + (end[1] - start[1]) ** 2) ** 0.5
    if length == 0:
        return start
    return _between(start, end, min(distance, length / 2) / length)


def _between(start: Point, end: Point, share: float) -> Point:
    return start[0] + (end[0] - start[0]) * share, start[1] + (end[1] - start[1]) * share
