"""A starter for students: a language with one interpreter in which chosen clauses are still to be
written, with its suite and programs. Nothing of a clause that was taken out is left in it."""

from __future__ import annotations

import json
import shutil
import tempfile
import tomllib
from collections.abc import Collection, Mapping
from itertools import pairwise
from pathlib import Path
from typing import Any

import tomlkit
from msgspec import Struct

from embrix.brix import syntax as s
from embrix.brix.core import Interpreter, Language
from embrix.course.finding import COURSE_FILE
from embrix.course.load import Course, load_course
from embrix.text.saving import before, sweep
from embrix.text.source import Source, Span, Unreadable, read_source
from embrix.text.suggest import did_you_mean
from embrix.text.toml_places import heads, read_toml


class NoStarter(Exception):
    """The starter cannot be made; the message says why."""


class Removed(Struct, frozen=True):
    """A form whose clauses were taken out of a function, and the texts that may be nowhere now."""

    function: str
    form: str
    texts: tuple[str, ...]


class Starter(Struct, frozen=True):
    """The files of a starter by their names, and what was taken out."""

    files: dict[str, str]
    removed: tuple[Removed, ...]


def make_starter(
    course: Course, language: str, interpreter: str, forms: Collection[str], hint: str = ""
) -> Starter:
    """The files of a starter. Raises `NoStarter`."""
    lane = course.interpreters.get(language, {}).get(interpreter)
    if lane is None or lane.syntax is None:
        known = ", ".join(course.interpreters.get(language, {}))
        raise NoStarter(f"{language} has no interpreter called {interpreter}; there are: {known}")
    edits: dict[str, list[tuple[int, int, str]]] = {}
    removed = [
        found for define in lane.syntax.functions for form in dict.fromkeys(forms)
        if (found := _taken_out(lane, define, form, hint, edits)) is not None
    ]  # fmt: skip
    missing = set(forms) - {one.form for one in removed}
    if missing or not removed:
        message = sorted(missing)[0] if missing else "of this kind"
        known_forms = [c.name for c in lane.language.signature.by_tag.values()]
        raise NoStarter(
            f"{interpreter} has no clause for {message}; {did_you_mean(message, known_forms)}"
        )
    files = {name: course.sources[name].text for name in _definitions(course, lane)}
    for name, changes in edits.items():
        files[name] = _edited(files[name], changes)
    files[COURSE_FILE] = (
        f"title = {json.dumps(f'{course.title}: {language}', ensure_ascii=False)}\n"
        f"about = {json.dumps('Clauses marked todo are yours to write.')}\n"
    )
    kept = {interpreter, *_bases(course, lane)}
    for path in course.suites:
        text = _suite(path, language, kept)
        if text is not None:
            files[path.relative_to(course.folder).as_posix()] = text
    for path in course.programs.get(language, ()):
        try:
            files[path.relative_to(course.folder).as_posix()] = read_source(path).text
        except Unreadable as fault:
            raise NoStarter(str(fault)) from fault
    _check(files, removed)
    return Starter(files, tuple(removed))


def _taken_out(
    lane: Interpreter, define: s.Define, form: str, hint: str,
    edits: dict[str, list[tuple[int, int, str]]],
) -> Removed | None:  # fmt: skip
    """Note in `edits` how the clauses of a function for a form become one `todo`."""
    rows = [row for row in define.rows if _is_for(row, form)]
    if not rows:
        return None
    fields = next((row.pattern if isinstance(row, s.Order) else row.patterns[0]) for row in rows
                  if isinstance(row, s.Clause | s.Order))  # fmt: skip
    text = hint or f"what {form} means"
    texts: list[str] = []
    for number, row in enumerate(rows):
        assert isinstance(row, s.Clause | s.Order)
        source = row.span.source or lane.source
        begin, end = _whole_lines(source, row.span)
        indent = source.text[begin : row.span.start]
        heads = ["_" for _ in define.subjects]
        heads[lane.functions[define.name].control_place if isinstance(row, s.Order) else 0] = _head(
            fields, form
        )
        head = ", ".join(heads)
        todo = f"{indent}{head} => todo {json.dumps(text, ensure_ascii=False)}\n"
        edits.setdefault(source.name, []).append((begin, end, "" if number else todo))
        body = row.body.span if isinstance(row, s.Clause) else row.span
        texts.append(source.text[body.start : body.end])
    return Removed(define.name, form, tuple(texts))


def _is_for(row: s.DefineRow, form: str) -> bool:
    if isinstance(row, s.Order):
        return isinstance(row.pattern, s.PMake) and row.pattern.name == form
    if not isinstance(row, s.Clause):
        return False
    first = row.patterns[0]
    while isinstance(first, s.PAs):
        first = first.inner
    return isinstance(first, s.PMake) and first.name == form


def _head(pattern: s.Pattern, form: str) -> str:
    """The form with plain names or holes for its fields: what stood in them may say too much."""
    while isinstance(pattern, s.PAs):
        pattern = pattern.inner
    assert isinstance(pattern, s.PMake)
    if pattern.fields is not None or not pattern.args:
        return form
    names = [one.name if isinstance(one, s.PVar) else "_" for one in pattern.args]
    return f"{form}({', '.join(names)})"


