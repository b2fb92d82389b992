"""One program on several lanes as plain data: outcomes, costs, where they part, walks in rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from embrix.compare.alignment import Stop, aligned, first_parting
from embrix.compare.sides import LIMITS, Side, parted, side
from embrix.machine.lane import BadBinding
from embrix.runs.lanes import NoLane
from embrix.runs.session import Session, ending
from embrix.text.visible import cut
from embrix.trace.walk import Walk

MOST_LANES = 100


def beside(
    session: Session, language: str, names: Sequence[str], text: str, given: Mapping[str, str],
    lines: Sequence[str],
) -> dict[str, Any]:  # fmt: skip
    """Every lane's outcome, output, state and costs, and how each parts from the first."""
    lanes: list[dict[str, Any]] = []
    sides: list[Side] = []
    for name in names[:MOST_LANES]:
        try:
            one = side(session.runner(language, name), text, given, lines)
        except (NoLane, BadBinding) as wrong:
            told = str(wrong)
            lanes.append({"lane": name, "kind": "rejected", "sentence": told, "output": [],
                          "state": [], "costs": {}, "style": "none", "length": 0})  # fmt: skip
            continue
        sides.append(one)
        lanes.append({
            "lane": name, "kind": one.result.outcome.kind, "sentence": ending(one.result),
            "output": list(one.result.output), "state": [str(x) for x in one.result.state],
            "costs": one.result.costs, "style": one.style, "length": one.length,
        })  # fmt: skip
    partings: dict[str, Any] = {}
    for other in sides[1:]:
        found = parted(text, sides[0], other)
        partings[other.lane] = {"sentence": found.sentence, "more": list(found.more),
                                "stations": list(found.stations)}  # fmt: skip
    return {"lanes": lanes, "left_out": max(0, len(names) - MOST_LANES), "partings": partings,
            "first": sides[0].lane if sides else ""}  # fmt: skip


def walked_together(
    session: Session, language: str, one: str, other: str, text: str,
    given: Mapping[str, str], lines: Sequence[str],
) -> dict[str, Any]:  # fmt: skip
    """Two walks in rows, and the row in which they part."""
    walks = []
    for name in (one, other):
        try:
            lane = session.runner(language, name)
        except NoLane as wrong:
            return {"rows": [], "parting": -1, "refused": str(wrong)}
        if not lane.records:
            return {"rows": [], "parting": -1, "refused": f"{name} tells nothing of its steps"}
        try:
            traced = lane.trace(text, given, limits=LIMITS, given_input=lines)
        except BadBinding as wrong:
            return {"rows": [], "parting": -1, "refused": str(wrong)}
        walks.append(Walk(lane, traced))
    rows = aligned(walks[0], walks[1])
    return {
        "rows": [[_stop(row.left), _stop(row.right), row.parts] for row in rows],
        "parting": first_parting(rows) if walks[0].style == walks[1].style else -1,
        "refused": "",
    }  # fmt: skip


def _stop(stop: Stop | None) -> list[Any] | None:
    if stop is None:
        return None
    place = list(stop.place) if stop.place is not None else None
    return [stop.station, stop.depth, cut(stop.text, 400), place]
