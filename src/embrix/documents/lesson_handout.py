"""A lesson on paper: every stop with its notes, what the lanes give, a picture of its step."""

from __future__ import annotations

from collections.abc import Iterator

from embrix.documents.handout import HandoutPart
from embrix.documents.stop_pictures import stop_picture
from embrix.draw.environments import draw_environment
from embrix.lanes.session import Session
from embrix.lessons.lesson import Lesson
from embrix.lessons.playing import Played, answer_of, play
from embrix.text.visible import cut, visible

LONGEST = 160
"""Characters of an answer or of a name's value."""


def lesson_parts(session: Session, lesson: Lesson) -> list[HandoutPart]:
    """The parts of the handout. Raises `NoPicture`, `BadBinding`."""
    parts = [HandoutPart("title", lesson.title)]
    parts += [HandoutPart("text", lesson.about.strip())] if lesson.about.strip() else []
    before = ""
    for number, stop in enumerate(lesson.stops, 1):
        parts.append(HandoutPart("heading", f"{number}. {stop.name}"))
        parts += [HandoutPart("text", stop.question)] if stop.question else []
        if stop.program != before:
            parts.append(HandoutPart("code", stop.program.rstrip("\n")))
        before = stop.program
        parts += _step(session, lesson, play(session, lesson, stop))
        parts += [HandoutPart("text", one) for one in stop.notes.strip().split("\n\n") if one]
    return parts


def _step(session: Session, lesson: Lesson, played: Played) -> Iterator[HandoutPart]:
    """What the lanes give, the step, the names there, and a picture."""
    stop, walk = played.stop, played.walk
    rows = [(lane, cut(visible(answer_of(one)), LONGEST)) for lane, one in played.results.items()]
    yield HandoutPart("table", rows=(("lane", "gives"), *rows))
    if stop.shown != "walk":
        pages = stop_picture(session, lesson, played).pages
        yield HandoutPart("picture", pictures=pages)
        return
    if walk is None or not len(walk) or stop.where is None:
        return
    step = walk.step(played.number)
    yield HandoutPart("subheading", f"{stop.lanes[0]}, step {played.number:,}")
    yield HandoutPart("code", step.text)
    if walk.style != "reductions" and walk.environment_at(played.number) is not None:
        drawn = draw_environment(walk, played.number, f"step {played.number}")
        yield HandoutPart("picture", pictures=drawn.pages)
    if step.store:
        held = [(one.location, cut(visible(one.value), LONGEST)) for one in step.store]
        yield HandoutPart("table", rows=(("store", "holds"), *held))
