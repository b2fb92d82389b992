"""A handout: what a language is, its rules, programs with their runs, its cases; as one HTML page
or one PDF."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from html import escape
from pathlib import Path
from typing import Any, Literal

from embrix.draw.derivations import derivation_of, draw_derivation
from embrix.draw.pdf import BOLD, PLAIN, has, paint, register
from embrix.draw.railroad import draw_grammar
from embrix.draw.rules import draw_rules, inference_rules
from embrix.draw.runs import draw_reduction
from embrix.draw.scene import Scene
from embrix.draw.svg import write_svg
from embrix.draw.trees import draw_tree, tree_of_rows
from embrix.machine.limits import Limits
from embrix.runs.pictures import NoPicture
from embrix.runs.session import Session, ending
from embrix.text.diagnostic import Findings
from embrix.text.source import Unreadable, read_source
from embrix.text.visible import visible
from embrix.trace.walk import Walk

PAGE = 640.0
"""Points of height that a picture may take on a page."""
WIDE = 640.0
"""Points of width that a derivation may take before it goes on at another picture."""
DEEP = 4
"""Levels of a derivation that are shown."""
SMALL = 60
"""Judgements up to which the derivation of a program is drawn."""
LIMITS = Limits(calls=200_000, depth=20_000, output=20_000, moments=100_000)


@dataclass(frozen=True, slots=True)
class Part:
    """A piece of a handout, in the order of reading."""

    kind: Literal["title", "heading", "subheading", "text", "code", "picture", "table"]
    text: str = ""
    pictures: tuple[Scene, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()


def handout(
    session: Session, language: str, lanes: Sequence[str] = (), programs: Sequence[Path] = (),
    notes: str = "",
) -> list[Part]:  # fmt: skip
    """The parts of the handout of a language: with some lanes and programs, else with all. Raises
    KeyError for an unknown lane and `NoPicture` for a program that cannot be read."""
    target = session.course.languages[language]
    names = list(lanes or session.course.interpreters.get(language, {}))
    parts = [Part("title", f"{session.course.title}: {language}")]
    if target.doc:
        parts.append(Part("text", target.doc))
    parts += [Part("text", line) for line in notes.split("\n\n") if line.strip()]
    for title, text in target.notes:
        parts += [Part("subheading", title), Part("text", text)]
    if target.grammar is not None:
        drawing = draw_grammar(target.grammar, "grammar", high=PAGE)
        parts += [Part("heading", "Grammar"), Part("picture", pictures=drawing.pages),
                  Part("code", drawing.text)]  # fmt: skip
    parts += [Part("heading", "Forms"), Part("code", "\n".join(_forms(session, language)))]
    for name in names:
        interpreter = session.lane(language, name).interpreter
        rules = inference_rules(interpreter)
        if not rules:
            continue
        parts.append(Part("heading", f"Rules of {name}"))
        if interpreter.doc:
            parts.append(Part("text", interpreter.doc))
        parts.append(Part("picture", pictures=draw_rules(rules, name, high=PAGE).pages))
    shown = list(programs) or list(session.course.programs.get(language, ()))
    if shown:
        parts.append(Part("heading", "Programs"))
    for path in shown:
        parts += _program(session, language, names, path)
    parts += _cases(session, language, names)
    return parts


def _forms(session: Session, language: str) -> Iterator[str]:
    signature = session.course.languages[language].signature
    for form in signature.by_tag.values():
        fields = ", ".join(f"{one}: {type_text(kind)}" for one, kind in
                           zip(form.fields, form.types, strict=True))  # fmt: skip
        yield f"{form.name}({fields})" if fields else form.name


def type_text(kind: Any) -> str:
    """A type as it is written."""
    args = getattr(kind, "args", ())
    name = getattr(kind, "name", str(kind))
    return f"{name}[{', '.join(map(type_text, args))}]" if args else str(name)


def _program(session: Session, language: str, lanes: Sequence[str], path: Path) -> Iterator[Part]:
    try:
        text = read_source(path).text
    except Unreadable as fault:
        raise NoPicture(str(fault)) from fault
    yield Part("subheading", path.name)
    yield Part("code", text.rstrip("\n"))
    look = session.look(language, text)
    tree = tree_of_rows(look["tree"])
    if tree is not None:
        yield Part("picture", pictures=draw_tree(tree, path.name).pages)
    rows: list[tuple[str, ...]] = []
    drawn: list[Part] = []
    for name in lanes:
        lane = session.lane(language, name)
        result = lane.run(text, limits=LIMITS)
        cost = result.costs.get("steps") or result.costs.get("judgements") or 0
        unit = "steps" if result.costs.get("steps") else "judgements"
        rows.append((name, visible(ending(result)), f"{cost:,} {unit}"))
        if cost > SMALL or not cost:
            continue
        traced = lane.trace(text, limits=LIMITS)
        if traced.term is None:
            continue
        walk = Walk(lane, traced)
        if walk.style == "steps":
            pictures = draw_reduction(walk, name).pages
        else:
            root = derivation_of(walk, 0, DEEP)
            pictures = draw_derivation(root, name, WIDE).pages if root is not None else ()
        drawn += [Part("text", f"{path.name} on {name}:"), Part("picture", pictures=pictures)]
    yield Part("table", rows=(("lane", "outcome", "cost"), *rows))
    yield from drawn


def _cases(session: Session, language: str, lanes: Sequence[str]) -> Iterator[Part]:
    for path in session.course.suites:
        suite = session.suite(path, Findings())
        if suite is None or suite.language != language:
            continue
        rows = []
        for case in suite.cases:
            expected = case.expectation_for(lanes[0]) if lanes else case.expected
            told = ""
            if expected is not None:
                named = {"error": "error ", "rejected": "refused by "}.get(expected.kind, "")
                told = f"{named}{expected.text}"
            rows.append((case.name, visible(" ".join(case.program.split())), visible(told)))
        yield Part("heading", "Cases")
        yield Part("table", rows=(("case", "program", "expected"), *rows))


# ---------------------------------------------------------------------- HTML

STYLE = """
body { font: 15px/1.5 Georgia, serif; max-width: 62rem; margin: 2rem auto; padding: 0 1rem;
  color: #000; background: #fff; }
h1, h2, h3 { font-family: 'DejaVu Sans', Verdana, sans-serif; line-height: 1.2; }
h2 { border-bottom: 1px solid #000; margin-top: 2.5rem; }
pre { font: 13px/1.4 'DejaVu Sans Mono', monospace; background: #f1f1f1; padding: .6rem;
  overflow-x: auto; }
svg { max-width: 100%; height: auto; display: block; margin: .8rem 0; }
table { border-collapse: collapse; font: 13px/1.4 'DejaVu Sans Mono', monospace; }
td, th { text-align: left; vertical-align: top; padding: .15rem .8rem .15rem 0;
  border-bottom: 1px solid #ccc; }
"""


def write_html(parts: Sequence[Part]) -> str:
    """One page that needs nothing else."""
    title = escape(parts[0].text) if parts else ""
    lines = ["<!doctype html>", '<html lang="en">', '<meta charset="utf-8">',
             f"<title>{title}</title>", f"<style>{STYLE}</style>"]  # fmt: skip
    tags = {"title": "h1", "heading": "h2", "subheading": "h3", "text": "p", "code": "pre"}
    for part in parts:
        if part.kind in tags:
            tag = tags[part.kind]
            lines.append(f"<{tag}>{escape(visible(part.text, keep=chr(10)))}</{tag}>")
        elif part.kind == "picture":
            lines += [write_svg(scene) for scene in part.pictures]
        else:
            lines.append("<table>")
            for number, row in enumerate(part.rows):
                cell = "td" if number else "th"
                cells = "".join(f"<{cell}>{escape(one)}</{cell}>" for one in row)
                lines.append(f"<tr>{cells}</tr>")
            lines.append("</table>")
    return "\n".join([*lines, "</html>", ""])


# ---------------------------------------------------------------------- PDF


def write_pdf(parts: Sequence[Part]) -> bytes:
    """A PDF on pages of the size A4, the typeface embedded."""
    from reportlab.lib.pagesizes import A4
    from reportlab.platypus import SimpleDocTemplate

    register()
    sink = io.BytesIO()
    title = parts[0].text if parts else ""
    document = SimpleDocTemplate(
        sink, pagesize=A4, leftMargin=54, rightMargin=54, topMargin=54, bottomMargin=54,
        title=title, author="", creator="Embrix", invariant=1, initialFontName=PLAIN,
    )  # fmt: skip
    flow: list[Any] = []
    for part in parts:
        flow += _flowables(part, document.width, document.height - 12)

    def numbered(canvas: Any, _document: Any) -> None:
        canvas.setFont(PLAIN, 8)
        canvas.drawRightString(A4[0] - 54, 30, str(canvas.getPageNumber()))

    document.build(flow, onFirstPage=numbered, onLaterPages=numbered)
    return sink.getvalue()


def _flowables(part: Part, width: float, height: float) -> Iterator[Any]:
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import Paragraph, Preformatted, Spacer, Table

    sizes = {"title": 18, "heading": 13, "subheading": 10}
    text = _shown(part.text)
    if part.kind in sizes:
        size = sizes[part.kind]
        style = ParagraphStyle(part.kind, fontName=BOLD, fontSize=size, leading=size * 1.3,
                               spaceBefore=size, spaceAfter=size * 0.4, keepWithNext=1)  # fmt: skip
        yield Paragraph(escape(text), style)
    elif part.kind == "text":
        style = ParagraphStyle("text", fontName=PLAIN, fontSize=9, leading=13, spaceAfter=5)
        yield Paragraph(escape(text), style)
    elif part.kind == "code":
        style = ParagraphStyle("code", fontName=PLAIN, fontSize=7.5, leading=10, spaceAfter=6)
        yield Preformatted(text, style, maxLineLength=110, newLineChars="  ")
    elif part.kind == "picture":
        for scene in part.pictures:
            yield _picture(scene, width, height)
            yield Spacer(1, 6)
    else:
        cell = ParagraphStyle("cell", fontName=PLAIN, fontSize=7, leading=9)
        head = ParagraphStyle("head", fontName=BOLD, fontSize=7, leading=9)
        rows = [[Paragraph(escape(_shown(one)), cell if number else head) for one in row]
                for number, row in enumerate(part.rows)]  # fmt: skip
        count = max(map(len, part.rows), default=1)
        shares = (0.34, 0.42, 0.24) if count == 3 else (1 / count,) * count
        yield Table(rows, colWidths=[width * share for share in shares], repeatRows=1, style=[
            ("LINEBELOW", (0, 0), (-1, 0), 0.8, "#000000"),
            ("LINEBELOW", (0, 1), (-1, -1), 0.3, "#bbbbbb"),
            ("VALIGN", (0, 0), (-1, -1), "TOP"), ("FONTNAME", (0, 0), (-1, -1), PLAIN),
        ])  # fmt: skip


def _shown(text: str) -> str:
    return "".join(c if c == "\n" or has(c) else "□" for c in visible(text, keep="\n"))


def _picture(scene: Scene, width: float, height: float) -> Any:
    """A scene as something that takes its place on a page, made smaller where it has to be."""
    from reportlab.platypus import Flowable

    scale = min(1.0, width / scene.width, height / scene.height)

    class Picture(Flowable):  # type: ignore[misc]
        def wrap(self, _width: float, _height: float) -> tuple[float, float]:
            return scene.width * scale, scene.height * scale

        def draw(self) -> None:
            self.canv.saveState()
            self.canv.scale(scale, scale)
            paint(self.canv, scene, ground=False)
            self.canv.restoreState()

    return Picture()
