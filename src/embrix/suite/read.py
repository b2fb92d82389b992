"""Reading a `.suite.toml`. What is wrong is located and reported; the other cases stay."""

from __future__ import annotations

import tomllib
from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, TypeAlias

from embrix.suite import demands
from embrix.suite.cases import Answer, Bound, Case, Expectation, Question, Suite
from embrix.suite.entries import Entries, Wrong, tables
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Unreadable, read_source
from embrix.text.suggest import did_you_mean
from embrix.text.toml_places import fault_place, read_toml

_SUITE_KEYS = ("language", "about", "case", "question")
CASE_KEYS = (
    "name", "why", "program", "file", *demands.DEMANDS, "steps", "for", "lanes", "given", "input",
    "tokens", "term", "grammar", "tags", "table", "origin", "calls",
)  # fmt: skip
MOST_CALLS = 10_000_000
"""Calls that a case may ask for."""
_ROW_KEYS = ("given", "input", "why", *demands.DEMANDS)
_QUESTION_KEYS = ("name", "why", "program", "file", "answers", "lanes", "given", "input")


def read_suite(
    source: Source,
    lanes: Mapping[str, Collection[str]],
    errors: Mapping[str, Collection[str]],
    findings: Findings,
    grammars: Mapping[str, Collection[str]] | None = None,
    choices: Mapping[str, Choices] | None = None,
) -> Suite | None:
    """The suite in a file, or None when nothing of it can be used.

    `lanes` gives for each language of the course its interpreters, `errors` its error names,
    `grammars` the names of its grammars, `choices` what each interpreter leaves to be decided.
    """
    entries = Entries(source, findings)
    try:
        data = read_toml(source.text, parse_float=str)
    except tomllib.TOMLDecodeError as bad:
        findings.error("bad_suite", f"this is not TOML: {bad}", source, fault_place(source, bad))
        return None
    try:
        language = entries.text(data, "language", None, needed=True)
    except Wrong:
        return None
    if language not in lanes:
        findings.error(
            "unknown_language", f"there is no language called {language}", source,
            entries.entry(None, "language"), did_you_mean(language, lanes),
        )  # fmt: skip
        return None
    data = entries.unknown_keys(data, _SUITE_KEYS, None)
    raw = {kind: tables(data.get(kind, [])) for kind in ("case", "question")}
    for kind, found in raw.items():
        if found is None:
            findings.error(
                "bad_suite", f"{kind}s are written as [[{kind}]]", source, entries.entry(None, kind)
            )
            return None
    reader = _Reader(
        entries, lanes[language], errors.get(language, ()), (grammars or {}).get(language, ()),
        (choices or {}).get(language, {}),
    )  # fmt: skip
    about = data.get("about", "")
    return Suite(
        source, language, about if isinstance(about, str) else "",
        tuple(reader.cases(raw["case"] or ())), tuple(reader.questions(raw["question"] or ())),
    )  # fmt: skip


def depends_on(source: Source) -> tuple[str, tuple[str, ...]]:
    """What a suite names outside itself: its language (nothing where it does not say that), and
    the files that its programs stand in."""
    try:
        data = read_toml(source.text, parse_float=str)
    except tomllib.TOMLDecodeError:
        return "", ()
    language = data.get("language")
    entries = [
        entry.get("file") for kind in ("case", "question")
        for entry in tables(data.get(kind, [])) or ()
    ]  # fmt: skip
    files = dict.fromkeys(one for one in entries if isinstance(one, str))
    return language if isinstance(language, str) else "", tuple(files)


def read_program(suite: Source, name: str) -> str:
    """The program in a file that a suite names. Raises `Unreadable`."""
    folder = (suite.path or Path()).parent.resolve()
    path = (folder / name).resolve()
    if folder not in path.parents:
        raise Unreadable(f"{name} lies outside the folder of the suite")
    return read_source(path, name).text


Choices: TypeAlias = Mapping[str, Mapping[str, Collection[str]]]
"""For each interpreter its choices, with the ways in which each can be decided."""


