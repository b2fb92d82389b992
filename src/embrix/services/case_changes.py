"""What a suite would be with one of its cases changed."""

from __future__ import annotations

from pathlib import Path

from embrix.checking.verdicts import Testing
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.messages.replies import TextChange
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


def _changed(suite: Suite, found: Acceptance) -> TextChange:
    return TextChange("", suite.source.text, found.text, list(found.changes))