def _whole_lines(source: Source, span: Span) -> tuple[int, int]:
    """From the beginning of the first line of a place to the end of its last one, comments behind
    it included."""
    begin = source.text.rfind("\n", 0, span.start) + 1
    end = source.text.find("\n", max(span.start, span.end - 1))
    return begin, len(source.text) if end < 0 else end + 1


def _edited(text: str, changes: list[tuple[int, int, str]]) -> str:
    for begin, end, instead in sorted(changes, reverse=True):
        text = text[:begin] + instead + text[end:]
    return text


def _bases(course: Course, lane: Interpreter) -> list[str]:
    """The names of the interpreters of the same language that an interpreter extends."""
    found: list[str] = []
    at: Interpreter | None = lane
    while at is not None and at.syntax is not None and at.syntax.base is not None:
        language, name, _ = at.syntax.base
        at = course.interpreters.get(language, {}).get(name)
        if at is not None and language == lane.language.name:
            found.append(name)
    return found


def _definitions(course: Course, lane: Interpreter) -> list[str]:
    """The files of a language and its interpreter: their own, those of what they extend, and all
    libraries."""
    names: dict[str, None] = {}
    language: Language | None = lane.language
    while language is not None:
        names[language.source.name] = None
        base = getattr(language.syntax, "base", None)
        name = base[0] if base else None
        language = course.languages.get(name) if name else None
    at: Interpreter | None = lane
    while at is not None:
        names[at.source.name] = None
        own = at.syntax.base if at.syntax is not None else None
        at = course.interpreters.get(own[0], {}).get(own[1]) if own else None
    for library in course.libraries.values():
        names[library.source.name] = None
    return [name for name in names if name in course.sources]


def _suite(path: Path, language: str, lanes: Collection[str]) -> str | None:
    """A suite of the language with what it says of other lanes left out; entries that say nothing
    of them stay as they are written, with their comments."""
    try:
        text = read_source(path).text
        if read_toml(text).get("language") != language:
            return None
        places = [at for at, _ in heads(text, ("case", "question"))]
        blocks = [text[a:b] for a, b in pairwise([0, *places, len(text)])]
        return "".join([blocks[0], *(_entry(block, lanes) for block in blocks[1:])])
    except (Unreadable, tomllib.TOMLDecodeError):
        return None


def _entry(block: str, lanes: Collection[str]) -> str:
    """One entry of a suite, and the tables without meaning that stand behind it. Raises
    TOMLDecodeError."""
    tables = read_toml(block)
    kind = next(iter(tables))
    data = tables[kind][0]
    left = _for_lanes(data, lanes)
    if left == data:
        return block
    kept = {**tables, kind: [left]} if left is not None else {**tables}
    if left is None:
        del kept[kind]
    return tomlkit.dumps(kept) + "\n" if kept else ""


def _for_lanes(entry: Mapping[str, Any], lanes: Collection[str]) -> dict[str, Any] | None:
    """What a case says of some lanes; None when that is nothing."""

    def known(name: str) -> bool:
        return name.partition("[")[0].strip() in lanes

    left: dict[str, Any] = {}
    for key, value in entry.items():
        if key in ("for", "steps") and isinstance(value, Mapping):
            kept = {name: one for name, one in value.items() if known(name)}
            if kept:
                left[key] = kept
        elif key == "lanes" and isinstance(value, list):
            left[key] = [name for name in value if known(name)]
            if not left[key]:
                return None
        else:
            left[key] = value
    no_expectation = {
        "name", "why", "program", "file", "lanes", "tags", "given", "input", "grammar", "origin",
        "calls",
    }  # fmt: skip
    return left if set(left) - no_expectation else None


def _check(files: Mapping[str, str], removed: Collection[Removed]) -> None:
    """The starter loads, and holds nothing of what was taken out. Raises `NoStarter`."""
    for one in removed:
        for text in one.texts:
            plain = " ".join(text.split())
            if len(plain) < 2 or plain.isidentifier():
                continue  # a name or a sign says nothing
            for name, content in files.items():
                if plain in " ".join(content.split()):
                    raise NoStarter(
                        f"the clause of {one.function} for {one.form} also stands in {name}: "
                        f"take out what is alike there as well"
                    )
    with tempfile.TemporaryDirectory(prefix="embrix-") as scratch:
        write_files(files, Path(scratch) / "starter")
        course = load_course(Path(scratch) / "starter")
        errors = [d for d in course.diagnostics if d.severity == "error"]
        if errors:
            raise NoStarter(f"the starter would not load: {errors[0].message}")


def write_files(files: Mapping[str, str], folder: Path) -> None:
    """Write files into a folder that does not exist yet, all of them or none. Raises OSError."""
    if folder.exists():
        raise FileExistsError(17, "it exists already", str(folder))
    sweep(folder)
    made = Path(tempfile.mkdtemp(prefix=before(folder), suffix="~", dir=folder.parent))
    try:
        for name, text in files.items():
            path = made / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text, encoding="utf-8")
        made.chmod(0o755)
        made.rename(folder)
    except BaseException:
        shutil.rmtree(made, ignore_errors=True)
        raise
