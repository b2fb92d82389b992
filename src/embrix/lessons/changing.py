"""Stops that are added to a lesson, and moved in it; everything else of the file stays as its
author wrote it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import tomlkit
from msgspec.structs import replace

from embrix.lessons.lesson import Lesson, LessonStop, Where
from embrix.lessons.lesson_reader import read_lesson
from embrix.lessons.where import found
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span
from embrix.text.toml_places import heads
from embrix.trace.seeking import seek
from embrix.trace.walk import Walk

MOST_TIMES = 2_000
"""How often something may happen before a step for it to be found by that."""


class CannotChange(Exception):
    """A lesson cannot be changed so; the message says why."""


def where_of(walk: Walk, number: int, program: str) -> Where | None:
    """By what a step is found best: a name that is looked up there, the clause that applies, or
    its number; None for the first step."""
    if number <= 0:
        return None
    if number == len(walk) - 1:
        return Where("end")
    step = walk.step(number, renewed=False)
    text = program[slice(*step.place)] if step.place is not None else ""
    if text and seek(walk, "lookup", text, number - 1, True) == number:
        return _counted(walk, number, Where("lookup", text))
    clause = step.clause
    if clause is not None and clause.source is not None:
        written = clause.source.text[clause.start : clause.end]
        head = written.partition("=>")[0].split("\n")[0].strip()
        by_clause = _counted(walk, number, Where("applies", head)) if head else None
        if by_clause is not None:
            return by_clause
    return Where("step", str(number))


def _counted(walk: Walk, number: int, where: Where) -> Where | None:
    """The same with how often it has happened by a step; None where it does not happen there."""
    for time in range(1, MOST_TIMES):
        at, there = found(walk, replace(where, time=time))
        if not there or at > number:
            return None
        if at == number:
            return replace(where, time=time)
    return None


def with_stop(text: str, entries: Mapping[str, Any], where: Where | None) -> str:
    """A lesson with one stop more at its end, its last line an empty `notes`."""
    table = tomlkit.table()
    for key, value in entries.items():
        if value:
            table[key] = value
    if where is not None:
        step = tomlkit.inline_table()
        number = where.happening == "step"
        plain = where.happening in ("end", "output")
        step[where.happening] = True if plain else int(where.what) if number else where.what
        if where.time > 1:
            step["time"] = where.time
        table["where"] = step
    table["notes"] = ""
    document = tomlkit.document()
    stops = tomlkit.aot()
    stops.append(table)
    document["stop"] = stops
    return text.rstrip("\n") + "\n\n" + tomlkit.dumps(document).strip("\n") + "\n"


def moved(lesson: Lesson, number: int, by: int) -> str:
    """The text of a lesson with a stop put before the one before it, or behind the next one. Raises
    `CannotChange` where that would change what a stop shows: what a stop does not say is as at the
    stop before."""
    text = lesson.source.text
    places = [at for at, _ in heads(text, ("stop",))]
    other = number + by
    if not (0 <= number < len(places) and 0 <= other < len(places)):
        raise CannotChange("there is no stop to change places with")
    begin = [text.rfind("\n", 0, at) + 1 for at in places]
    ends = [*begin[1:], len(text)]
    first, second = sorted((number, other))
    if second - first != 1:
        raise CannotChange("stops change places with their neighbours")
    one, two = text[begin[first] : ends[first]], text[begin[second] : ends[second]]
    new = (
        text[: begin[first]] + two.rstrip("\n") + "\n\n" + one.rstrip("\n") + "\n"
        + ("\n" if ends[second] < len(text) else "") + text[ends[second] :].lstrip("\n")
    )  # fmt: skip
    wanted = list(lesson.stops)
    wanted[number], wanted[other] = wanted[other], wanted[number]
    findings = Findings()
    lanes = {lesson.language: {lane for stop in lesson.stops
                               for lane in (*stop.lanes, *filter(None, stop.answers))}}  # fmt: skip
    again = read_lesson(Source(lesson.source.name, new, lesson.source.path), lanes, findings)
    if again is None or [_plain(one) for one in again.stops] != [_plain(one) for one in wanted]:
        raise CannotChange("a stop here takes its program or lanes from the one before it: write "
                           "them out first")  # fmt: skip
    return new


def _plain(stop: LessonStop) -> LessonStop:
    return replace(stop, span=Span(0, 0))
