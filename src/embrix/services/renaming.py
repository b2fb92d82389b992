"""What a name in a definition means: where it is declared and used, and another name for it."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from functools import partial
from pathlib import Path

from embrix.brix import declared
from embrix.brix import syntax as s
from embrix.brix.builtin_help import FUNCTIONS
from embrix.brix.declared import Meaning
from embrix.brix.occurrences import Occurrence, occurrences
from embrix.brix.pattern_reader import WORDS
from embrix.course.checked import MEMORY
from embrix.course.load import load_course
from embrix.course.meanings import remembered_definitions, syntax_of
from embrix.lanes.session import Session
from embrix.messages.replies_on_writing import FileChange, NameHere, NamePlace, Renaming
from embrix.suite.mentions import language_of, mentions
from embrix.text.diagnostic import Findings
from embrix.text.line_difference import difference
from embrix.text.plural import counted
from embrix.text.source import Source, Unreadable, read_source

CAPITAL = ("type", "form", "error", "rule")
"""Kinds of names that begin with a capital."""


class Names:
    """Every name in the definitions of a course; `own` holds texts by file in place of others."""

    def __init__(self, session: Session, own: Mapping[str, str]) -> None:
        self.session = session
        self.own = own
        self.texts = {**dict(texts_of(session)), **own}
        self.definitions: list[s.DefinitionSyntax] = []
        self.unread: list[str] = []
        """Definitions with parts that cannot be read."""
        for file, text in self.texts.items():
            if file.endswith(".brix"):
                source = MEMORY.source(file, text, self.session.course.folder / file)
                for part in remembered_definitions(source):
                    syntax, found = syntax_of(part)
                    if syntax is not None:
                        self.definitions.append(syntax)
                    if syntax is None or any(one.severity == "error" for one in found):
                        self.unread.append(file)
        course = declared.Declarations(self.definitions)
        self.all: list[Occurrence] = []
        for one in course.all:
            seen = tuple(other.syntax for other in course.seen_from(one))
            self.all += MEMORY.recall("names", seen, partial(_occurrences, course, one))[0]

    def at(self, file: str, offset: int) -> Occurrence | None:
        """The name that the cursor is on, or right behind."""
        here = [one for one in self.all if one.file == file and one.start <= offset <= one.end]
        return max(here, key=lambda one: one.start, default=None)

    def of(self, meaning: Meaning) -> list[Occurrence]:
        """Everywhere something is meant. Errors that lanes declare under one name are one thing:
        suites expect them by that name on all lanes."""
        if meaning.kind == "error":
            return [one for one in self.all if (one.meaning.kind, one.meaning.name)
                    == ("error", meaning.name)]  # fmt: skip
        return [one for one in self.all if one.meaning == meaning]

    def mentioned(self, meaning: Meaning) -> Iterator[tuple[str, int]]:
        """The places of suites and of `course.toml` that mention something."""
        course = declared.Declarations(self.definitions)
        declaring = course.at(meaning.file, meaning.start)
        languages = {
            one.syntax.language if isinstance(one.syntax, s.InterpreterSyntax) else one.syntax.name
            for one in course.all
            if declaring in course.seen_from(one)
        }
        owner = next((of.name for one in course.all
                      for (of, _), inner in one.inner.items() if inner == meaning), "")  # fmt: skip
        for file, text in self.texts.items():
            suite = file.endswith(".suite.toml")
            known = meaning.kind == "error" or language_of(text) in languages
            if (suite and known) or file == "course.toml":
                for start in mentions(text, meaning.kind, meaning.name, owner):
                    yield file, start


def _occurrences(
    course: declared.Declarations, one: declared.Declared, _: Findings
) -> list[Occurrence]:
    return occurrences(course, one)


def texts_of(session: Session) -> Iterator[tuple[str, str]]:
    """The texts of the files of a course as they count."""
    course = session.course
    for file, source in course.sources.items():
        yield file, source.text
    unsaved = {Path(path).resolve(): text for path, text in session.unsaved.items()}
    for path in course.suites:
        text = unsaved.get(path)
        try:
            message = read_source(path).text if text is None else text
        except Unreadable:
            continue
        yield path.relative_to(course.folder).as_posix(), message


def name_here(session: Session, file: str, text: str, offset: int) -> NameHere:
    """What the name at a place of a file means; `kind` is empty where there is none."""
    names = Names(session, {file: text})
    found = names.at(file, offset)
    if found is None:
        return _built_in(text, offset)
    meaning = found.meaning
    places = [_place(names, one.file, one.start) for one in names.of(meaning)]
    places += [_place(names, *one) for one in names.mentioned(meaning)]
    return NameHere(
        meaning.kind, meaning.name, meaning.about, _place(names, meaning.file, meaning.start),
        places,
    )  # fmt: skip


def _built_in(text: str, offset: int) -> NameHere:
    for word in re.finditer(r"\w+", text):
        if word.start() <= offset <= word.end() and word[0] in FUNCTIONS:
            return NameHere("built-in", word[0], built_in_text(word[0]))
    return NameHere()


def built_in_text(name: str) -> str:
    """A built-in function with its types, what it is for, and an example."""
    one = FUNCTIONS[name]
    return f"{one.call}\n{one.meaning}; {one.example} gives {one.gives}"


def _place(names: Names, file: str, start: int) -> NamePlace:
    source = Source(file, names.texts[file])
    line, column = source.position(start)
    return NamePlace(file, line, column, source.line(line).strip())


# ---------------------------------------------------------------------- another name


def renamed(session: Session, file: str, text: str, offset: int, new: str) -> Renaming:
    """What the files of a course would be if something had another name everywhere it is meant.
    Refused where afterwards a name would mean something else, or more would be wrong."""
    names = Names(session, {file: text})
    found = names.at(file, offset)
    if found is None:
        return Renaming("no name of the course stands here")
    meaning = found.meaning
    wrong = _unfit(meaning, new)
    if wrong:
        return Renaming(wrong)
    if names.unread:
        return Renaming(
            f"{names.unread[0]} cannot be read as a whole, so not every use is known: mend it first"
        )
    edits: dict[str, list[int]] = {}
    for one in names.of(meaning):
        edits.setdefault(one.file, []).append(one.start)
    for place, start in names.mentioned(meaning):
        edits.setdefault(place, []).append(start)
    texts = {
        name: _changed(names.texts[name], starts, len(meaning.name), new)
        for name, starts in edits.items()
    }
    why = _worse(names, meaning, new, texts)
    if why:
        return Renaming(why)
    return Renaming(
        "", meaning.kind, meaning.name, sum(map(len, edits.values())),
        [FileChange(name, names.texts[name], changed) for name, changed in sorted(texts.items())],
        _lines(names, texts),
    )  # fmt: skip


def _unfit(meaning: Meaning, new: str) -> str:
    """Why a name cannot be taken, if it cannot."""
    capital = meaning.kind in CAPITAL
    if not re.fullmatch(r"[A-Z]\w*" if capital else r"[a-z_]\w*", new, re.ASCII):
        kind = "a capital" if capital else "a small letter"
        return (
            f"the name of a {meaning.kind} begins with {kind} and goes on with letters, digits, _"
        )
    if new == meaning.name:
        return f"it is called {new} already"
    if new in WORDS or new in ("true", "false", "empty", "_"):
        return f"`{new}` is a word of the notation"
    return ""


def _changed(text: str, starts: list[int], length: int, new: str) -> str:
    for start in sorted(set(starts), reverse=True):
        text = text[:start] + new + text[start + length :]
    return text


def _worse(names: Names, meaning: Meaning, new: str, texts: Mapping[str, str]) -> str:
    """Why the course would be worse with other texts, if it would: another name means something
    else, or there are more errors."""
    folder = names.session.course.folder
    after = Names(names.session, {**names.own, **texts})
    moved: dict[str, list[int]] = {}
    for one in names.of(meaning):
        moved.setdefault(one.file, []).append(one.start)

    def place(file: str, start: int) -> tuple[str, int]:
        before = sum(at < start for at in moved.get(file, ()))
        return file, start + before * (len(new) - len(meaning.name))

    meant = {place(o.file, o.start): place(o.meaning.file, o.meaning.start) for o in names.all}
    means = {(o.file, o.start): (o.meaning.file, o.meaning.start) for o in after.all}
    for at, other in sorted(means.items()):
        if meant.get(at) != other:
            where = _place(after, *at)
            line_there = f"{where.file}:{where.line}: {where.text}"
            return f"then {new} would mean something else in {line_there}"
    for at in sorted(meant.keys() - means.keys()):
        where = _place(after, *at)
        return f"then a name in {where.file}:{where.line} would mean nothing: {where.text}"
    unsaved = {**names.session.unsaved, **{folder / file: text for file, text in names.own.items()}}
    before = [d for d in load_course(folder, unsaved).diagnostics if d.severity == "error"]
    unsaved.update({folder / file: text for file, text in texts.items()})
    errors = [d for d in load_course(folder, unsaved).diagnostics if d.severity == "error"]
    if len(errors) > len(before):
        known = {d.message for d in before}
        first = next((d for d in errors if d.message not in known), errors[0])
        return f"then there would be an error: {first.message}"
    return ""


def _lines(names: Names, texts: Mapping[str, str]) -> list[str]:
    """The lines that change, under the name of each file."""
    lines = [counted(len(texts), "file")]
    for file, text in sorted(texts.items()):
        changed = difference(names.texts[file], text, around=0)
        lines += [f"{file}:", *(line for line in changed if line[:1] in "+-")]
    return lines
