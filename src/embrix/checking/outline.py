"""The clauses of an interpreter as a grid: forms down, functions across."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct, field

from embrix.brix import core as k
from embrix.brix.core import Function, Interpreter
from embrix.checking.suite_coverage import LIMITS, clauses_met, played
from embrix.checking.verdicts import check_suite
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.terms.node import Constructor
from embrix.terms.types import Con, settle

STATES = ("written", "taken over", "for several", "final", "order", "to do", "wrong", "missing")
"""What a cell may say of a form and a function; empty where the function is about other terms."""

Place = tuple[str, int]


class ClauseCell(Struct, frozen=True):
    """Whether a function has a clause for a form, and where; `clauses` are those that take it."""

    state: str = ""
    file: str = ""
    start: int = 0
    clauses: tuple[Place, ...] = ()


class Outline(Struct, frozen=True):
    """The functions that choose by terms, and for each form a cell for each of them."""

    functions: tuple[str, ...]
    forms: tuple[tuple[Constructor, tuple[ClauseCell, ...]], ...]


class Met(Struct):
    """The clauses that cases of the suites come to, by whether these pass."""

    passing: set[Place] = field(default_factory=set)
    failing: set[Place] = field(default_factory=set)

    def of(self, cell: ClauseCell) -> str:
        """`unmet` where no case comes to a clause of a cell, `failing` where only failing ones do,
        else nothing."""
        if not cell.clauses or self.passing.intersection(cell.clauses):
            return ""
        return "failing" if self.failing.intersection(cell.clauses) else "unmet"


def outline(interpreter: Interpreter) -> Outline:
    """The grid of an interpreter: functions in the order of the file, forms in that of the
    language, then the author's values."""
    columns = [
        (function, position, kind)
        for function in interpreter.functions.values()
        if not function.helper
        for position, kind in [subject_of(interpreter, function)]
        if position >= 0
    ]
    forms = [one for one in interpreter.constructors.values()
             if any(one.owner == kind for _, _, kind in columns)]  # fmt: skip
    rows = [
        (form, tuple(
            _cell(interpreter, function, position, form) if form.owner == kind else ClauseCell()
            for function, position, kind in columns
        ))
        for form in forms
    ]  # fmt: skip
    return Outline(tuple(function.name for function, _, _ in columns), tuple(rows))


def subject_of(interpreter: Interpreter, function: Function) -> tuple[int, str]:
    """Which of the subjects that clauses choose by is a term, and its type; -1 where none is."""
    owners = {one.owner for one in interpreter.constructors.values()}
    for position, number in enumerate(function.subjects):
        kind = settle(function.types[number])
        if isinstance(kind, Con) and kind.name in owners:
            return position, kind.name
    return -1, ""


def _cell(
    interpreter: Interpreter, function: Function, position: int, form: Constructor
) -> ClauseCell:
    own: list[k.CoreClause] = []
    others: list[k.CoreClause] = []
    for clause in function.clauses:
        match = _takes(clause.patterns[position], form.tag)
        if match:
            (own if match == "own" else others).append(clause)
    finals = (_takes(final.patterns[position], form.tag) for final in function.finals)
    if not own and "own" in finals:
        return _at(interpreter, "final", [], function)
    found = own or others[:1]
    if not found:
        return _at(interpreter, "missing", [], function)
    first = next((one for one in found if isinstance(one.body, k.Todo)), found[0])
    if isinstance(first.body, k.Todo):
        state = "wrong" if first.body.code else "to do"
    elif not own:
        state = "for several"
    elif all(one.steps for one in own):
        state = "order"
    else:
        place = (first.span.source or interpreter.source).name
        state = "written" if place == interpreter.source.name else "taken over"
    return _at(interpreter, state, [first, *(one for one in found if one is not first)], function)


def _at(
    interpreter: Interpreter, state: str, clauses: Sequence[k.CoreClause], function: Function
) -> ClauseCell:
    span = clauses[0].span if clauses else function.span
    places = tuple(
        ((c.span.source or interpreter.source).name, c.span.start)
        for c in clauses
        if function.judgement is not None  # the others leave no record
    )
    return ClauseCell(state, (span.source or interpreter.source).name, span.start, places)


def _takes(pattern: k.CorePattern, tag: int) -> str:
    """`own` for a pattern that names a form, `any` for one that takes it with others."""
    match pattern:
        case k.Shape(found):
            return "own" if found == tag else ""
        case k.Named(inner):
            return _takes(inner, tag)
        case k.Among(tags, _):
            return "any" if tag in tags else ""
        case k.Bind():
            return "any"
    return ""


def met(session: Session, language: str, lane: str) -> Met:
    """What the cases of the suites come to on a lane: every case is run with its record."""
    states = dict(_states(session, language, lane))
    found = Met()
    for case, own in played(session, language):
        if own.name != lane or (case.name, case.program) not in states:
            continue
        try:
            traced = own.trace(case.program, case.given, limits=LIMITS, given_input=case.input)
        except BadBinding:
            continue
        into = found.passing if states[case.name, case.program] else found.failing
        into |= clauses_met(own.interpreter, traced)
    return found


def _states(session: Session, language: str, lane: str) -> Iterator[tuple[tuple[str, str], bool]]:
    """Every case that a lane has verdicts on, and whether all of them are as expected."""
    for path in session.course.suites:
        report = check_suite(session, path, wanted=[lane])
        if report.language != language:
            continue
        for case in report.cases:
            own = [one.state for one in case.verdicts if one.lane == lane]
            if any(state in ("passed", "failed") for state in own):
                yield (case.name, case.program), "failed" not in own
