"""A run as slides: one HTML page that needs nothing else, a step on each, gone through by the arrow
keys.

A reduction sequence grows line by line; of any other run the judgement of the step stands below
those around it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from embrix.documents.slide_parts import (
    framed,
    marked_text,
    names_and_store,
    program_text,
    sequence,
    table,
    text_of,
)
from embrix.text.visible import cut
from embrix.trace.walk import Walk
from embrix.trace.walk_steps import WalkStep

MOST_SLIDES = 300
"""Steps that are shown."""
LINES = 14
"""Lines of a sequence above the present one, and judgements around it."""
ROW = 90
"""Characters of a line before the present one."""


def run_slides(walk: Walk, title: str, program: str, first: int = 0) -> str:
    """The page, from a step on."""
    numbers = range(max(0, first), min(len(walk), first + MOST_SLIDES))
    before: list[str] = []
    sections: list[str] = []
    for number in numbers:
        step = walk.step(number)
        sections += _slide(walk, step, title, program, before)
        if walk.style == "reductions":
            before = [*before, step.text][-LINES:]
    left = len(walk) - (numbers.stop if numbers else 0)
    if left > 0:
        sections += ["<section>", f"<p>… and {left:,} more steps</p>", "</section>"]
    return framed(title, sections, "← → steps · Home, End")


def _slide(
    walk: Walk, step: WalkStep, title: str, program: str, before: Sequence[str]
) -> Iterator[str]:
    text = program.rstrip()
    yield "<section>"
    yield f"<h1>{text_of(title)}<small>step {step.number:,} of {len(walk) - 1:,}</small></h1>"
    yield '<div class="columns"><div>'
    yield "<h2>program</h2>"
    place = step.place if step.place != (0, len(text)) else None
    yield f"<pre>{program_text(walk.lane.interpreter.language.grammar, text, place)}</pre>"
    if step.written:
        yield "<h2>output</h2>"
        yield f"<pre>{text_of(step.written)}</pre>"
    yield "</div><div>"
    present = marked_text(step) if step.kind == "term" else text_of(step.brief)
    yield sequence([cut(line, ROW) for line in before], present)
    names, held = names_and_store(step)
    if names:
        yield from table("names", names)
    if held:
        yield from table("store", held)
    if step.stack:
        yield "<h2>inside</h2>"
        yield f"<pre>{text_of(chr(10).join(step.stack[:LINES]))}</pre>"
    clause = step.clause
    if clause is not None and clause.source is not None:
        yield "<h2>clause</h2>"
        yield f"<pre>{text_of(clause.source.text[clause.start : clause.end])}</pre>"
    yield "</div></div>"
    yield "</section>"
