"""Entries of a suite file: their types, where they stand, what is wrong with them."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Any

from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span
from embrix.text.suggest import did_you_mean
from embrix.text.toml_places import entry_place, heads

HABITS = {
    "gives": "value", "result": "value", "expect": "value", "expected": "value", "want": "value",
    "returns": "value", "answer": "value", "equals": "value", "outcome": "value",
    "code": "program", "source": "program", "src": "program", "text": "program", "run": "program",
    "raises": "error", "fails": "error", "throws": "error", "failure": "error",
    "exception": "error", "prints": "output", "stdout": "output", "writes": "output",
    "stdin": "input", "reads": "input", "title": "name", "description": "why", "comment": "why",
    "note": "why", "because": "why", "lane": "lanes", "only": "lanes", "interpreters": "lanes",
    "position": "at", "place": "at", "message": "says", "trace": "steps", "reduces": "steps",
    "tag": "tags", "cases": "case", "tests": "case", "test": "case", "lang": "language",
    "infinite": "diverges", "loops": "diverges", "bindings": "given",
}  # fmt: skip
"""Words for the entries of a suite that are used elsewhere, with those that are used here."""


class Wrong(Exception):
    """An entry is wrong; it has been reported."""


class Entries:
    """Takes values out of tables. `part` is the number of a `[[case]]` or `[[question]]` (or of
    another kind of table) in the order of the file, None for the head of the file. What is wrong
    has a code."""

    def __init__(
        self,
        source: Source,
        findings: Findings,
        kinds: Collection[str] = ("case", "question"),
        code: str = "bad_suite",
    ) -> None:
        self.source = source
        self.findings = findings
        self.code = code
        self.heads = heads(source.text, kinds)
        self.odd: set[int | None] = set()
        """The parts that have an entry which means nothing."""

    def part(self, kind: str, number: int) -> int:
        """The number in the file of a case or question that has some number among its kind."""
        places = [at for at, (_, found) in enumerate(self.heads) if found == kind]
        return places[number] if number < len(places) else len(self.heads)

    def entry(self, part: int | None, key: str) -> Span:
        """Where an entry is written."""
        text = self.source.text
        if part is None or part >= len(self.heads):
            begin, end = 0, self.heads[0][0] if self.heads else len(text)
        else:
            begin = self.heads[part][0]
            end = self.heads[part + 1][0] if part + 1 < len(self.heads) else len(text)
        found = entry_place(text, key, begin, end)
        if found >= 0:
            return Span(found, found + len(key))
        return Span(begin, min(end, begin + len("[[case]]")))

    def value(self, part: int, key: str, text: str) -> Span:
        """Where a text stands in an entry; the entry itself where it is written otherwise."""
        entry = self.entry(part, key)
        end = self.heads[part + 1][0] if part + 1 < len(self.heads) else len(self.source.text)
        for quote in "\"'":
            found = self.source.text.find(quote + text + quote, entry.end, end)
            if found >= 0:
                return Span(found + 1, found + 1 + len(text))
        return entry

    def wrong(self, part: int | None, key: str, message: str, hint: str = "") -> Wrong:
        self.findings.error(self.code, message, self.source, self.entry(part, key), hint)
        return Wrong()

    def unknown_keys(
        self, data: Mapping[str, Any], known: Collection[str], part: int | None
    ) -> dict[str, Any]:
        """Report entries that mean nothing. The entries, those with a word from elsewhere under the
        one that is meant as well."""
        found = dict(data)
        for key in data:
            if key not in known:
                self.odd.add(part)
                meant = HABITS.get(key, "")
                self.findings.error(
                    "unknown_word", f"an entry called {key} means nothing here", self.source,
                    self.entry(part, key),
                    f"write {meant}" if meant in known
                    else did_you_mean(key, known, "known are " + ", ".join(known)),
                )  # fmt: skip
                if meant in known:
                    found.setdefault(meant, data[key])
        return found

    def text(
        self, data: Mapping[str, Any], key: str, part: int | None, *, needed: bool = False
    ) -> str:
        value = data.get(key)
        if value is None and not needed:
            return ""
        if not isinstance(value, str):
            what = "is missing" if value is None else "must be a text"
            raise self.wrong(part, key, f"`{key}` {what}", f'write {key} = "…"')
        return value

    def table(self, data: Mapping[str, Any], key: str, part: int) -> dict[str, Any]:
        value = data.get(key, {})
        if not isinstance(value, dict):
            raise self.wrong(part, key, f"`{key}` must be a table")
        return value

    def texts(self, data: Mapping[str, Any], key: str, part: int, what: str) -> tuple[str, ...]:
        """A list of texts."""
        value = data.get(key, [])
        if not isinstance(value, list) or not all(isinstance(one, str) for one in value):
            raise self.wrong(part, key, f"`{key}` is a list of {what}", f'{key} = ["…", "…"]')
        return tuple(value)

    def lane(self, name: object, lanes: Collection[str], part: int, key: str) -> None:
        plain = str(name).partition("[")[0]
        if plain not in lanes:
            self.findings.error(
                "unknown_interpreter", f"there is no lane called {name}", self.source,
                self.value(part, key, str(name)), did_you_mean(str(name), lanes),
            )  # fmt: skip
            raise Wrong

    def limited(self, data: Mapping[str, Any], lanes: Collection[str], part: int) -> list[str]:
        """The lanes that an entry is limited to."""
        limited = data.get("lanes", [])
        if not isinstance(limited, list):
            raise self.wrong(part, "lanes", "`lanes` must be a list of interpreters")
        for lane in limited:
            self.lane(lane, lanes, part, "lanes")
        return limited


def tables(value: Any) -> Sequence[Mapping[str, Any]] | None:
    """A list of tables, or None where it is something else."""
    if isinstance(value, list) and all(isinstance(one, dict) for one in value):
        return value
    return None
