"""What is wrong in a course, and what the code of a finding means."""

from __future__ import annotations

import argparse
import textwrap
from collections.abc import Sequence
from typing import Any

from embrix.checking.diagnostics import Checked, diagnostics
from embrix.cli.status import FAULTY, OK
from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder
from embrix.lanes.session import Session
from embrix.text.codes import CODES
from embrix.text.diagnostic import Diagnostic, render
from embrix.text.plural import counted
from embrix.text.suggest import did_you_mean
from embrix.trace.walk import walkable


def check(arguments: argparse.Namespace) -> int:
    """Print everything there is to say about a course."""
    session = Session(course_folder(arguments.course, about=True))
    checked = diagnostics(session)
    findings = checked.findings
    if arguments.json:
        print_answer("check", _checked(session, checked))
    else:
        for finding in findings:
            print(render(finding), end="\n\n")
        for text, report in {report.law.text: report for _, report in checked.laws}.items():
            if report.untried:
                print(f"{text}\n    not tried: {report.untried}")
            elif report.counterexample is None:
                of = f" of {report.made:,} made" if report.law.conditions else ""
                print(f"{text}\n    true for {report.tried} generated examples{of}, "
                      f"seed {report.seed}")  # fmt: skip
        for name in _without_steps(session):
            print(f"{name} has no `judgement` line: its runs have no steps, and what goes wrong "
                  "silently is not looked for")  # fmt: skip
        print(_census(session, findings))
    return FAULTY if any(finding.severity == "error" for finding in findings) else OK


def _without_steps(session: Session) -> list[str]:
    return [
        f"{name}.{lane.name}"
        for name in session.course.languages
        for lane in session.lanes(name)
        if not walkable(lane.interpreter)
    ]


def _checked(session: Session, checked: Checked) -> dict[str, Any]:
    course = session.course
    laws = [
        {"language": name, "text": report.law.text, "tried": report.tried, "made": report.made,
         "seed": report.seed,
         **({"untried": report.untried} if report.untried else {}),
         **({"counterexample": report.counterexample} if report.counterexample else {})}
        for name, report in checked.laws
    ]  # fmt: skip
    lanes = {
        name: [*course.interpreters.get(name, {}), *course.broken.get(name, ())]
        for name in course.languages
    }
    return {"course": course.title, "languages": lanes, "laws": laws,
            "findings": [finding.as_data() for finding in checked.findings],
            "without_steps": _without_steps(session)}  # fmt: skip


def _census(session: Session, findings: Sequence[Diagnostic]) -> str:
    course = session.course
    parts = []
    for name in course.languages:
        lanes = [*course.interpreters.get(name, {}), *course.broken.get(name, ())]
        parts.append(f"{name} with {', '.join(lanes) or 'no interpreter'}")
    errors = sum(finding.severity == "error" for finding in findings)
    warnings = len(findings) - errors
    text = f"{counted(errors, 'error')}, {counted(warnings, 'warning')}"
    text = text if findings else "nothing to report"
    return f"{course.title}: {'; '.join(parts) or 'no languages'}. {text}"


def explain(arguments: argparse.Namespace) -> int:
    """Print what codes mean."""
    code = arguments.code
    if arguments.json and code in (None, *CODES):
        asked = {name: text for name, text in sorted(CODES.items()) if code in (None, name)}
        print_answer("explain", asked)
        return 0
    if code is None:
        for name, text in sorted(CODES.items()):
            print(textwrap.fill(f"{name}: {text}", 96, subsequent_indent="    "))
        return 0
    if code not in CODES:
        raise Usage(f"there is no code {code}; {did_you_mean(code, CODES)}".rstrip("; "))
    print(textwrap.fill(CODES[code], 96))
    return 0
