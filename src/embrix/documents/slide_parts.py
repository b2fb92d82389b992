"""What pages of slides are made of: their frame, and the parts of a slide."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from itertools import pairwise

from embrix.grammar.model import Grammar
from embrix.terms.node import Place
from embrix.text.comments import told_apart
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
.sequence span { display: block; color: var(--faint); }
.comment { color: var(--faint); }
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
LONGEST = 400
"""Characters of a step or value on a slide."""


def framed(title: str, sections: Sequence[str], keys: str) -> str:
    """A page that needs nothing else; `keys` says below what they do."""
    return "\n".join([
        "<!doctype html>", '<html lang="en">', '<meta charset="utf-8">',
        '<meta name="viewport" content="width=device-width">', f"<title>{escape(title)}</title>",
        f"<style>{STYLE}</style>", *sections,
        f'<footer><span id="where"></span> · {keys}</footer>', f"<script>{SCRIPT}</script>",
        "</html>", "",
    ])  # fmt: skip


def table(title: str, rows: Sequence[tuple[str, str]]) -> list[str]:
    found = [f"<h2>{title}</h2>", "<table>"]
    for name, value in rows:
        found.append(f"<tr><th>{text_of(name)}</th><td>{text_of(cut(value, LONGEST))}</td></tr>")
    return [*found, "</table>"]


def sequence(before: Sequence[str], present: str) -> str:
    """Lines of a sequence, the present one (which may hold marks) below those before it."""
    lines = "".join(f"<span>{text_of(line)}</span>" for line in before)
    return f'<pre class="sequence">{lines}{present}</pre>'


def program_text(grammar: Grammar | None, program: str, place: Place | None) -> str:
    """A program with the part that is active marked, and comments told from the rest: where a line
    is broken nobody takes what is left of one for a part of the program."""
    comments = grammar.tokens.cut(program).comments(program) if grammar is not None else []
    pieces: list[str] = []
    for first, last, marked, in_comment in told_apart(0, len(program), place or (0, 0), comments):
        piece = text_of(program[first:last])
        if in_comment:
            piece = f'<i class="comment">{piece}</i>'
        pieces.append(f"<mark>{piece}</mark>" if marked else piece)
    return "".join(pieces)


def names_and_store(step: WalkStep) -> tuple[list[tuple[str, str]], list[tuple[str, str]]]:
    """The rows of the tables of names and of the store at a step."""
    names = [(one.name, visible(one.value)) for one in step.bindings if not one.shadowed]
    held = [(f"{one.location}{' ●' if one.location in step.changed else ''}", visible(one.value))
            for one in step.store]  # fmt: skip
    return names, held


def marked_text(step: WalkStep) -> str:
    """The text of a step with the part that is active marked, and in it the places at which a
    substitution does something."""
    text, focus = step.text, step.focus
    if len(text) > LONGEST:
        return text_of(cut(text, LONGEST))
    begin, end = (focus.start, focus.end) if focus is not None else (0, 0)
    ends = {0, begin, end, len(text)} | {n for one in step.marks
                                         for n in (one.span.start, one.span.end)}  # fmt: skip
    tags = {"put": "b", "value": "b", "stopped": "s", "renamed": "i"}
    pieces: list[str] = []
    places = sorted(ends)
    for first, last in pairwise(places):
        piece = text_of(text[first:last])
        for one in step.marks:
            if one.span.start <= first < one.span.end:
                piece = f"<{tags[one.kind]}>{piece}</{tags[one.kind]}>"
                break
        pieces.append(f"<mark>{piece}</mark>" if begin <= first < end else piece)
    return "".join(pieces)


def text_of(text: str) -> str:
    """A text as it stands in a page."""
    return escape(visible(text, keep="\n"))
