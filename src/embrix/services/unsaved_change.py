"""What texts of the course that are not saved change: for a text, for all short sentences, and for
the interpreters."""

from __future__ import annotations

from pathlib import Path

from embrix.checking.diagnostics import diagnostics_of, note_of
from embrix.checking.verdicts import with_output
from embrix.compare.meaning import between_interpreters, between_languages, describe_changes
from embrix.course.changes import touched, touched_text
from embrix.grammar.difference import compare_grammars, comparison_text
from embrix.lanes import inspection
from embrix.lanes.inspection import MOST_ROWS
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.limits import LIVE
from embrix.messages.replies import ChangeLook, TreeRow
from embrix.services.definition_tokens import definition_tokens
from embrix.services.tree_difference import parting

LONGEST = 6
"""Length of the sentences on which two versions are compared."""


class UnsavedChange:
    """The course as it is saved beside the course with every text that is not."""

    def __init__(self, now: Session) -> None:
        self._now = now
        self._saved: Session | None = None if now.unsaved else now
        self._text: tuple[Path, str] | None = None
        self._changed = now

    @property
    def saved(self) -> Session:
        """The course as its files are."""
        if self._saved is None:
            self._saved = Session(self._now.course.folder)
        return self._saved

    def changed(self, file: str, definition: str) -> Session:
        """The session in which a file of the course (named from its folder) has another text."""
        path = (self._now.course.folder / file).resolve()
        if self._text != (path, definition):
            self._changed = self._now
            if self._now.unsaved.get(path) != definition:
                unsaved = {**self._now.unsaved, path: definition}
                self._changed = Session(self._now.course.folder, unsaved)
            self._text = (path, definition)
        return self._changed

    def look(
        self,
        language: str,
        file: str,
        definition: str,
        text: str,
        rule: str | None,
        view: str = "term",
    ) -> ChangeLook:
        """A text under the changed definition and as saved, with where the two trees part (or the
        two trees of an ambiguous text); the notes on the file, and its own tokens.

        `view` is `term`, `derivation` or `both` (then the derivation comes besides).
        """
        changed = self.changed(file, definition)
        findings = diagnostics_of(changed, language)
        known = changed.course.languages.get(language)
        now = inspection.look(changed, language, text, rule) if known is not None else None
        before = inspection.look(self.saved, language, text, rule)
        if view == "derivation":
            for session, look in ((self.saved, before), (changed, now)):
                if look is not None and look.tree:
                    found = inspection.derivation(session, language, text, rule)
                    look.tree, look.cut = found[0][:MOST_ROWS], max(0, len(found[0]) - MOST_ROWS)
        marks = parting(before.tree, now.tree if now else [])
        if now and now.refused and now.refused.trees:
            if view == "derivation":
                now.refused.trees = inspection.derivation(changed, language, text, rule)
            one, other = now.refused.trees
            marks = parting(one, other)
        elif not now or not now.tree or not before.tree:
            marks = ([], [])
        derived: list[list[TreeRow]] = []
        if known is not None and view == "both":
            derived = inspection.derivation(changed, language, text, rule)
        grammar = known.grammar if known is not None else None
        return ChangeLook(
            notes=[note_of(one) for one in findings if one.source.name == file],
            now=now,
            before=before,
            marks=marks,
            derivation=derived[0][:MOST_ROWS] if derived else [],
            definition=definition_tokens(definition),
            rules=list(grammar.entry) if grammar is not None else [],
        )

    def compare(
        self, language: str, file: str, definition: str, rule: str | None, text: str = ""
    ) -> list[str]:
        """What lanes give for a text otherwise; what the change means; sentences newly accepted,
        newly refused or read otherwise; interpreters reached."""
        changed = self.changed(file, definition)
        old, new = (
            session.course.languages[language].grammar
            if language in session.course.languages
            else None
            for session in (self.saved, changed)
        )
        lines = self._ends(language, changed, text) if text else []
        lines += self._meaning(language, file, changed)
        lines += touched_text(touched(self.saved.course, changed.course, language))
        parsers = self.saved.parser(language), changed.parser(language) if new else None
        if old is None or new is None or parsers[0] is None or parsers[1] is None:
            lines.append("the grammar cannot be used: see its lines")
        elif self._same_grammar(language, changed):
            lines.append("the grammar is the same")
        else:
            start = rule if rule in old.entry and rule in new.entry else None
            comparison = compare_grammars(
                (old, parsers[0], start or old.starts[0]),
                (new, parsers[1], start or new.starts[0]),
                LONGEST,
                shown=3,
            )
            names = {"only the first": "newly refused", "only the second": "newly accepted",
                     "another tree": "another tree"}  # fmt: skip
            lines += comparison_text(comparison, names)
        return lines

    def _same_grammar(self, language: str, changed: Session) -> bool:
        """Whether both versions read with the very same grammar, which need not be compared."""
        one, other = (each.course.languages[language] for each in (self.saved, changed))
        return one.grammar is other.grammar

    def _ends(self, language: str, changed: Session, text: str) -> list[str]:
        """The lanes that end otherwise with the change."""
        lines: list[str] = []
        for name in changed.course.interpreters.get(language, {}):
            if name not in self.saved.course.interpreters.get(language, {}):
                continue
            before, after = (
                _end(one, language, name, text) for one in (self.saved, changed)
            )  # fmt: skip
            if before != after:
                lines.append(f"changed: {name} gives {before}, with the change {after}")
        return lines or ["no lane that runs gives anything else for this text"]

    def _meaning(self, language: str, file: str, changed: Session) -> list[str]:
        """What the changed file says otherwise: of the language, or of an interpreter."""
        before, after = self.saved.course, changed.course
        lines: list[str] = []
        for name, old in before.interpreters.get(language, {}).items():
            new = after.interpreters.get(language, {}).get(name)
            if old.source.name == file and new is not None:
                lines += describe_changes(between_interpreters(old, new))
        one, other = before.languages.get(language), after.languages.get(language)
        if one is not None and one.source.name == file and other is not None and other.sound:
            lines += describe_changes(between_languages(one, other))
        return lines


def _end(session: Session, language: str, name: str, text: str) -> str:
    """What a lane gives for a text; why it does not run where it does not."""
    try:
        return with_output(session.lane(language, name).run(text, limits=LIVE), text)
    except NoLane as missing:
        return str(missing)
