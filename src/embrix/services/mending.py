"""Repairs of what the notes say: guessed from the hint of a note, and offered only when the course,
read with the repair, no longer has that note and no error that it did not have before."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from embrix.brix.parted import definition_at
from embrix.checking.diagnostics import note_of
from embrix.lanes.session import Session
from embrix.messages.replies import Note
from embrix.messages.replies_on_writing import TextChange
from embrix.services.form_repair import with_form
from embrix.text.diagnostic import Findings
from embrix.text.line_difference import difference
from embrix.text.source import Source

MOST_CLAUSES = 40
"""Clauses that are written at once."""
_CLOSES = {"(": ")", "[": "]"}


def mended(session: Session, file: str, text: str, line: int) -> TextChange:
    """What a file of the course would be if the note on a line (counted from one) were mended;
    the course is read with `text` in place of what the file holds."""
    notes = _notes(session, file, text)
    here = [note for note in notes if note.file == file and note.line == line]
    if not here:
        return TextChange("there is no error or warning on this line")
    for note in sorted(here, key=lambda one: one.severity != "error"):
        for candidate in _candidates(text, note):
            found = _accepted(session, file, candidate, note, notes)
            if found is not None:
                return TextChange("", text, found, difference(text, found))
    return TextChange("no repair is known for this; its message says what is wrong")


def _notes(session: Session, file: str, text: str) -> list[Note]:
    own = {session.course.folder / Path(file): text}
    read = Session(session.course.folder, {**session.unsaved, **own})
    findings = Findings()
    if file.endswith(".suite.toml"):
        read.suite(session.course.folder / Path(file), findings)
    return [note_of(finding) for finding in (*read.course.diagnostics, *findings.sorted())]


def _accepted(
    session: Session, file: str, candidate: str, note: Note, before: list[Note]
) -> str | None:
    """The text, with all clauses that are missing in the same function, if it mends the note."""
    after = _notes(session, file, candidate)
    for _ in range(MOST_CLAUSES):
        more = [one for one in after if _same(one, note) and one.code == "missing_clause"]
        if not more:
            break
        candidate = _with_clause(candidate, more[0]) or candidate
        after = _notes(session, file, candidate)
    known = {(one.file, one.code, one.message) for one in before}
    worse = any(
        one.severity == "error" and (one.file, one.code, one.message) not in known for one in after
    )
    gone = sum(_same(one, note) for one in after) < sum(_same(one, note) for one in before)
    return candidate if gone and not worse else None


def _same(one: Note, other: Note) -> bool:
    if other.code == "missing_clause":
        return one.code == other.code and one.file == other.file and one.line == other.line
    return (one.code, one.file, one.message) == (other.code, other.file, other.message)


# ---------------------------------------------------------------------- guesses


def _candidates(text: str, note: Note) -> Iterator[str]:
    """Texts in which a note may be mended."""
    alone, whole = definition_at(text, Source("", text).offset(note.line, note.column))
    yield from map(whole, _for_definition(alone, note))


def _for_definition(text: str, note: Note) -> Iterator[str]:
    """Texts of a definition in which a note about it may be mended."""
    source = Source("", text)
    start = source.offset(note.line, note.column)
    end = source.offset(note.end_line, note.end_column)
    hint = note.hint
    for pattern in (
        r"did you mean (\S+)\?",
        r"write (\S+?)(,.*| in its place.*)?",
        r"quote it: (.+)",
    ):
        found = re.fullmatch(pattern, hint)
        if found is not None:
            word = found[1].strip("`")
            yield text[:start] + word + text[end:]
            # The note may be about more than the word that is wrong, but the message names that.
            for one in re.finditer(r"\w+", text[start:end]):
                if re.search(rf"\b{one[0]}\b", note.message):
                    yield text[: start + one.start()] + word + text[start + one.end() :]
    around = re.fullmatch(r"write (\w+)\(…\)", hint)
    if around is not None:
        yield f"{text[:start]}{around[1]}({text[start:end]}){text[end:]}"
    if hint.startswith("remove"):
        yield text[:start] + text[end:].removeprefix(" ")
    if note.code == "unknown_constructor":
        declaring = with_form(text, start)
        if declaring is not None:
            yield declaring
    if note.code == "missing_clause":
        made = _with_clause(text, note)
        if made is not None:
            yield made
    if note.code == "partial_let":
        more = hint.removeprefix("add: ").replace("…", "what is given then")
        yield f"{text[:end]} {more}{text[end:]}"
    columns = re.search(
        r"not indented like the one above it \((\d+) columns?, not (\d+)\)", note.message
    )
    if columns is not None:
        yield _moved(text, note.line - 1, int(columns[1]), int(columns[2]))
    declared = re.fullmatch(r"declare: (error .+)", hint)
    if declared is not None:
        head = re.search(r"(?m)^(judgement|main|define|value|data)\b", text)
        at = head.start() if head is not None else len(text)
        yield f"{text[:at]}{declared[1]}\n\n{text[at:]}"
    order = re.fullmatch(r"the order is (\w+)\((.*)\)", hint)
    if order is not None:
        yield from _swapped(text, start, order[1])
    wanted = re.fullmatch(r"(?:write|its fields are) (\w+)\((.*)\)", hint)
    if note.code == "wrong_number" and wanted is not None:
        yield from _filled(text, start, wanted[1], wanted[2].split(", "))
    capture = re.fullmatch(r"capture it: (\w+):RULE", hint)
    if capture is not None:
        # Each part of the alternative that stands there without a name.
        row = text.rfind("\n", 0, start) + 1
        for one in re.finditer(r'"[^"]*"|[\w:]+', text[row:start]):
            if one[0].isidentifier() and one[0] != "makes":
                at = row + one.start()
                yield f"{text[:at]}{capture[1]}:{text[at:]}"
    if hint.startswith("close it with"):
        yield from _closed(text, start)
    if note.severity == "warning":
        yield from _answered(text, note)


def _moved(text: str, row: int, column: int, wanted: int) -> str:
    """A line that begins in a column, and what is indented under it, begins in another one."""
    lines = text.split("\n")
    end = row + 1
    while end < len(lines) and (not lines[end].strip() or _indent(lines[end]) > column):
        end += 1
    for number in range(row, end):
        line = lines[number]
        if line.strip():
            lines[number] = " " * max(0, _indent(line) - column + wanted) + line.lstrip()
    return "\n".join(lines)


def _indent(line: str) -> int:
    return len(line) - len(line.lstrip())


def _closed(text: str, start: int) -> Iterator[str]:
    """A line with its brackets closed at its end, before a comment, perhaps in place of the sign or
    comma with which the line ends."""
    start = text.rfind("\n", 0, start) + 1
    end = text.find("\n", start)
    end = end if end >= 0 else len(text)
    line = text[start:end]
    missing: list[str] = []
    for sign in re.sub(r'"[^"]*"|#.*', "", line):
        if sign in _CLOSES:
            missing.append(_CLOSES[sign])
        elif missing and sign == missing[-1]:
            missing.pop()
    code = re.sub(r"\s*(#[^\"]*)?$", "", line)
    for kept in (re.sub(r"\s*[^\w\s)\]\"]+$", "", code), code):
        yield text[:start] + kept + "".join(missing[::-1]) + line[len(code) :] + text[end:]


def _with_clause(text: str, note: Note) -> str | None:
    """The clause of a note behind the others of its function."""
    clause = note.hint.removeprefix("add: ")
    lines = text.split("\n")
    head = note.line - 1
    last, indent = head, ""
    around = _indent(lines[head])
    for number in range(head + 1, len(lines)):
        line = lines[number]
        if line.strip() and _indent(line) <= around:
            break
        if line.strip():
            indent = indent or line[: len(line) - len(line.lstrip())]
            last = number
    if last == head:
        return None
    taken = re.match(r"\w+", clause)
    about = taken[0] if taken is not None else "this"
    clause = clause.replace('todo "…"', f'todo "what {about} gives"')
    return "\n".join([*lines[: last + 1], f"{indent}{clause}", *lines[last + 1 :]])


def _answered(text: str, note: Note) -> Iterator[str]:
    """A warning that is answered in front of its line, or of the clause or definition around it."""
    lines = text.split("\n")
    at = note.line - 1
    depth = len(lines[at])
    while at >= 0 and depth:
        own = _indent(lines[at])
        if lines[at].strip() and own < depth:
            depth = own
            answer = f'{" " * own}deliberately {note.code} "say here why this is meant"'
            yield "\n".join([*lines[:at], answer, *lines[at:]])
        at -= 1


def _filled(text: str, start: int, name: str, fields: list[str]) -> Iterator[str]:
    """A call or pattern with as many arguments as there are fields: what is missing is named as its
    field is, or left to be written; what is too much is left out."""
    parts = _arguments(text, start, name)
    if not parts:
        return
    begin, end = parts[0][0], parts[-1][1]
    given = [part for part in (text[slice(*span)].strip() for span in parts) if part]
    missing = fields[len(given) :]
    for more in (missing, [f'todo "{field}"' for field in missing]):
        yield text[:begin] + ", ".join([*given, *more][: len(fields)]) + text[end:]


def _arguments(text: str, start: int, name: str) -> list[tuple[int, int]]:
    """Where the arguments stand of the call of a function around a place."""
    at = text.rfind(f"{name}(", 0, start + len(name) + 1)
    parts: list[tuple[int, int]] = []
    if at < 0:
        return parts
    opening = at + len(name) + 1
    depth, begin = 0, opening
    for number in range(opening, len(text)):
        sign = text[number]
        if sign in ")" and depth == 0:
            parts.append((begin, number))
            break
        if sign == "," and depth == 0:
            parts.append((begin, number))
            begin = number + 1
        depth += (sign in "([") - (sign in ")]")
    return parts


def _swapped(text: str, start: int, name: str) -> Iterator[str]:
    """A call of a function around a place with two of its arguments in each other's place."""
    parts = _arguments(text, start, name)
    for i, one in enumerate(parts):
        for other in parts[i + 1 :]:
            first, second = (text[slice(*span)].strip() for span in (one, other))
            lead = " " if text[other[0] : other[0] + 1] == " " else ""
            own = " " if text[one[0] : one[0] + 1] == " " else ""
            yield (text[: one[0]] + own + second + text[one[1] : other[0]] + lead + first
                   + text[other[1] :])  # fmt: skip
