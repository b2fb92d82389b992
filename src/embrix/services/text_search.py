"""Finding and replacing texts: in one file, or in all files of a course."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path

import regex

from embrix.course.drafts import find_draft
from embrix.lanes.session import Session
from embrix.messages.replies_on_writing import FileChange, NamePlace, TextHits
from embrix.services.renaming import texts_of
from embrix.text.source import Source, Unreadable, read_source

MOST_LISTED = 500
"""Places that are listed; replaced are all."""
SECONDS = 1.0
"""How long a pattern may take in one file."""


def found_in(
    texts: Mapping[str, str], what: str, by: str | None = None, *, pattern: bool = False
) -> TextHits:
    """Where a text, or what a pattern matches, stands in the texts of some files, and with `by`
    what they would be with that in its place; in `by` for a pattern `\\1` is what its first group
    matched."""
    if not what:
        return TextHits("write the text to search for")
    try:
        looked_for = regex.compile(what if pattern else regex.escape(what), regex.MULTILINE)
    except regex.error as wrong:
        return TextHits(f"this is no pattern: {wrong}")
    places: list[NamePlace] = []
    changes: list[FileChange] = []
    count = 0
    for file, text in texts.items():
        source = Source(file, text)
        try:
            hits = [hit for hit in looked_for.finditer(text, timeout=SECONDS) if hit[0]]
            if by is not None and hits:
                made = _replaced(text, hits, by, pattern=pattern)
                changes.append(FileChange(file, text, made))
        except TimeoutError:
            return TextHits("this pattern takes too long: make it simpler")
        except (regex.error, IndexError) as wrong:
            return TextHits(f"the replacement is wrong: {wrong}")
        count += len(hits)
        for hit in hits[: MOST_LISTED - len(places)]:
            line, column = source.position(hit.start())
            places.append(NamePlace(file, line, column, source.line(line).rstrip()))
    return TextHits("", count, places, changes)


def _replaced(text: str, hits: list[regex.Match[str]], by: str, *, pattern: bool) -> str:
    parts: list[str] = []
    at = 0
    for hit in hits:
        parts += [text[at : hit.start()], hit.expand(by) if pattern else by]
        at = hit.end()
    return "".join([*parts, text[at:]])


def course_texts(session: Session) -> dict[str, str]:
    """The texts of all files of a course, programs as well, as far as they can be read; for a
    program with unsaved text that."""
    return {**dict(texts_of(session)), **dict(_programs(session))}


def _programs(session: Session) -> Iterator[tuple[str, str]]:
    course = session.course
    for paths in course.programs.values():
        for path in paths:
            draft = find_draft(path)
            try:
                text = draft.text if draft is not None else read_source(path).text
            except Unreadable:
                continue
            yield Path(path).relative_to(course.folder).as_posix(), text
