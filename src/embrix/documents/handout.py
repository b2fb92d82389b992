"""What a handout holds: what languages are, their rules, programs with their runs, their cases; or
one program with the steps of its run that were marked."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, Literal

from msgspec import Struct, field

from embrix.documents.case_table import HEAD, case_rows
from embrix.documents.pictures import NoPicture
from embrix.draw.derivations import derivation_of, draw_derivation
from embrix.draw.environments import draw_environment
from embrix.draw.railroad import draw_grammar
from embrix.draw.rule_pictures import draw_rules
from embrix.draw.rules_on_paper import rules_on_paper
from embrix.draw.runs import draw_reduction
from embrix.draw.scene import Scene
from embrix.draw.trees import draw_tree, tree_of_rows
from embrix.lanes.inspection import look, with_rest
from embrix.lanes.results import ending
from embrix.lanes.session import Session
from embrix.machine.limits import Limits
from embrix.text.diagnostic import Findings
from embrix.text.source import Unreadable, read_source
from embrix.text.visible import visible
from embrix.trace.walk import Walk

APART = 1.0
"""A height at which each part of a picture stands alone: pages are filled with them one by one."""
HIGH = 120.0
"""Points of height of a reduction sequence that stay together."""
WIDE = 640.0
"""Points of width that a derivation may take before it goes on at another picture."""
SHORT = 30
"""Characters of each value in a derivation: the whole program stands above it."""
DEEP = 4
"""Levels of a derivation that are shown."""
SMALL = 60
"""Judgements up to which the derivation of a program is drawn."""
LIMITS = Limits(calls=200_000, depth=20_000, output=20_000, events=100_000)


class HandoutPart(Struct, frozen=True):
    """A piece of a handout, in the order of reading."""

    kind: Literal["title", "heading", "subheading", "text", "code", "picture", "table"]
    text: str = ""
    pictures: tuple[Scene, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()


class Selection(Struct, frozen=True):
    """What a handout is made of. Without lanes or programs all of a language are meant; with
    `marks`, numbers of steps, only the programs with these steps of their runs."""

    languages: tuple[str, ...]
    lanes: tuple[str, ...] = ()
    programs: tuple[tuple[str, str], ...] | None = None
    """Names and texts."""
    marks: tuple[int, ...] = ()
    tags: tuple[str, ...] = ()
    """Only cases with one of these; all where there is none."""
    notes: str = ""
    given: dict[str, str] = field(default_factory=dict)
    input: tuple[str, ...] = ()
    written: bool = False
    """Whether the grammar is written instead of drawn."""


def handout(session: Session, chosen: Selection) -> list[HandoutPart]:
    """The parts of a handout. Raises `NoLane` for an unknown lane and `NoPicture` for a program
    that cannot be read."""
    course = session.course
    one = f": {chosen.languages[0]}" if len(chosen.languages) == 1 else ""
    parts = [HandoutPart("title", f"{course.title}{one}")]
    if not one and course.about:
        parts.append(HandoutPart("text", course.about))
    parts += [HandoutPart("text", line) for line in chosen.notes.split("\n\n") if line.strip()]
    for language in chosen.languages:
        if not one:
            parts.append(HandoutPart("heading", language))
        names = list(chosen.lanes or course.interpreters.get(language, {}))
        if not chosen.marks:
            parts += _definition(session, language, names, written=chosen.written)
        programs = chosen.programs
        if programs is None:
            programs = tuple(_texts(course.programs.get(language, ())))
        if programs and not chosen.marks:
            parts.append(HandoutPart("heading", "Programs"))
        for name, text in programs:
            parts += _program(session, language, names, name, text, chosen)
        if not chosen.marks:
            parts += _cases(session, language, names, chosen.tags)
    return parts


def _definition(
    session: Session, language: str, names: Sequence[str], *, written: bool
) -> Iterator[HandoutPart]:
    """What a language says of itself, its grammar, its forms, the rules of its interpreters."""
    target = session.course.languages[language]
    if target.doc:
        yield HandoutPart("text", target.doc)
    yield from (HandoutPart("text", f"{title}: {text}") for title, text in target.notes)
    if target.grammar is not None:
        drawing = draw_grammar(target.grammar, "grammar", high=APART)
        yield HandoutPart("heading", "Grammar")
        if written:
            yield HandoutPart("code", drawing.text)
        else:
            yield HandoutPart("picture", pictures=drawing.pages)
    yield HandoutPart("heading", "Forms")
    yield HandoutPart("code", "\n".join(_forms(session, language)))
    for name in names:
        interpreter = session.lane(language, name).interpreter
        rules = rules_on_paper(interpreter)
        if not rules:
            continue
        yield HandoutPart("heading", f"Rules of {name}")
        if interpreter.doc:
            yield HandoutPart("text", interpreter.doc)
        yield HandoutPart("picture", pictures=draw_rules(rules, name, high=APART, pairs=True).pages)


def _texts(paths: Sequence[Path]) -> Iterator[tuple[str, str]]:
    """Programs by name, with their texts. Raises `NoPicture`."""
    for path in paths:
        try:
            yield path.name, read_source(path).text
        except Unreadable as fault:
            raise NoPicture(str(fault)) from fault


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


def _program(
    session: Session, language: str, lanes: Sequence[str], name: str, text: str, chosen: Selection
) -> Iterator[HandoutPart]:
    yield HandoutPart("subheading", name)
    yield HandoutPart("code", text.rstrip("\n"))
    found = look(session, language, text)
    tree = tree_of_rows(with_rest(found.tree, found.cut))
    if tree is not None:
        yield HandoutPart("picture", pictures=draw_tree(tree, name).pages)
    rows: list[tuple[str, ...]] = []
    drawn: list[HandoutPart] = []
    for one in lanes:
        lane = session.lane(language, one)
        result = lane.run(text, chosen.given, limits=LIMITS, given_input=chosen.input)
        cost = result.costs.get("steps") or result.costs.get("judgements") or 0
        unit = "steps" if result.costs.get("steps") else "judgements"
        rows.append((one, visible(ending(result)), f"{cost:,} {unit}"))
        if not chosen.marks and (cost > SMALL or not cost):
            continue
        traced = lane.trace(text, chosen.given, limits=LIMITS, given_input=chosen.input)
        if traced.term is None:
            continue
        walk = Walk(lane, traced)
        drawn.append(HandoutPart("text", f"{name} on {one}:"))
        drawn += _steps(walk, chosen.marks) if chosen.marks else [_run(walk, one)]
    yield HandoutPart("table", rows=(("lane", "outcome", "cost"), *rows))
    yield from drawn


def _run(walk: Walk, name: str) -> HandoutPart:
    """The steps of a run, or its derivation."""
    if walk.style == "reductions":
        return HandoutPart("picture", pictures=draw_reduction(walk, name, WIDE, HIGH).pages)
    root = derivation_of(walk, 0, DEEP, SHORT)
    pictures = draw_derivation(root, name, WIDE).pages if root is not None else ()
    return HandoutPart("picture", pictures=pictures)


def _steps(walk: Walk, marks: Sequence[int]) -> Iterator[HandoutPart]:
    """Marked steps: what stands there, the names of that step, what is concluded."""
    for number in marks:
        if not 0 <= number < len(walk):
            continue
        yield HandoutPart("subheading", f"Step {number:,}")
        yield HandoutPart("code", walk.step(number, renewed=False).text)
        if walk.style == "reductions":
            continue
        if walk.environment_at(number) is not None:
            yield HandoutPart(
                "picture", pictures=draw_environment(walk, number, f"step {number}").pages
            )
        root = derivation_of(walk, walk.judgement_at(number), DEEP, SHORT)
        if root is not None and root.premises:
            pictures = draw_derivation(root, f"step {number}", WIDE).pages
            yield HandoutPart("picture", pictures=pictures)


def _cases(
    session: Session, language: str, lanes: Sequence[str], tags: Sequence[str]
) -> Iterator[HandoutPart]:
    for path in session.course.suites:
        suite = session.suite(path, Findings())
        if suite is not None and suite.language == language:
            yield HandoutPart("heading", "Cases")
            yield HandoutPart("table", rows=(HEAD, *case_rows(suite, lanes, tags)))
