"""A lesson as slides: one HTML page that needs nothing else, gone through by the arrow keys."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from html import escape

from embrix.documents.stop_pictures import stop_picture
from embrix.draw.svg import write_svg
from embrix.lanes.results import ending
from embrix.lanes.session import Session
from embrix.lessons.lesson import COVERED, Covered, Lesson, LessonStop
from embrix.lessons.playing import Played, play
from embrix.messages.replies_on_lessons import GIVES_AWAY
from embrix.text.visible import cut, visible
from embrix.trace.walk_steps import WalkStep

STYLE = """
:root { --ink: #10181d; --ground: #fbfaf7; --faint: #5c6a70; --accent: #8a5a00; --line: #cfd6d8;
  --cover: #e6e0d2; }
* { box-sizing: border-box; }
body { margin: 0; color: var(--ink); background: var(--ground);
  font: 1.35rem/1.45 Georgia, 'DejaVu Serif', serif; }
section { display: none; min-height: 100vh; padding: 3vh 4vw 9vh; }
section.here { display: block; }
h1 { font: 700 1.9rem/1.2 'DejaVu Sans', Verdana, sans-serif; margin: 0 0 1.5vh; }
h1 small { color: var(--faint); font-weight: 400; font-size: 1.1rem; margin-left: .8rem; }
h2 { font: 700 1rem/1.2 'DejaVu Sans', Verdana, sans-serif; color: var(--faint);
  margin: 1.6vh 0 .4vh; }
.columns { display: grid; grid-template-columns: 1fr 1fr; gap: 0 3vw; align-items: start; }
pre, td, th { font: 1.1rem/1.4 'DejaVu Sans Mono', monospace; }
pre { margin: 0; padding: .7rem .9rem; border-left: 4px solid var(--line); white-space: pre-wrap;
  overflow-wrap: anywhere; }
table { border-collapse: collapse; }
td, th { text-align: left; vertical-align: top; padding: .12rem 1.4rem .12rem 0;
  border-bottom: 1px solid var(--line); }
mark { background: none; color: var(--accent); font-weight: 700; text-decoration: underline;
  text-underline-offset: .2em; }
svg { max-width: 100%; max-height: 70vh; height: auto; display: block; margin: 1vh 0; }
.question { font-style: italic; font-size: 1.5rem; margin: 1.6vh 0; padding-left: .9rem;
  border-left: 4px solid var(--accent); }
.notes { display: none; border-top: 1px solid var(--line); margin-top: 2vh; color: var(--faint);
  white-space: pre-line; }
body.noted .notes { display: block; }
.covered { position: relative; cursor: pointer; min-height: 1.8rem; }
.covered > * { visibility: hidden; }
.covered::after { content: attr(data-what) ' · u or a click uncovers it';
  position: absolute; inset: 0;
  background: repeating-linear-gradient(45deg, var(--cover) 0 12px, transparent 12px 24px);
  border: 1px dashed var(--faint); color: var(--faint); font-size: 1rem; padding: .3rem .7rem; }
.covered.open > * { visibility: visible; }
.covered.open::after { content: none; }
footer { position: fixed; bottom: 0; left: 0; right: 0; padding: .5rem 4vw; color: var(--faint);
  background: var(--ground); font: .85rem 'DejaVu Sans', Verdana, sans-serif; }
@media (max-width: 60rem) { .columns { grid-template-columns: 1fr; } body { font-size: 1.1rem; } }
@media print {
  section { display: block; min-height: 0; break-after: page; }
  footer { display: none; }
  .notes { display: block; }
  .covered > * { visibility: visible; }
  .covered::after { content: none; }
}
"""
SCRIPT = """
const stops = [...document.querySelectorAll('section')];
let at = 0;
function go(number, keep) {
  at = Math.max(0, Math.min(number, stops.length - 1));
  stops.forEach((one, n) => one.classList.toggle('here', n === at));
  document.querySelector('#where').textContent = (at + 1) + ' of ' + stops.length;
  if (!keep) history.replaceState(null, '', '#' + (at + 1));
  window.scrollTo(0, 0);
}
function uncover() {
  const next = stops[at].querySelector('.covered:not(.open)');
  if (next) next.classList.add('open');
  return Boolean(next);
}
document.addEventListener('click', event => {
  const found = event.target.closest('.covered');
  if (found) found.classList.toggle('open');
});
document.addEventListener('keydown', event => {
  if (event.ctrlKey || event.altKey || event.metaKey) return;
  const key = event.key;
  if (['ArrowRight', 'PageDown', ' '].includes(key)) go(at + 1);
  else if (['ArrowLeft', 'PageUp', 'Backspace'].includes(key)) go(at - 1);
  else if (key === 'Home') go(0);
  else if (key === 'End') go(stops.length - 1);
  else if (key === 'u' || key === 'Enter') uncover();
  else if (key === 'n') document.body.classList.toggle('noted');
  else return;
  event.preventDefault();
});
go((parseInt(location.hash.slice(1)) || 1) - 1, true);
"""
BESIDE = 440.0
"""Points up to which a picture stands beside the program."""
LONGEST = 400
"""Characters of a step or value on a slide."""


def slides(session: Session, lesson: Lesson) -> str:
    """The page. Raises `NoPicture` for a picture that cannot be drawn, `BadBinding`."""
    lines = ["<!doctype html>", '<html lang="en">', '<meta charset="utf-8">',
             '<meta name="viewport" content="width=device-width">',
             f"<title>{escape(lesson.title)}</title>", f"<style>{STYLE}</style>"]  # fmt: skip
    lines += ["<section>", f"<h1>{_text(lesson.title)}</h1>"]
    lines += [f"<p>{_text(lesson.about)}</p>"] if lesson.about else []
    lines += ["<ol>", *(f"<li>{_text(stop.name)}</li>" for stop in lesson.stops), "</ol>",
              "</section>"]  # fmt: skip
    for number, stop in enumerate(lesson.stops, 1):
        lines += _slide(session, lesson, play(session, lesson, stop), number)
    keys = "← → stops · u uncovers · n notes · Home, End"
    lines += [f'<footer><span id="where"></span> · {keys}</footer>',
              f"<script>{SCRIPT}</script>", "</html>", ""]  # fmt: skip
    return "\n".join(lines)


def _slide(session: Session, lesson: Lesson, played: Played, number: int) -> Iterator[str]:
    stop = played.stop
    yield "<section>"
    yield f"<h1>{_text(stop.name)}<small>{number} of {len(lesson.stops)}</small></h1>"
    if stop.question:
        yield f'<div class="question">{_text(stop.question)}</div>'
    yield '<div class="columns"><div>'
    step = _step(played)
    yield f"<h2>{_text(stop.file.rpartition('/')[2] or 'program')}</h2>"
    yield f"<pre>{_program(stop, step)}</pre>"
    if stop.given:
        yield "<p>" + _text(", ".join(f"{n} = {value}" for n, value in stop.given.items())) + "</p>"
    yield "</div><div>"
    rows = [(lane, ending(result) + _written(result.output))
            for lane, result in played.results.items()]  # fmt: skip
    yield from _covered("result", stop, _table("lanes", rows))
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
        yield f'<div class="notes">{_text(stop.notes)}</div>'
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
    block = [f"<h2>{_text(stop.lanes[0])}, step {step.number} of {len(played.walk) - 1}</h2>",
            f"<pre>{_marked(step)}</pre>"]  # fmt: skip
    yield from _covered("next", stop, block)
    names = [(one.name, visible(one.value)) for one in step.bindings if not one.shadowed]
    if names:
        yield from _covered("names", stop, _table("names", names))
    held = [(f"{one.location}{' ●' if one.location in step.changed else ''}", visible(one.value))
            for one in step.store]  # fmt: skip
    if held:
        yield from _covered("store", stop, _table("store", held))
    clause = step.clause
    if clause is not None and clause.source is not None:
        text = clause.source.text[clause.start : clause.end]
        lines = ["<h2>clause</h2>", f"<pre>{_text(text)}</pre>"]
        yield from _covered("next", stop, lines) if "next" in stop.covered else lines


def _covered(what: Covered, stop: LessonStop, lines: Sequence[str]) -> Iterator[str]:
    """A part of a slide, under a cover where the stop says so."""
    covered = not {what, *GIVES_AWAY[what]}.isdisjoint(stop.covered)
    cover = f'<div class="covered" data-what="{_text(COVERED[what])}"><div>'
    yield cover if covered else "<div><div>"
    yield from lines
    yield "</div></div>"


def _table(title: str, rows: Sequence[tuple[str, str]]) -> list[str]:
    found = [f"<h2>{title}</h2>", "<table>"]
    for name, value in rows:
        found.append(f"<tr><th>{_text(name)}</th><td>{_text(cut(value, LONGEST))}</td></tr>")
    return [*found, "</table>"]


def _program(stop: LessonStop, step: WalkStep | None) -> str:
    text = stop.program.rstrip("\n")
    place = step.place if step is not None and stop.where is not None else None
    if place is None or stop.shown != "walk":
        return _text(text)
    begin, end = place
    return f"{_text(text[:begin])}<mark>{_text(text[begin:end])}</mark>{_text(text[end:])}"


def _marked(step: WalkStep) -> str:
    text, focus = step.text, step.focus
    if focus is None or len(text) > LONGEST:
        return _text(cut(text, LONGEST))
    parts = (text[: focus.start], text[focus.start : focus.end], text[focus.end :])
    return f"{_text(parts[0])}<mark>{_text(parts[1])}</mark>{_text(parts[2])}"


def _text(text: str) -> str:
    return escape(visible(text, keep="\n"))
