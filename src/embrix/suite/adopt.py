"""Answers that were recorded elsewhere, taken into a suite as cases with their origin."""

from __future__ import annotations

import difflib
import json
from typing import Any

import tomlkit

from embrix.suite.accept import Acceptance, CannotAccept
from embrix.suite.model import Suite

_KEYS = ("name", "program", "value", "shows", "error", "output", "input", "given", "at", "why")


def adopt(suite: Suite, text: str, origin: str) -> Acceptance:
    """The suite with a case for each recorded answer: JSON, a list of objects or one on each line,
    with the entries of a case. Programs that the suite has already are left out. Raises
    `CannotAccept`."""
    document = tomlkit.parse(suite.source.text)
    names = {case.name for case in suite.cases} | {one.name for one in suite.questions}
    programs = {(case.program, tuple(case.input)) for case in suite.cases}
    cases: Any = document.get("case")
    if cases is None:
        cases = document["case"] = tomlkit.aot()
    for number, answer in enumerate(_answers(text), 1):
        if not isinstance(answer, dict) or not isinstance(answer.get("program"), str):
            raise CannotAccept(f"answer {number} has no `program`")
        unknown = sorted(set(answer) - set(_KEYS))
        if unknown:
            raise CannotAccept(f"answer {number} has an entry {unknown[0]}, which means nothing")
        if not {"value", "shows", "error", "output"} & set(answer):
            raise CannotAccept(f"answer {number} has no value, error or output")
        if (answer["program"], tuple(answer.get("input", ()))) in programs:
            continue
        case = tomlkit.table()
        name = str(answer.get("name") or f"{' '.join(answer['program'].split())[:50]}")
        while name in names:
            name += " (again)"
        names.add(name)
        case["name"] = name
        case["origin"] = origin
        for key in _KEYS[1:]:
            if key in answer:
                value = answer[key]
                case[key] = str(value) if isinstance(value, float) else value
        cases.append(case)
    made = tomlkit.dumps(document)
    changes = difflib.unified_diff(
        suite.source.text.splitlines(), made.splitlines(), "as it is", "as it would be", n=2,
        lineterm="",
    )  # fmt: skip
    return Acceptance(made, tuple(changes))


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
