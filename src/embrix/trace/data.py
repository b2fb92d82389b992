"""Stations as plain data: what the workbench shows and what is kept in a file."""

from __future__ import annotations

from typing import Any

from embrix.text.source import Span
from embrix.trace.stations import Put, Station
from embrix.trace.walk import Walk

MOST_HELD = 200
"""Locations that are told of one station, the newest."""


def station_data(walk: Walk, station: Station) -> dict[str, Any]:
    """A station as plain data; `docs/schemas/walk.schema.json` says what it looks like."""
    return {
        "number": station.number,
        "kind": station.kind,
        "text": station.text,
        "brief": station.brief or station.text,
        "focus": [station.focus.start, station.focus.end] if station.focus else None,
        "renewed": [station.renewed.start, station.renewed.end] if station.renewed else None,
        "written": station.written,
        "place": list(station.place) if station.place else None,
        "depth": station.depth,
        "bindings": [[b.name, b.value, b.shadowed, b.origin] for b in station.bindings],
        "store": [[h.location, h.value, h.role, h.reused] for h in station.store[-MOST_HELD:]],
        "store_size": len(station.store),
        "changed": list(station.changed),
        "clause": clause_data(walk, station.clause),
        "refused": [clause_data(walk, span) for span in station.refused],
        "stack": list(station.stack),
        "put": [put_data(one) for one in station.put],
        "note": station.note,
    }


def put_data(put: Put) -> dict[str, Any]:
    """A substitution as plain data."""
    told = put.told
    return {
        "name": told.name,
        "value": put.value,
        "places": [list(place) if place else None for place in told.places],
        "stopped": [[form, list(place) if place else None] for form, place in told.stopped],
        "renamed": [list(pair) for pair in told.renamed],
    }


def clause_data(walk: Walk, clause: Span | None) -> dict[str, Any] | None:
    if clause is None:
        return None
    source = clause.source or walk.lane.interpreter.source
    line, _ = source.position(clause.start)
    text = source.text[clause.start : clause.end]
    return {"file": source.name, "line": line, "text": " ".join(text.split())}


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
