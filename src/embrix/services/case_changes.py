"""What a suite would be with one of its cases changed."""

from __future__ import annotations

from pathlib import Path

from embrix.checking.outline import outline
from embrix.checking.suite_coverage import SMALL, clauses_met, small_programs
from embrix.checking.verdicts import Testing
from embrix.course.missing import NoFunction
from embrix.course.naming import plain_name
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.messages.replies_on_writing import TextChange
from embrix.services.found_case import as_case
from embrix.suite.accept import Acceptance, CannotAccept, accept
from embrix.suite.arranging import Arrangement, arrange
from embrix.suite.cases import Suite
from embrix.text.diagnostic import Findings


def acceptance(
    session: Session, path: Path, name: str, lane: str, what: str, typed: str | None
) -> TextChange:
    """What a suite would be with what a lane gives, or with what was typed, as the expectation of a
    case: the old text, the new one, the lines of the difference; or why not."""
    suite = session.suite(path, Findings())
    if suite is None:
        return TextChange("the suite cannot be read")
    testing = Testing(session, suite)
    case = next((one for one in suite.cases if one.name == name), None)
    own = next((one for one in testing.lanes if one.name == lane), None)
    if case is None or own is None:
        return TextChange("the case or the lane is gone; F5 runs the suite again")
    try:
        found = accept(suite.source, case, own, testing.lanes, what, typed)
    except (CannotAccept, BadBinding) as wrong:
        return TextChange(str(wrong))
    return _changed(suite, found)


def arrangement(
    session: Session, path: Path, name: str, how: Arrangement, new: str = ""
) -> TextChange:
    """What a suite would be with a case duplicated, renamed or removed; or why not."""
    suite = session.suite(path, Findings())
    case = next((one for one in suite.cases if one.name == name), None) if suite else None
    if suite is None or case is None:
        return TextChange("the case is gone; F5 runs the suite again")
    try:
        return _changed(suite, arrange(suite, case, how, new))
    except CannotAccept as wrong:
        return TextChange(str(wrong))


def covering_case(
    session: Session, path: Path, language: str, lane: str, function: str, form: str
) -> TextChange:
    """What a suite would be with a case that comes to the clause of a function for a form: the
    shortest of some made-up programs that does, expected to give what it gives on that lane."""
    own = session.lane(language, plain_name(lane))
    grid = outline(own.interpreter)
    rows = {constructor.name: cells for constructor, cells in grid.forms}
    if function not in grid.functions or form not in rows:
        gone = form if function in grid.functions else function
        raise NoFunction(f"{lane} has nothing called {gone} now")
    cell = rows[form][grid.functions.index(function)]
    best = ""
    tried = 0
    for text in small_programs(session, language):
        tried += 1
        if best and len(text) >= len(best):
            continue
        traced = own.trace(text, limits=SMALL)
        ended = traced.result.outcome.kind in ("value", "failure")
        if ended and clauses_met(own.interpreter, traced) & set(cell.clauses):
            best = text
    if not best:
        return TextChange(f"none of {tried} generated programs reaches this clause")
    return as_case(session, path, best, [lane], "the outline")


def _changed(suite: Suite, found: Acceptance) -> TextChange:
    return TextChange("", suite.source.text, found.text, list(found.changes))