class _Reader:
    def __init__(
        self,
        entries: Entries,
        lanes: Collection[str],
        errors: Collection[str],
        grammars: Collection[str],
        choices: Choices,
    ) -> None:
        self.entries = entries
        self.lanes = lanes
        self.errors = errors
        self.grammars = grammars
        self.choices = choices
        self.names: set[str] = set()

    def cases(self, raw: Any) -> Iterator[Case]:
        for number, one in enumerate(raw):
            part = self.entries.part("case", number)
            try:
                made = list(self.rows(one, number, part))
            except Wrong:
                continue
            self.named(self.entries.text(one, "name", part), part)
            yield from made

    def questions(self, raw: Any) -> Iterator[Question]:
        for number, one in enumerate(raw):
            part = self.entries.part("question", number)
            try:
                question = self.question(one, part)
            except Wrong:
                continue
            self.named(question.name, part)
            yield question

    def named(self, name: str, part: int) -> None:
        """Every case and question has a name of its own."""
        if name in self.names:
            self.entries.findings.error(
                "declared_twice", f"there is a case called “{name}” already", self.entries.source,
                self.entries.entry(part, "name"), "give each case a name of its own",
            )  # fmt: skip
        self.names.add(name)

    def rows(self, data: Mapping[str, Any], number: int, part: int) -> Iterator[Case]:
        """The case, or one for each row of its table."""
        if "table" not in data:
            yield self.case(data, part, (number, -1))
            return
        rows = tables(data["table"])
        if not rows:
            raise self.entries.wrong(
                part, "table", "`table` is a list of rows", "table = [{ given.n = 1, value = 2 }]"
            )
        name = self.entries.text(data, "name", part, needed=True)
        shared = {key: value for key, value in data.items() if key != "table"}
        for at, row in enumerate(rows):
            row = self.entries.unknown_keys(row, _ROW_KEYS, part)
            given = {**shared.get("given", {}), **self.entries.table(row, "given", part)}
            text = ", ".join(f"{one} = {value}" for one, value in given.items())
            text = text or ", ".join(map(str, row.get("input", ()))) or f"row {at + 1}"
            merged = {**shared, **row, "given": given, "name": f"{name}: {text}"}
            yield self.case(merged, part, (number, at))

    def case(self, data: Mapping[str, Any], part: int, entry: tuple[int, int]) -> Case:
        entries = self.entries
        data = entries.unknown_keys(data, CASE_KEYS, part)
        name = entries.text(data, "name", part, needed=True)
        given = entries.table(data, "given", part)
        limited = entries.limited(data, self.lanes, part)
        instead: dict[str, Expectation] = {}
        outputs: dict[str, str] = {}
        states: dict[str, tuple[str, ...]] = {}
        costs: dict[str, tuple[Bound, ...]] = {}
        for lane, own in self.spoken_of(data, limited, part):
            if limited and lane not in limited and lane.partition("[")[0] not in limited:
                raise entries.wrong(
                    part, lane, f"the case is limited to other interpreters than {lane}",
                    f"put {lane} among its `lanes`, or leave the entry out",
                )  # fmt: skip
            if not isinstance(own, dict):
                raise entries.wrong(part, lane, f"what {lane} gives must be a table")
            own = entries.unknown_keys(own, demands.DEMANDS, part)
            if not own:
                raise entries.wrong(part, lane, f"nothing is expected of {lane}")
            expectation = demands.expectation(entries, own, part, self.errors)
            if expectation is not None:
                instead[lane] = expectation
            written = demands.output(entries, own, part)
            if written is not None:
                outputs[lane] = written
            state = demands.state(entries, own, part)
            if state is not None:
                states[lane] = state
            if "costs" in own:
                costs[lane] = demands.costs(entries, own, part)
        if "costs" in data:
            costs[""] = demands.costs(entries, data, part)
        steps = demands.steps(entries, data, part, self.lanes)
        tokens = entries.texts(data, "tokens", part, "texts") if "tokens" in data else None
        case = Case(
            name, self.program(data, part), demands.expectation(entries, data, part, self.errors),
            instead, steps, tuple(limited), {key: str(value) for key, value in given.items()},
            self.input(data, part), demands.output(entries, data, part), outputs,
            entries.text(data, "why", part), entries.entry(part, "name"),
            demands.state(entries, data, part), states, costs, tokens,
            entries.text(data, "term", part), self.grammar(data, part),
            entries.texts(data, "tags", part, "words"), entry, self.calls(data, part),
        )  # fmt: skip
        self.sensible(case, part)
        return case

    def calls(self, data: Mapping[str, Any], part: int) -> int:
        """How many calls each lane may make; 0 where the case does not say."""
        calls = data.get("calls", 0)
        if "calls" not in data:
            return 0
        if type(calls) is not int or not 1 <= calls <= MOST_CALLS:
            raise self.entries.wrong(
                part, "calls", f"`calls` must be a whole number from 1 to {MOST_CALLS:,}",
                "it says how many calls each lane may make",
            )  # fmt: skip
        return calls

    def spoken_of(
        self, data: Mapping[str, Any], limited: Sequence[str], part: int
    ) -> Iterator[tuple[str, Any]]:
        """What a case says of single lanes: those it names, and those in which a choice that it
        names is decided so. What is said of a lane by its name counts before that."""
        own = self.entries.table(data, "for", part)
        for key, said in own.items():
            if "=" not in key or "[" in key:
                self.entries.lane(key, self.lanes, part, key)
                yield key, said
                continue
            for lane in self.deciding(key, limited, part):
                if lane not in own:
                    yield lane, said

    def deciding(self, key: str, limited: Sequence[str], part: int) -> list[str]:
        """The lanes in which choices are decided as `CHOICE=WAY, …` says."""
        wanted = {
            name.strip(): way.strip()
            for name, _, way in (pair.partition("=") for pair in key.split(","))
        }
        known = {name: ways for own in self.choices.values() for name, ways in own.items()}
        for name, way in wanted.items():
            if name not in known:
                raise self.entries.wrong(
                    part, key, f"there is no choice called {name}", did_you_mean(name, known)
                )
            if way not in known[name]:
                raise self.entries.wrong(
                    part, key, f"{name} is not decided by {way or 'nothing'}",
                    did_you_mean(way, known[name], "there are: " + ", ".join(known[name])),
                )  # fmt: skip
        text = ", ".join(f"{name}={way}" for name, way in wanted.items())
        names = [name for name, own in self.choices.items() if wanted.keys() <= own.keys()]
        return [f"{name}[{text}]" for name in names if not limited or name in limited]

    def sensible(self, case: Case, part: int) -> None:
        """Something is expected, and nothing contradicts itself."""
        said = (case.expected, case.output, case.state, case.tokens, case.term or None)
        some = any(one is not None for one in said)
        if not (some or case.instead or case.outputs or case.steps or case.costs or case.states):
            if part in self.entries.odd:
                raise Wrong  # what it expects may be what has been reported
            raise self.entries.wrong(
                part, "name", f"the case “{case.name}” expects nothing",
                "add value = …, error = …, rejected = …, accepted = true or steps",
            )  # fmt: skip
        if case.expected is None or case.expected.kind != "rejected":
            return
        for key, contradicts in (
            ("output", case.output), ("state", case.state), ("term", case.term or None),
            ("steps", case.steps or None), ("costs", case.costs or None),
        ):  # fmt: skip
            if contradicts is not None:
                raise self.entries.wrong(
                    part, key, f"a program that is rejected has no {key}",
                    f"leave out `{key}`, or `rejected`",
                )  # fmt: skip

    def question(self, data: Mapping[str, Any], part: int) -> Question:
        entries = self.entries
        data = entries.unknown_keys(data, _QUESTION_KEYS, part)
        name = entries.text(data, "name", part, needed=True)
        answers: dict[str, Answer] = {}
        for label, own in entries.table(data, "answers", part).items():
            table = own if isinstance(own, dict) else {"value": own}
            table = entries.unknown_keys(table, (*demands.OUTCOMES, "at", "says", "output"), part)
            answer = Answer(
                demands.expectation(entries, table, part, self.errors),
                demands.output(entries, table, part),
            )
            if answer == Answer(None):
                raise entries.wrong(part, label, f"the answer “{label}” says nothing")
            if answer in answers.values():
                raise entries.wrong(part, label, f"the answer “{label}” stands there already")
            answers[label] = answer
        if len(answers) < 2:
            raise entries.wrong(
                part, "answers", "a question has at least two answers",
                "answers = { static = 3, dynamic = 5 }",
            )  # fmt: skip
        given = {key: str(value) for key, value in entries.table(data, "given", part).items()}
        return Question(
            name, self.program(data, part), answers,
            tuple(entries.limited(data, self.lanes, part)), given, self.input(data, part),
            entries.text(data, "why", part), entries.entry(part, "name"),
        )  # fmt: skip

    def input(self, data: Mapping[str, Any], part: int) -> tuple[str, ...]:
        """The lines that a program may read: a list, or a text of lines."""
        lines = data.get("input", [])
        if isinstance(lines, str):
            return tuple(lines.splitlines())
        if not isinstance(lines, list) or not all(isinstance(line, str) for line in lines):
            raise self.entries.wrong(
                part, "input", "`input` is a list of lines", 'input = ["3", "4"]'
            )
        return tuple(lines)

    def grammar(self, data: Mapping[str, Any], part: int) -> str | None:
        if "grammar" not in data:
            return None
        name = self.entries.text(data, "grammar", part)
        if name not in self.grammars:
            known = ", ".join(filter(None, self.grammars)) or "only one, without a name"
            raise self.entries.wrong(
                part, "grammar", f"there is no grammar called {name}",
                did_you_mean(name, self.grammars, f"there are: {known}"),
            )  # fmt: skip
        return name

    def program(self, data: Mapping[str, Any], part: int) -> str:
        entries = self.entries
        if "program" in data and "file" in data:
            raise entries.wrong(part, "file", "`program` and `file` exclude each other")
        if "file" not in data:
            return entries.text(data, "program", part, needed=True)
        name = entries.text(data, "file", part)
        try:
            return read_program(entries.source, name)
        except Unreadable as fault:
            raise entries.wrong(part, "file", str(fault)) from fault
