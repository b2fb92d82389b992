"""What a definition decides: its choices with the way in which each lane decides them, and which
cases of the suites change when one is decided otherwise."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from embrix.machine.lane import BadBinding, Lane
from embrix.runs.session import Session
from embrix.runs.verdicts import ASKING, answered, with_output
from embrix.suite.cases import Case, Suite
from embrix.text.diagnostic import Findings
from embrix.text.suggest import did_you_mean


class NoDecision(Exception):
    """There is no such choice, or it cannot be decided so; the message says why."""


def suites_for(session: Session, language: str) -> Iterator[Suite]:
    """The suites of a language that can be read."""
    for path in session.course.suites:
        suite = session.suite(path, Findings())
        if suite is not None and suite.language == language:
            yield suite


def choices_of(session: Session, language: str) -> list[dict[str, Any]]:
    """Every choice of a language's interpreters: its question, the ways in which it can be decided
    with the reason for each, how each lane decides it by default."""
    found: dict[str, dict[str, Any]] = {}
    for lane, interpreter in session.course.interpreters.get(language, {}).items():
        for choice in interpreter.choices.values():
            row = found.setdefault(choice.name, {
                "name": choice.name, "question": choice.question,
                "ways": dict(choice.alternatives), "default": choice.default, "lanes": {},
            })  # fmt: skip
            row["lanes"][lane] = interpreter.decided.get(choice.name, choice.default)
    return list(found.values())


def asked_and_chosen(session: Session, language: str) -> dict[str, Any]:
    """The table of decisions: the questions of the suites with the answers of the lanes, and the
    choices with the ways of the lanes."""
    questions: list[dict[str, Any]] = []
    for suite in suites_for(session, language):
        questions += answered(session, language, suite.questions)
    lanes = list(session.course.interpreters.get(language, {}))
    return {"lanes": lanes, "questions": questions, "choices": choices_of(session, language)}


def changed_by(
    session: Session, language: str, decision: str,
    progress: Callable[[dict[str, Any]], None] | None = None,
) -> list[dict[str, Any]]:  # fmt: skip
    """The cases that give something else on some lane when a choice is decided as `CHOICE=WAY`:
    what came before and what comes then, with the
    lanes of which that is so. Raises `NoDecision`."""
    choice, _, way = (part.strip() for part in decision.partition("="))
    known = {row["name"]: row["ways"] for row in choices_of(session, language)}
    if choice not in known:
        hint = did_you_mean(choice, known, "there are: " + (", ".join(known) or "none"))
        raise NoDecision(f"{language} has no choice called {choice}; {hint}")
    if way not in known[choice]:
        hint = did_you_mean(way, known[choice], "there are: " + ", ".join(known[choice]))
        raise NoDecision(f"{choice} is not decided by {way or 'nothing'}; {hint}")
    pairs = [
        (
            session.lane(language, name),
            session.lane(language, f"{name}[{choice}={way}]", brief=True),
        )
        for name, interpreter in session.course.interpreters[language].items()
        if choice in interpreter.choices
    ]
    found: list[dict[str, Any]] = []
    cases = [case for suite in suites_for(session, language) for case in suite.cases]
    for number, case in enumerate(cases):
        lanes: dict[tuple[str, str], list[str]] = {}
        for plain, decided in pairs:
            if case.grammar is not None or (case.lanes and plain.name not in case.lanes):
                continue
            ends = (_end(case, plain), _end(case, decided))
            if ends[0] != ends[1]:
                lanes.setdefault(ends, []).append(plain.name)
        found += [
            {"case": case.name, "program": case.program, "lanes": names, "before": before,
             "after": after}
            for (before, after), names in lanes.items()
        ]  # fmt: skip
        if progress is not None:
            progress({"done": number + 1, "of": len(cases)})
    return found


def _end(case: Case, lane: Lane) -> str:
    try:
        result = lane.run(case.program, case.given, limits=ASKING, given_input=case.input)
    except BadBinding as bad:
        return str(bad)
    return with_output(result, case.program)
