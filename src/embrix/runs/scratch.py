"""A change of a definition that is tried and not saved: what it would do to a text, to all short
sentences, and to the interpreters."""

from __future__ import annotations

from pathlib import Path
from typing import Any, TypeAlias

from embrix.course.changes import touched, touched_text
from embrix.grammar.difference import compare_grammars, comparison_text
from embrix.runs.parting import parting
from embrix.runs.session import Session

Data: TypeAlias = dict[str, Any]

LONGEST = 6
"""Length of the sentences on which two versions are compared."""


class Scratch:
    """The course as saved beside the course with one file changed."""

    def __init__(self, saved: Session) -> None:
        self._saved = saved
        self._text: tuple[str, str] | None = None
        self._changed = saved

    def changed(self, file: str, definition: str) -> Session:
        """The session in which a file of the course (named from its folder) has another text."""
        if self._text != (file, definition):
            path = self._saved.course.folder / Path(file)
            self._changed = Session(self._saved.course.folder, {path: definition})
            self._text = (file, definition)
        return self._changed

    def look(self, language: str, file: str, definition: str, text: str, rule: str | None) -> Data:
        """A text under the changed definition and as saved, with where the two trees part; the
        notes on the file, and what kind of grammar it has now."""
        changed = self.changed(file, definition)
        notes = [d.as_data() for d in changed.diagnostics_of(language) if d.source.name == file]
        now = changed.look(language, text, rule) if language in changed.course.languages else None
        before = self._saved.look(language, text, rule)
        rows = now["tree"] if now else []
        marks = parting(before["tree"], rows)
        known = changed.course.languages.get(language)
        grammar = known.grammar if known is not None else None
        return {
            "notes": notes,
            "now": now,
            "before": before,
            "marks": [list(marks[0]), list(marks[1])],
            "rules": list(grammar.entry) if grammar is not None else [],
        }

    def compare(self, language: str, file: str, definition: str, rule: str | None) -> list[str]:
        """Sentences newly accepted, newly refused or read otherwise; interpreters reached."""
        changed = self.changed(file, definition)
        old, new = (
            session.course.languages[language].grammar
            if language in session.course.languages
            else None
            for session in (self._saved, changed)
        )
        lines: list[str] = []
        parsers = self._saved.parser(language), changed.parser(language) if new else None
        if old is None or new is None or parsers[0] is None or parsers[1] is None:
            lines.append("the grammar cannot be used: see the notes")
        else:
            start = rule if rule in old.entry and rule in new.entry else None
            comparison = compare_grammars(
                (old, parsers[0], start or old.starts[0]),
                (new, parsers[1], start or new.starts[0]),
                LONGEST,
            )
            names = {"only the first": "newly refused", "only the second": "newly accepted",
                     "another tree": "another tree"}  # fmt: skip
            lines += comparison_text(comparison, names)
        return lines + touched_text(touched(self._saved.course, changed.course, language))
