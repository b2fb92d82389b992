"""What a definition decides: its choices with the way in which each lane decides them, and which
cases of the suites change when one is decided otherwise."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from embrix.checking.verdicts import answered, with_output
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding, Lane
from embrix.messages.replies_on_suites import ChangedCase, ChoiceRow, DecisionTable, QuestionRow
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


def choices_of(session: Session, language: str) -> list[ChoiceRow]:
    """Every choice of a language's interpreters, and how each lane decides it by default."""
    found: dict[str, ChoiceRow] = {}
    for lane, interpreter in session.course.interpreters.get(language, {}).items():
        for choice in interpreter.choices.values():
            row = found.setdefault(choice.name, ChoiceRow(
                choice.name, choice.question, dict(choice.alternatives), choice.default, {},
            ))  # fmt: skip
            row.lanes[lane] = interpreter.decided.get(choice.name, choice.default)
    return list(found.values())


def decision_table(session: Session, language: str) -> DecisionTable:
    """The questions of the suites with the answers of the lanes, and the choices with the ways of
    the lanes."""
    questions: list[QuestionRow] = []
    for suite in suites_for(session, language):
        questions += answered(session, language, suite.questions)
    lanes = list(session.course.interpreters.get(language, {}))
    return DecisionTable(lanes, questions, choices_of(session, language))


def changed_by(
    session: Session, language: str, decision: str,
    progress: Callable[[int, int], None] | None = None,
) -> list[ChangedCase]:  # fmt: skip
    """The cases that give something else on some lane when a choice is decided as `CHOICE=WAY`:
    what came before and what comes then, with the lanes of which that is so. Raises
    `NoDecision`."""
    choice, _, way = (part.strip() for part in decision.partition("="))
    known = {row.name: row.ways for row in choices_of(session, language)}
    if choice not in known:
        hint = did_you_mean(choice, known, "there are: " + (", ".join(known) or "none"))
        raise NoDecision(f"{language} has no choice called {choice}; {hint}")
    if way not in known[choice]:
        hint = did_you_mean(way, known[choice], "there are: " + ", ".join(known[choice]))
        raise NoDecision(f"{choice} is not decided by {way or 'nothing'}; {hint}")
    pairs = [
        (
            session.lane(language, name),
            session.lane(language, f"{name}[{choice}={way}]"),
        )
        for name, interpreter in session.course.interpreters[language].items()
        if choice in interpreter.choices
    ]
    found: list[ChangedCase] = []
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
            ChangedCase(case.name, case.program, names, before, after)
            for (before, after), names in lanes.items()
        ]
        if progress is not None:
            progress(number + 1, len(cases))
    return found


def _end(case: Case, lane: Lane) -> str:
    try:
        result = lane.run(case.program, case.given, given_input=case.input)
    except BadBinding as bad:
        return str(bad)
    return with_output(result, case.program)
