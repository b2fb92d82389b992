"""Steps as what the workbench shows and what is kept in a file."""

from __future__ import annotations

from typing import Any

from embrix.messages.replies import BoundName, ClausePlace, HeldValue, StepData, Substituted
from embrix.text.source import Span
from embrix.trace.walk import Walk
from embrix.trace.walk_steps import Put, WalkStep

MOST_HELD = 200
"""Locations that are shown at one step, the newest."""


def step_data(walk: Walk, step: WalkStep) -> StepData:
    """A step as it is sent to other processes."""
    return StepData(
        number=step.number,
        kind=step.kind,
        text=step.text,
        brief=step.brief,
        row=list(step.row),
        focus=(step.focus.start, step.focus.end) if step.focus else None,
        renewed=(step.renewed.start, step.renewed.end) if step.renewed else None,
        written=step.written,
        place=step.place,
        depth=step.depth,
        bindings=[BoundName(b.name, b.value, b.shadowed, b.origin) for b in step.bindings],
        store=[HeldValue(h.location, h.value, h.role, h.reused) for h in step.store[-MOST_HELD:]],
        store_size=len(step.store),
        changed=list(step.changed),
        clause=clause_data(walk, step.clause) if step.clause is not None else None,
        refused=[clause_data(walk, span) for span in step.refused],
        stack=list(step.stack),
        put=[put_data(one) for one in step.put],
        marks=[(one.kind, one.span.start, one.span.end) for one in step.marks],
        note=step.note,
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


WALK_VERSION = 2
"""Of the format of walks as data; version 1 calls the styles `steps` and `moments`."""


def head_data(walk: Walk, program: str, language: str, *, levels: bool = True) -> dict[str, Any]:
    """A walk as a whole; without `levels` not its height over time."""
    outcome = walk.traced.result.outcome
    return {
        "embrix": "walk",
        "version": WALK_VERSION,
        "language": language,
        "lane": walk.lane.name,
        "program": program,
        "style": walk.style,
        "length": len(walk),
        "outcome": outcome.as_data(),
        "output": list(walk.traced.result.output),
        "levels": walk.levels() if levels else [],
    }
