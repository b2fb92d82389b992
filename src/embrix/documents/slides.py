"""A lesson as slides: one HTML page that needs nothing else, gone through by the arrow keys."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from embrix.documents.slide_parts import (
    framed,
    marked_text,
    names_and_store,
    program_text,
    table,
    text_of,
)
from embrix.documents.stop_pictures import stop_picture
from embrix.draw.svg import write_svg
from embrix.grammar.model import Grammar
from embrix.lanes.results import ending
from embrix.lanes.session import Session
from embrix.lessons.lesson import COVERED, Covered, Lesson, LessonStop
from embrix.lessons.playing import Played, play
from embrix.messages.replies_on_lessons import GIVES_AWAY
from embrix.trace.walk_steps import WalkStep

BESIDE = 440.0
"""Points up to which a picture stands beside the program."""


def slides(session: Session, lesson: Lesson) -> str:
    """The page. Raises `NoPicture` for a picture that cannot be drawn, `BadBinding`."""
    lines = ["<section>", f"<h1>{text_of(lesson.title)}</h1>"]
    lines += [f"<p>{text_of(lesson.about)}</p>"] if lesson.about else []
    lines += ["<ol>", *(f"<li>{text_of(stop.name)}</li>" for stop in lesson.stops), "</ol>",
              "</section>"]  # fmt: skip
    for number, stop in enumerate(lesson.stops, 1):
        lines += _slide(session, lesson, play(session, lesson, stop), number)
    return framed(lesson.title, lines, "← → stops · u uncovers · n notes · Home, End")


def _slide(session: Session, lesson: Lesson, played: Played, number: int) -> Iterator[str]:
    stop = played.stop
    yield "<section>"
    yield f"<h1>{text_of(stop.name)}<small>{number} of {len(lesson.stops)}</small></h1>"
    if stop.question:
        yield f'<div class="question">{text_of(stop.question)}</div>'
    yield '<div class="columns"><div>'
    step = _step(played)
    yield f"<h2>{text_of(stop.file.rpartition('/')[2] or 'program')}</h2>"
    language = session.course.languages.get(lesson.language)
    grammar = language.grammar if language is not None else None
    yield f"<pre>{_program(grammar, stop, step)}</pre>"
    if stop.given:
        yield (
            "<p>" + text_of(", ".join(f"{n} = {value}" for n, value in stop.given.items())) + "</p>"
        )
    yield "</div><div>"
    rows = [(lane, ending(result) + _written(result.output))
            for lane, result in played.results.items()]  # fmt: skip
    yield from _covered("result", stop, table("lanes", rows))
    if step is not None and stop.where is not None and stop.shown == "walk":
        yield from _step_shown(played, step)
    wide = True
    if stop.shown != "walk":
        drawn = stop_picture(session, lesson, played).pages
        wide = any(scene.width > BESIDE for scene in drawn)
        pictures = [write_svg(scene) for scene in drawn]
        if not wide:
            yield from _covered("next", stop, pictures)
    yield "</div></div>"
    if stop.shown != "walk" and wide:
        yield from _covered("next", stop, pictures)
    if stop.notes:
        yield f'<div class="notes">{text_of(stop.notes)}</div>'
    yield "</section>"


def _written(output: Sequence[str]) -> str:
    lines = [line for line in "".join(output).split("\n") if line]
    return f"   writes {', '.join(lines)}" if lines else ""


def _step(played: Played) -> WalkStep | None:
    if played.walk is None or not len(played.walk):
        return None
    return played.walk.step(played.number)


def _step_shown(played: Played, step: WalkStep) -> Iterator[str]:
    """The step at which the stop is, names, what the store holds, the clause."""
    stop = played.stop
    assert played.walk is not None
    block = [f"<h2>{text_of(stop.lanes[0])}, step {step.number} of {len(played.walk) - 1}</h2>",
            f"<pre>{marked_text(step)}</pre>"]  # fmt: skip
    yield from _covered("next", stop, block)
    names, held = names_and_store(step)
    if names:
        yield from _covered("names", stop, table("names", names))
    if held:
        yield from _covered("store", stop, table("store", held))
    clause = step.clause
    if clause is not None and clause.source is not None:
        text = clause.source.text[clause.start : clause.end]
        lines = ["<h2>clause</h2>", f"<pre>{text_of(text)}</pre>"]
        yield from _covered("next", stop, lines) if "next" in stop.covered else lines


def _covered(what: Covered, stop: LessonStop, lines: Sequence[str]) -> Iterator[str]:
    """A part of a slide, under a cover where the stop says so."""
    covered = not {what, *GIVES_AWAY[what]}.isdisjoint(stop.covered)
    cover = f'<div class="covered" data-what="{text_of(COVERED[what])}"><div>'
    yield cover if covered else "<div><div>"
    yield from lines
    yield "</div></div>"


def _program(grammar: Grammar | None, stop: LessonStop, step: WalkStep | None) -> str:
    text = stop.program.rstrip("\n")
    place = step.place if step is not None and stop.where is not None else None
    return program_text(grammar, text, place if stop.shown == "walk" else None)
