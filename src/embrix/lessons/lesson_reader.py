"""Reading a `.lesson.toml`. What is wrong is located and reported; the other stops stay."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Collection, Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any, ParamSpec, TypeVar, cast, get_args

from embrix.lanes.session import Session
from embrix.lessons.lesson import (
    COVERED,
    HAPPENINGS,
    SHOWN,
    Covered,
    Happening,
    Lesson,
    LessonStop,
    Shown,
    Where,
)
from embrix.suite.entries import Entries, Wrong, tables
from embrix.suite.read import read_program
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span, Unreadable, read_source
from embrix.text.suggest import did_you_mean
from embrix.text.toml_places import fault_place, read_toml

LESSON_KEYS = ("title", "language", "about", "stop")
STOP_KEYS = (
    "name", "program", "file", "lanes", "where", "show", "notes", "question", "cover", "answer",
    "given", "input", "ways",
)  # fmt: skip
MOST_TIMES = 100_000

P = ParamSpec("P")
T = TypeVar("T")


def read_lesson(
    source: Source, lanes: Mapping[str, Collection[str]], findings: Findings
) -> Lesson | None:
    """The lesson in a file, or None when nothing of it can be used. `lanes` gives for each language
    of the course its interpreters."""
    entries = Entries(source, findings, ("stop",), "bad_lesson")
    try:
        data = read_toml(source.text, parse_float=str)
    except tomllib.TOMLDecodeError as bad:
        findings.error("bad_lesson", f"this is not TOML: {bad}", source, fault_place(source, bad))
        return None
    try:
        title = entries.text(data, "title", None, needed=True)
        language = entries.text(data, "language", None, needed=True)
        about = entries.text(data, "about", None)
    except Wrong:
        return None
    if language not in lanes:
        findings.error(
            "unknown_language", f"there is no language called {language}", source,
            entries.entry(None, "language"), did_you_mean(language, lanes),
        )  # fmt: skip
        return None
    data = entries.unknown_keys(data, LESSON_KEYS, None)
    found = tables(data.get("stop", []))
    if not found:
        findings.error(
            "bad_lesson", "a lesson has stops, written as [[stop]]", source,
            entries.entry(None, "stop"),
        )  # fmt: skip
        return None
    stops: list[LessonStop] = []
    for part, table in enumerate(found):
        try:
            stops.append(_stop(entries, table, part, lanes[language], stops[-1:]))
        except Wrong:
            name = table.get("name")
            name = name if isinstance(name, str) else f"stop {part + 1}"
            stops.append(LessonStop(name, "", "", (), entries.entry(part, "name")))
    return Lesson(source, title, language, about, tuple(stops))


def _stop(
    entries: Entries,
    table: Mapping[str, Any],
    part: int,
    lanes: Collection[str],
    before: list[LessonStop],
) -> LessonStop:
    """A stop; what it does not say of its program and lanes is as at the stop before. Raises
    `Wrong` where there is no program or no lane; what else is wrong is reported and left out."""
    data = entries.unknown_keys(table, STOP_KEYS, part)
    name = entries.text(data, "name", part, needed=True)
    program, file = _program(entries, data, part)
    own = _lanes(entries, data, part, lanes)
    same = program is None
    if not before and (same or not own):
        raise entries.wrong(part, "name", "the first stop says which program runs on which lanes",
                            'write file = "…" (or program = "…") and lanes = ["…"]')  # fmt: skip
    if (same or not own) and not before[0].lanes:
        raise Wrong  # what is wrong at the stop before has been said
    if program is None:
        program, file = before[0].program, before[0].file
    answers = _or({}, _answers, entries, data, part, lanes)
    if len(own) < len(data.get("lanes", ())):  # an answer may be that of a lane that is left out
        answers = {lane: text for lane, text in answers.items() if lane in ("", *own)}
    return LessonStop(
        name, program, file, own or before[0].lanes, entries.entry(part, "name"),
        _or(None, _where, entries, data, part), _or("walk", _shown, entries, data, part),
        _or("", entries.text, data, "notes", part), _or("", entries.text, data, "question", part),
        _covered(entries, data, part), answers,
        _or({}, _given, entries, data, part) if "given" in data or not same else before[0].given,
        _or((), entries.texts, data, "input", part, "lines") if "input" in data or not same
        else before[0].input,
        _or((), _ways, entries, data, part),
    )  # fmt: skip


def _or(left_out: T, read: Callable[P, T], *args: P.args, **names: P.kwargs) -> T:
    """What is read, or what stands for it where it is wrong, which has been reported then."""
    try:
        return read(*args, **names)
    except Wrong:
        return left_out


def _lanes(
    entries: Entries, data: Mapping[str, Any], part: int, lanes: Collection[str]
) -> tuple[str, ...]:
    """The lanes of a stop that there are; none where it names none. Raises `Wrong` where it names
    some, and there is none of them."""
    named = entries.texts(data, "lanes", part, "lanes")
    found: list[str] = []
    for lane in named:
        with suppress(Wrong):
            entries.lane(lane, lanes, part, "lanes")
            found.append(lane)
    if named and not found:
        raise Wrong
    return tuple(found)


def _given(entries: Entries, data: Mapping[str, Any], part: int) -> dict[str, str]:
    given = entries.table(data, "given", part)
    if not all(isinstance(one, str) for one in given.values()):
        raise entries.wrong(part, "given", "`given` names expressions", 'given = { x = "5" }')
    return given


def _program(
    entries: Entries, data: Mapping[str, Any], part: int
) -> tuple[str, str] | tuple[None, str]:
    if "program" in data and "file" in data:
        raise entries.wrong(part, "file", "`program` and `file` exclude each other")
    if "program" in data:
        return entries.text(data, "program", part), ""
    if "file" not in data:
        return None, ""
    file = entries.text(data, "file", part)
    try:
        return read_program(entries.source, file), file
    except Unreadable as fault:
        raise entries.wrong(part, "file", str(fault)) from fault


def _where(entries: Entries, data: Mapping[str, Any], part: int) -> Where | None:
    if "where" not in data:
        return None
    table = entries.table(data, "where", part)
    known = get_args(Happening)
    kinds = [key for key in table if key in known]
    odd = [key for key in table if key not in known and key != "time"]
    if len(kinds) != 1 or odd:
        wrong = odd[0] if odd else ""
        raise entries.wrong(
            part, "where", "`where` names one thing that happens"
            + (f"; {wrong} is none" if wrong else ""),
            did_you_mean(wrong, known, "there are " + ", ".join(known)),
        )  # fmt: skip
    kind = cast(Happening, kinds[0])
    what, time = table[kind], table.get("time", 1)
    if isinstance(time, bool) or not isinstance(time, int) or not 1 <= time <= MOST_TIMES:
        raise entries.wrong(part, "where", "`time` counts from one")
    if kind in ("output", "end"):
        if what is not True:
            raise entries.wrong(part, "where", f"`{kind}` is true or is left out",
                                f"write where = {{ {kind} = true }}")  # fmt: skip
        return Where(kind, "", time)
    number = kind == "step"
    if isinstance(what, bool) or not isinstance(what, int if number else str) or what in ("", -1):
        wanted = "a number" if number else "a text"
        raise entries.wrong(part, "where", f"`{kind}` is {wanted}: {HAPPENINGS[kind]}")
    return Where(kind, str(what), time)


def _shown(entries: Entries, data: Mapping[str, Any], part: int) -> Shown:
    shown = entries.text(data, "show", part) or "walk"
    if shown not in SHOWN:
        hint = did_you_mean(shown, SHOWN, "there are " + ", ".join(SHOWN))
        raise entries.wrong(part, "show", f"nothing called {shown} can be shown", hint)
    return shown


def _covered(entries: Entries, data: Mapping[str, Any], part: int) -> tuple[Covered, ...]:
    """What is covered: everything where that is wrong, so that nothing is given away."""
    everything = tuple(COVERED)
    covered = _or(everything, entries.texts, data, "cover", part, "what is covered")
    odd = [one for one in covered if one not in COVERED]
    if odd:
        hint = did_you_mean(odd[0], COVERED, "there are " + ", ".join(COVERED))
        entries.wrong(part, "cover", f"{odd[0]} cannot be covered", hint)
        return everything
    return cast("tuple[Covered, ...]", covered)


def _answers(
    entries: Entries, data: Mapping[str, Any], part: int, lanes: Collection[str]
) -> dict[str, str]:
    """What each lane must give: one text for all, or a table."""
    answer = data.get("answer")
    if answer is None:
        return {}
    table = answer if isinstance(answer, dict) else {"": answer}
    found: dict[str, str] = {}
    for lane, text in table.items():
        if lane:
            entries.lane(lane, lanes, part, lane)
        if isinstance(text, bool) or not isinstance(text, str | int):
            raise entries.wrong(part, "answer", "an answer is what a lane gives, as it is printed",
                                'answer = "60", or answer.by_need = "error Unbound"')  # fmt: skip
        found[lane] = str(text)
    return found


def _ways(entries: Entries, data: Mapping[str, Any], part: int) -> tuple[int, ...]:
    ways = data.get("ways", [])
    fine = isinstance(ways, list) and all(
        isinstance(one, int) and not isinstance(one, bool) and one >= 1 for one in ways
    )
    if not fine:
        raise entries.wrong(part, "ways", "`ways` are numbers of ways, from one", "ways = [2, 1]")
    return tuple(one - 1 for one in ways)


def lesson_of(session: Session, path: Path, findings: Findings) -> Lesson | None:
    """A lesson of a course, or None when it cannot be read."""
    course = session.course
    try:
        name = path.resolve().relative_to(course.folder.resolve()).as_posix()
    except ValueError:
        name = path.name
    text = session.unsaved.get(path.resolve())
    try:
        source = read_source(path, name) if text is None else Source(name, text, path)
    except Unreadable as fault:
        findings.error("unreadable_file", str(fault), Source(name, "", path), Span(0, 0))
        return None
    lanes = {
        language: [*course.interpreters.get(language, {}), *course.broken.get(language, ())]
        for language in course.languages
    }
    return read_lesson(source, lanes, findings)
