"""Answers that were recorded elsewhere, taken into a suite as cases with their origin."""

from __future__ import annotations

import difflib
import json
import tomllib
from typing import Any

import tomlkit

from embrix.suite.accept import Acceptance, CannotAccept
from embrix.suite.model import Suite
from embrix.text.toml_places import heads

_KEYS = (
    "name", "program", "value", "shows", "error", "rejected", "diverges", "output", "state",
    "input", "given", "at", "why", "for",
)  # fmt: skip
_SAID = {"value", "shows", "error", "rejected", "diverges", "output", "for"}


def adopt(suite: Suite, text: str, origin: str) -> Acceptance:
    """The suite with a case for each recorded answer: JSON, a list of objects or one on each line,
    with the entries of a case. Programs that the suite has already are left out. Raises
    `CannotAccept`."""
    names = {case.name for case in suite.cases} | {one.name for one in suite.questions}
    programs = {(case.program, tuple(case.input)) for case in suite.cases}
    made = suite.source.text
    for number, answer in enumerate(_answers(text), 1):
        if not isinstance(answer, dict) or not isinstance(answer.get("program"), str):
            raise CannotAccept(f"answer {number} has no `program`")
        unknown = sorted(set(answer) - set(_KEYS))
        if unknown:
            raise CannotAccept(f"answer {number} has an entry {unknown[0]}, which means nothing")
        if not _SAID & set(answer):
            raise CannotAccept(f"answer {number} has no value, error or output")
        if (answer["program"], tuple(answer.get("input", ()))) in programs:
            continue
        name = str(answer.get("name") or f"{' '.join(answer['program'].split())[:50]}")
        while name in names:
            name += " (again)"
        names.add(name)
        made = _with_case(made, {"name": name, "origin": origin, **_entries(answer)})
    changes = difflib.unified_diff(
        suite.source.text.splitlines(), made.splitlines(), "as it is", "as it would be", n=2,
        lineterm="",
    )  # fmt: skip
    return Acceptance(made, tuple(changes))


def _entries(answer: dict[str, Any]) -> dict[str, Any]:
    """The entries of a case; numbers with a point are written as texts, as suites read them."""
    found = {key: answer[key] for key in _KEYS[1:] if key in answer}
    return {key: str(one) if isinstance(one, float) else one for key, one in found.items()}


def _with_case(text: str, entries: dict[str, Any]) -> str:
    """The text of a suite with one more case behind the last one; what stands behind that (a
    comment about what follows, questions) stays where it is."""
    case = tomlkit.table()
    for key, value in entries.items():
        case[key] = _inline(value)
    array = tomlkit.aot()
    array.append(case)
    document = tomlkit.document()
    document["case"] = array
    written = tomlkit.dumps(document).strip("\n")
    lines = text.split("\n")
    at = _behind_cases(text, lines)
    for place in (at, len(lines)):
        head, rest = "\n".join(lines[:place]).rstrip("\n"), "\n".join(lines[place:]).strip("\n")
        made = "\n\n".join(part for part in (head, written, rest) if part) + "\n"
        if _one_more(text, made):
            return made
    raise CannotAccept("the file cannot take another case")


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


def _one_more(old: str, new: str) -> bool:
    """Whether one text of a suite says what another does, and one case more."""
    try:
        before, after = tomllib.loads(old), tomllib.loads(new)
    except tomllib.TOMLDecodeError:
        return False
    cases = after.pop("case", [])
    return bool(cases[:-1] == before.pop("case", []) and before == after)


def _inline(value: Any) -> Any:
    """A table on one line."""
    if not isinstance(value, dict):
        return value
    table = tomlkit.inline_table()
    table.update({key: _inline(inner) for key, inner in value.items()})
    return table


def _answers(text: str) -> list[Any]:
    try:
        whole = json.loads(text)
        return whole if isinstance(whole, list) else [whole]
    except ValueError:
        pass
    try:
        return [json.loads(line) for line in text.splitlines() if line.strip()]
    except ValueError as bad:
        raise CannotAccept(f"the answers are no JSON: {bad}") from bad
