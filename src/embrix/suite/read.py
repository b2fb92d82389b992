"""Reading a `.suite.toml`. What is wrong is located and reported; the other cases stay."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Collection, Mapping
from pathlib import Path
from typing import Any

from embrix.suite.model import Case, Expectation, Suite
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span, Unreadable, read_source
from embrix.text.suggest import did_you_mean

_SUITE_KEYS = ("language", "about", "case")
_CASE_KEYS = (
    "name", "why", "program", "file", "value", "error", "rejected", "accepted", "at", "says",
    "steps",
    "for", "lanes", "given", "input", "output",
)  # fmt: skip
_EXPECT_KEYS = ("value", "error", "rejected", "accepted", "at", "says", "output")


class _Wrong(Exception):
    """An entry is wrong; it has been reported."""


def read_suite(
    source: Source,
    lanes: Mapping[str, Collection[str]],
    errors: Mapping[str, Collection[str]],
    findings: Findings,
) -> Suite | None:
    """The suite in a file, or None when nothing of it can be used.

    `lanes` gives for each language of the course its interpreters, `errors` its error names.
    """
    reader = _Reader(source, findings)
    try:
        data = tomllib.loads(source.text, parse_float=str)
    except tomllib.TOMLDecodeError as bad:
        findings.error("bad_suite", f"this is not TOML: {bad}", source, _toml_place(source, bad))
        return None
    try:
        language = reader.text(data, "language", None, needed=True)
    except _Wrong:
        return None
    if language not in lanes:
        findings.error(
            "unknown_language", f"there is no language called {language}", source,
            reader.entry(None, "language"), did_you_mean(language, lanes),
        )  # fmt: skip
        return None
    reader.unknown_keys(data, _SUITE_KEYS, None)
    raw = data.get("case", [])
    if not isinstance(raw, list) or not all(isinstance(one, dict) for one in raw):
        findings.error(
            "bad_suite", "cases are written as [[case]]", source, reader.entry(None, "case")
        )
        return None
    about = data.get("about", "")
    cases: list[Case] = []
    for number, one in enumerate(raw):
        try:
            case = reader.case(one, number, lanes[language], errors.get(language, ()))
        except _Wrong:
            continue
        if any(known.name == case.name for known in cases):
            findings.error(
                "declared_twice", f"there is a case called “{case.name}” already", source,
                reader.entry(number, "name"), "give each case a name of its own",
            )  # fmt: skip
        cases.append(case)
    return Suite(source, language, about if isinstance(about, str) else "", tuple(cases))


def _toml_place(source: Source, bad: tomllib.TOMLDecodeError) -> Span:
    found = re.search(r"at line (\d+), column (\d+)", str(bad))
    if not found:
        end = len(source.text)
        return Span(max(0, end - 1), end)
    at = source.offset(int(found.group(1)), int(found.group(2)))
    return Span(at, at + 1)


class _Reader:
    def __init__(self, source: Source, findings: Findings) -> None:
        self.source = source
        self.findings = findings
        self.heads = [m.start() for m in re.finditer(r"^\[\[case\]\]", source.text, re.M)]

    def entry(self, case: int | None, key: str) -> Span:
        """Where an entry of a case (or of the head of the file) is written."""
        text = self.source.text
        if case is None or case >= len(self.heads):
            begin, end = 0, self.heads[0] if self.heads else len(text)
        else:
            begin = self.heads[case]
            end = self.heads[case + 1] if case + 1 < len(self.heads) else len(text)
        pattern = rf"(?:^|[\s.{{,\[\"]){re.escape(key)}(?=\"?\s*(?:=|\]|\.))"
        found = re.compile(pattern, re.M).search(text, begin, end)
        if found:
            return Span(found.end() - len(key), found.end())
        return Span(begin, min(end, begin + len("[[case]]")))

    def wrong(self, case: int | None, key: str, message: str, hint: str = "") -> _Wrong:
        self.findings.error("bad_suite", message, self.source, self.entry(case, key), hint)
        return _Wrong()

    def unknown_keys(
        self, data: Mapping[str, Any], known: Collection[str], case: int | None
    ) -> None:
        for key in data:
            if key not in known:
                self.findings.error(
                    "unknown_word", f"an entry called {key} means nothing here", self.source,
                    self.entry(case, key),
                    did_you_mean(key, known, "known are " + ", ".join(known)),
                )  # fmt: skip

    def text(
        self, data: Mapping[str, Any], key: str, case: int | None, *, needed: bool = False
    ) -> str:
        value = data.get(key)
        if value is None and not needed:
            return ""
        if not isinstance(value, str):
            what = "is missing" if value is None else "must be a text"
            raise self.wrong(case, key, f"`{key}` {what}", f'write {key} = "…"')
        return value

    def case(
        self, data: Mapping[str, Any], number: int, lanes: Collection[str], errors: Collection[str]
    ) -> Case:
        self.unknown_keys(data, _CASE_KEYS, number)
        name = self.text(data, "name", number, needed=True)
        given = self.table(data, "given", number)
        limited = data.get("lanes", [])
        if not isinstance(limited, list):
            raise self.wrong(number, "lanes", "`lanes` must be a list of interpreters")
        for lane in limited:
            self.lane(lane, lanes, number, "lanes")
        instead: dict[str, Expectation] = {}
        outputs: dict[str, str] = {}
        for lane, entry in self.table(data, "for", number).items():
            self.lane(lane, lanes, number, lane)
            if not isinstance(entry, dict):
                raise self.wrong(number, lane, f"what {lane} gives must be a table")
            self.unknown_keys(entry, _EXPECT_KEYS, number)
            expectation = self.expectation(entry, number, errors)
            written = self.output(entry, number)
            if expectation is None and written is None:
                raise self.wrong(number, lane, f"nothing is expected of {lane}")
            if expectation is not None:
                instead[lane] = expectation
            if written is not None:
                outputs[lane] = written
        steps: dict[str, tuple[str, ...]] = {}
        for lane, lines in self.table(data, "steps", number).items():
            self.lane(lane, lanes, number, lane)
            if not isinstance(lines, list) or not all(isinstance(line, str) for line in lines):
                raise self.wrong(number, "steps", "steps are a list of texts, one a step")
            steps[lane] = tuple(lines)
        expected = self.expectation(data, number, errors)
        output = self.output(data, number)
        if expected is None and output is None and not (instead or outputs or steps):
            raise self.wrong(
                number, "name", f"the case “{name}” expects nothing",
                "add value = …, error = …, rejected = …, accepted = true or steps",
            )  # fmt: skip
        return Case(
            name, self.program(data, number), expected, instead, steps, tuple(limited),
            {key: str(value) for key, value in given.items()}, self.input(data, number), output,
            outputs, self.text(data, "why", number), self.entry(number, "name"),
        )  # fmt: skip

    def output(self, data: Mapping[str, Any], case: int) -> str | None:
        """All that a program must write, if anything is said about that."""
        output = data.get("output")
        if output is not None and not isinstance(output, str):
            raise self.wrong(case, "output", "`output` must be a text")
        return output

    def input(self, data: Mapping[str, Any], case: int) -> tuple[str, ...]:
        """The lines that a program may read: a list, or a text of lines."""
        lines = data.get("input", [])
        if isinstance(lines, str):
            lines = lines.splitlines()
        if not isinstance(lines, list) or not all(isinstance(line, str) for line in lines):
            raise self.wrong(case, "input", "`input` is a list of lines", 'input = ["3", "4"]')
        return tuple(lines)

    def lane(self, name: object, lanes: Collection[str], case: int, key: str) -> None:
        plain = str(name).partition("[")[0]
        if plain not in lanes:
            self.findings.error(
                "unknown_interpreter", f"there is no interpreter called {name}", self.source,
                self.entry(case, key), did_you_mean(str(name), lanes),
            )  # fmt: skip
            raise _Wrong

    def table(self, data: Mapping[str, Any], key: str, case: int) -> dict[str, Any]:
        value = data.get(key, {})
        if not isinstance(value, dict):
            raise self.wrong(case, key, f"`{key}` must be a table")
        return value

    def program(self, data: Mapping[str, Any], case: int) -> str:
        if "program" in data and "file" in data:
            raise self.wrong(case, "file", "`program` and `file` exclude each other")
        if "file" not in data:
            return self.text(data, "program", case, needed=True)
        name = self.text(data, "file", case)
        folder = (self.source.path or Path()).parent.resolve()
        path = (folder / name).resolve()
        if folder not in path.parents:
            raise self.wrong(case, "file", f"{name} lies outside the folder of the suite")
        try:
            return read_source(path, name).text
        except Unreadable as fault:
            raise self.wrong(case, "file", str(fault)) from fault

    def expectation(
        self, data: Mapping[str, Any], case: int, errors: Collection[str]
    ) -> Expectation | None:
        stated = [key for key in ("value", "error", "rejected", "accepted") if key in data]
        if not stated:
            return None
        if len(stated) > 1:
            raise self.wrong(case, stated[1], f"`{stated[0]}` and `{stated[1]}` exclude each other")
        key = stated[0]
        at = self.place(data, case)
        if "says" in data and key != "error":
            raise self.wrong(case, "says", "only an `error` says something")
        value = data[key]
        if key == "value":
            if isinstance(value, bool):
                value = "true" if value else "false"
            if not isinstance(value, str | int):
                raise self.wrong(case, key, "a value is a number or a text")
            return Expectation("value", str(value), at)
        if key == "accepted":
            if value is not True:
                raise self.wrong(
                    case, key, "a program that is to be refused has another entry",
                    'write accepted = true, or rejected = "grammar"',
                )  # fmt: skip
            return Expectation("accepted", "", at)
        if not isinstance(value, str):
            raise self.wrong(case, key, f"`{key}` must be a text")
        if key == "error":
            if value not in errors:
                raise self.wrong(
                    case, key, f"no interpreter declares an error called {value}",
                    did_you_mean(value, errors),
                )  # fmt: skip
            return Expectation("error", value, at, self.text(data, "says", case))
        if value not in ("tokens", "grammar"):
            raise self.wrong(case, key, "a program is rejected by its tokens or by its grammar",
                             'write "tokens" or "grammar"')  # fmt: skip
        return Expectation("rejected", value, at)

    def place(self, data: Mapping[str, Any], case: int) -> tuple[int, int] | None:
        if "at" not in data:
            return None
        found = re.fullmatch(r"(\d{1,6}):(\d{1,6})", str(data["at"]))
        if not found:
            raise self.wrong(case, "at", "a place is written as line and column", 'at = "1:9"')
        return int(found.group(1)), int(found.group(2))
