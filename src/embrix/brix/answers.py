"""`deliberately CODE "reason"`: warnings that are meant."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix.syntax import DeliberateAnswer
from embrix.text.codes import CODES
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.source import Source
from embrix.text.suggest import did_you_mean


def answered(
    findings: Findings, answers: Sequence[DeliberateAnswer], source: Source, *, whole: bool
) -> Findings:
    """What is found without the warnings that are answered. Answers to nothing are reported where
    the `whole` definition could be looked at."""
    left = Findings()
    used: set[int] = set()
    for finding in findings.sorted():
        number = _answer(finding, answers)
        if number is None:
            left.extend([finding])
        else:
            used.add(number)
    for number, answer in enumerate(answers if whole else ()):
        if number in used or (answer.span.source or source) is not source:
            continue
        unknown = answer.code not in CODES
        left.warning(
            "needless_answer",
            f"there is no warning called {answer.code}"
            if unknown
            else f"there is no warning {answer.code} here to be answered",
            source, answer.span,
            did_you_mean(answer.code, CODES) if unknown else "remove the line",
        )  # fmt: skip
    return left


def _answer(finding: Diagnostic, answers: Sequence[DeliberateAnswer]) -> int | None:
    if finding.severity == "error":
        return None
    for number, answer in enumerate(answers):
        covers = answer.covers
        if answer.code != finding.code or covers is None or covers.source is not finding.source:
            continue
        if covers.start <= finding.span.start < covers.end:
            return number
    return None
