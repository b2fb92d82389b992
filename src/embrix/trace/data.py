"""Stations as what the workbench shows and what is kept in a file."""

from __future__ import annotations

from typing import Any

from embrix.messages.replies import BoundName, ClausePlace, HeldValue, StationData, Substituted
from embrix.text.source import Span
from embrix.trace.stations import Put, Station
from embrix.trace.walk import Walk

MOST_HELD = 200
"""Locations that are told of one station, the newest."""


def station_data(walk: Walk, station: Station) -> StationData:
    """A station as it is told to other processes."""
    return StationData(
        number=station.number,
        kind=station.kind,
        text=station.text,
        brief=station.brief or station.text,
        focus=(station.focus.start, station.focus.end) if station.focus else None,
        renewed=(station.renewed.start, station.renewed.end) if station.renewed else None,
        written=station.written,
        place=station.place,
        depth=station.depth,
        bindings=[BoundName(b.name, b.value, b.shadowed, b.origin) for b in station.bindings],
        store=[
            HeldValue(h.location, h.value, h.role, h.reused) for h in station.store[-MOST_HELD:]
        ],
        store_size=len(station.store),
        changed=list(station.changed),
        clause=clause_data(walk, station.clause) if station.clause is not None else None,
        refused=[clause_data(walk, span) for span in station.refused],
        stack=list(station.stack),
        put=[put_data(one) for one in station.put],
        note=station.note,
    )


def put_data(put: Put) -> Substituted:
    details = put.details
    return Substituted(
        details.name, put.value, list(details.places), list(details.stopped), list(details.renamed)
    )


def clause_data(walk: Walk, clause: Span) -> ClausePlace:
    """Its text is as it is written, without the indentation of its first line."""
    source = clause.source or walk.lane.interpreter.source
    line, column = source.position(clause.start)
    first, *more = source.text[clause.start : clause.end].rstrip().split("\n")
    margin = " " * (column - 1)
    lines = [first, *(one.removeprefix(margin) for one in more)]
    return ClausePlace(source.name, line, "\n".join(one.rstrip() for one in lines))


def head_data(walk: Walk, program: str, language: str, *, levels: bool = True) -> dict[str, Any]:
    """What is told of a walk as a whole; without `levels` not its height over time."""
    outcome = walk.traced.result.outcome
    return {
        "embrix": "walk",
        "version": 1,
        "language": language,
        "lane": walk.lane.name,
        "program": program,
        "style": walk.style,
        "length": len(walk),
        "outcome": outcome.as_data(),
        "output": list(walk.traced.result.output),
        "levels": walk.levels() if levels else [],
    }
