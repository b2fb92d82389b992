"""Answers that were recorded elsewhere, taken into a suite as cases with their origin."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Iterator
from typing import Any, TypeAlias

import msgspec
import tomlkit
from msgspec import UNSET, UnsetType

from embrix.suite.accept import Acceptance, CannotAccept
from embrix.suite.arranging import free_name
from embrix.suite.cases import Suite
from embrix.text.line_difference import difference
from embrix.text.toml_places import heads, read_toml
from embrix.text.toml_text import toml_text

Plain: TypeAlias = int | float | str


class RecordedAnswer(msgspec.Struct, forbid_unknown_fields=True, rename={"own": "for"}):
    """One recorded answer: the entries of a case."""

    program: str
    name: str | UnsetType = UNSET
    value: Plain | UnsetType = UNSET
    shows: str | UnsetType = UNSET
    error: str | UnsetType = UNSET
    rejected: str | UnsetType = UNSET
    diverges: bool | UnsetType = UNSET
    output: str | UnsetType = UNSET
    state: str | list[str] | UnsetType = UNSET
    input: str | list[str] | UnsetType = UNSET
    given: dict[str, Plain] | UnsetType = UNSET
    at: str | UnsetType = UNSET
    why: str | UnsetType = UNSET
    own: dict[str, dict[str, Plain | list[str]]] | UnsetType = UNSET
    tokens: list[str] | UnsetType = UNSET
    term: str | UnsetType = UNSET
    steps: dict[str, list[str]] | UnsetType = UNSET

    @property
    def says_something(self) -> bool:
        said = (self.value, self.shows, self.error, self.rejected, self.diverges, self.output,
                self.own, self.tokens, self.term, self.steps)  # fmt: skip
        return any(one is not UNSET for one in said)

    @property
    def lines(self) -> tuple[str, ...]:
        """The lines of input."""
        if isinstance(self.input, str):
            return tuple(self.input.splitlines())
        return tuple(self.input) if isinstance(self.input, list) else ()


MOST_ANSWERS = 5_000
"""Answers that are taken over at once."""


def adopt(suite: Suite, text: str, origin: str) -> Acceptance:
    """The suite with a case for each recorded answer: JSON, a list of objects or one on each line,
    with the entries of a case. Programs that the suite has already are left out. Raises
    `CannotAccept`."""
    names = {case.name for case in suite.cases} | {one.name for one in suite.questions}
    programs = {
        (case.program, tuple(case.input), *sorted(case.given.items()), kind)
        for case in suite.cases
        for kind in _kinds(case.tokens is not None, bool(case.term), bool(case.steps))
    }
    cases: list[dict[str, Any]] = []
    for number, found in enumerate(_answers(text), 1):
        try:
            answer = msgspec.convert(found, RecordedAnswer)
        except msgspec.ValidationError as bad:
            raise CannotAccept(f"answer {number}: {bad}") from bad
        if not answer.says_something:
            raise CannotAccept(f"answer {number} has no value, error or output")
        read = answer.tokens is not UNSET, answer.term is not UNSET, answer.steps is not UNSET
        given = {name: str(value) for name, value in (answer.given or {}).items()}
        about = {
            (answer.program, answer.lines, *sorted(given.items()), kind) for kind in _kinds(*read)
        }
        if about <= programs:
            continue
        name = str(answer.name or f"{' '.join(answer.program.split())[:50]}")
        name = free_name(name, names)
        names.add(name)
        programs |= about
        cases.append({"name": name, "origin": origin, **_entries(answer)})
    made = _with_cases(suite.source.text, cases) if cases else suite.source.text
    return Acceptance(made, tuple(difference(suite.source.text, made, around=2)))


def _kinds(tokens: object, term: object, steps: object) -> Iterator[str]:
    """What a case is about, by what it states."""
    if tokens or term:
        yield "tokens" if tokens else "term"
    else:
        yield "steps" if steps else "outcome"


def _entries(answer: RecordedAnswer) -> dict[str, Any]:
    """The entries of a case; numbers with a point are written as texts, as suites read them."""
    found = msgspec.to_builtins(answer)
    found.pop("name", None)
    return {key: str(one) if isinstance(one, float) else one for key, one in found.items()}


def _with_cases(text: str, cases: list[dict[str, Any]]) -> str:
    """The text of a suite with more cases behind the last one; what stands behind that (a comment
    about what follows, questions) stays where it is."""
    array = tomlkit.aot()
    for entries in cases:
        case = tomlkit.table()
        for key, value in entries.items():
            case[key] = toml_text(value) if isinstance(value, str) else _inline(value)
        array.append(case)
    document = tomlkit.document()
    document["case"] = array
    written = tomlkit.dumps(document).strip("\n")
    lines = text.split("\n")
    at = _behind_cases(text, lines)
    for place in (at, len(lines)):
        head, rest = "\n".join(lines[:place]).rstrip("\n"), "\n".join(lines[place:]).strip("\n")
        made = "\n\n".join(part for part in (head, written, rest) if part) + "\n"
        if _more(text, made, len(cases)):
            return made
    raise CannotAccept("the file cannot take more cases")


def _behind_cases(text: str, lines: list[str]) -> int:
    """The number of the line behind the last one that belongs to a case."""
    entries = heads(text, ("case", "question"))
    last = max((number for number, (_, kind) in enumerate(entries) if kind == "case"), default=-1)
    if last < 0 or last + 1 == len(entries):
        at = len(lines)
    else:
        at = text.count("\n", 0, entries[last + 1][0])
    if last < 0:
        return at
    while at and (lines[at - 1].strip() == "" or lines[at - 1].startswith("#")):
        at -= 1
    return at


def _more(old: str, new: str, count: int) -> bool:
    """Whether one text of a suite says what another does, and some cases more."""
    try:
        before, after = read_toml(old), read_toml(new)
    except tomllib.TOMLDecodeError:
        return False
    cases = after.pop("case", [])
    return bool(cases[:-count] == before.pop("case", []) and before == after)


def _inline(value: Any) -> Any:
    """A table on one line."""
    if not isinstance(value, dict):
        return value
    table = tomlkit.inline_table()
    table.update({key: _inline(inner) for key, inner in value.items()})
    return table


def _answers(text: str) -> list[Any]:
    """The answers in a text: a JSON list, one JSON object, or one object on each line."""
    try:
        try:
            whole = json.loads(text)
            found = whole if isinstance(whole, list) else [whole]
        except ValueError:
            found = [json.loads(line) for line in text.splitlines() if line.strip()]
    except (ValueError, RecursionError) as bad:
        raise CannotAccept(f"the answers are no JSON: {bad}") from bad
    if len(found) > MOST_ANSWERS:
        raise CannotAccept(f"there are more than {MOST_ANSWERS:,} answers")
    return found
