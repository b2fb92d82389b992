"""Commands about a course as a whole, and about running programs."""

from __future__ import annotations

import argparse
import sys
import textwrap
from collections.abc import Iterator, Sequence
from typing import Any

from embrix.checking.diagnostics import Checked, diagnostics
from embrix.cli.choice import Chosen, chosen, lanes_of
from embrix.cli.reading import tell_others
from embrix.cli.repl import converse
from embrix.cli.status import FAULTY, OK, UNREAD, status_of
from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage, course_folder
from embrix.lanes.inspection import look
from embrix.lanes.results import ending
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding, Lane
from embrix.machine.outcome import Outcome, Result
from embrix.messages.replies import Refusal
from embrix.services.prompt import Prompt
from embrix.text.codes import CODES
from embrix.text.diagnostic import Diagnostic, excerpt, render
from embrix.text.plural import counted
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean
from embrix.text.visible import cut, visible
from embrix.trace.walk import Walk, walkable


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
                print(f"{text}\n    true for {report.tried} generated examples, "
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
        {"language": name, "text": report.law.text, "tried": report.tried, "seed": report.seed,
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


# ---------------------------------------------------------------------- programs


def run(arguments: argparse.Namespace) -> int:
    """Run a program on the lanes asked for."""
    work = chosen(arguments)
    results = [(lane, _result(work, lane)) for lane in work.lanes]
    if arguments.json:
        answers = [{"interpreter": lane.name, **_data(work, result)} for lane, result in results]
        print_answer("run", answers[0] if len(answers) == 1 else answers)
    else:
        seen: set[str] = set()
        for lane, result in results:
            unread = result.outcome.kind in UNREAD
            if unread and result.outcome.sentence in seen:
                continue  # a program is refused once, not once for each lane
            seen.add(result.outcome.sentence)
            label = lane.name if len(results) > 1 and not unread else ""
            _print_result(work, result, label)
            if unread:
                tell_others(_refused(work), work.source)
    return status_of([result.outcome for _, result in results])


def _refused(work: Chosen) -> Refusal:
    """Why a program that was rejected is, with all its mistakes."""
    return look(work.session, work.language, work.source.text).refused or Refusal("", "")


def _result(work: Chosen, lane: Lane) -> Result:
    try:
        return lane.run(
            work.source.text, work.given, limits=work.limits, given_input=work.input,
            ways=work.ways,
        )  # fmt: skip
    except BadBinding as bad:
        raise Usage(f"--bind {bad}") from bad


def _data(work: Chosen, result: Result) -> dict[str, Any]:
    outcome: dict[str, Any] = result.outcome.as_data()
    if result.outcome.place is not None:
        line, column = work.source.position(result.outcome.place[0])
        outcome["line"], outcome["column"] = line, column
    state: dict[str, Any] = {"state": list(result.state)} if result.state else {}
    if result.ways:
        state["ways"] = [{"taken": taken + 1, "open": count} for taken, count in result.ways]
    return {"outcome": outcome, "output": list(result.output), "costs": result.costs, **state}


def _print_result(work: Chosen, result: Result, label: str) -> None:
    """What a program writes and gives goes to standard output, all else to standard error."""
    lead = f"{label}: " if label else ""
    for piece in result.output:
        sys.stdout.write(visible(piece, keep="\n"))
    if result.output and not result.output[-1].endswith("\n"):
        print()
    outcome = result.outcome
    written_only = outcome.kind == "value" and outcome.text == "()"
    stream = sys.stdout if outcome.kind == "value" and not written_only else sys.stderr
    sys.stdout.flush()
    print(lead + visible(ending(result)), file=stream)
    if result.state:
        print(f"  state: {visible(cut(', '.join(result.state), 200))}", file=stream)
    for line in _where(work, outcome):
        print(line, file=stream)
    if result.ways:
        print(f"  one of several ways: {ways_text(result.ways)}; embrix outcomes lists all",
              file=stream)  # fmt: skip
    stream.flush()


MOST_NAMED = 12


def ways_text(ways: Sequence[tuple[int, int]]) -> str:
    """Which ways a run took, counted from one: `2 of 3, 1 of 2`."""
    shown = [f"{taken + 1} of {count}" for taken, count in ways[:MOST_NAMED]]
    more = [f"and {len(ways) - MOST_NAMED} more"] if ways[MOST_NAMED:] else []
    return ", ".join((*shown, *more))


def _where(work: Chosen, outcome: Outcome) -> list[str]:
    """The place of an outcome in the program, with its line."""
    if outcome.place is None:
        return []
    span = Span(*outcome.place)
    line, column = work.source.position(span.start)
    rows = [f"  at {work.source.name}:{line}:{column}"]
    return rows + ["  " + row for row in excerpt(work.source, span)]


def steps(arguments: argparse.Namespace) -> int:
    """Print the reduction sequence, or the judgements in order of conclusion."""
    work = chosen(arguments)
    outcomes: list[Outcome] = []
    answers: list[dict[str, Any]] = []
    for lane in work.lanes:
        try:
            traced = lane.trace(
                work.source.text, work.given, limits=work.limits, given_input=work.input,
                ways=work.ways,
            )  # fmt: skip
        except BadBinding as bad:
            raise Usage(f"--bind {bad}") from bad
        outcome = traced.result.outcome
        outcomes.append(outcome)
        walk = Walk(lane, traced)
        if not walk.count_lines() and outcome.kind not in UNREAD and not walkable(lane.interpreter):
            print(f"embrix: {lane.name} has no `judgement` line and no `final` line, so there are "
                  "no steps to print", file=sys.stderr)  # fmt: skip
        if arguments.json:
            data = _data(work, traced.result)
            lines = list(_some_lines(walk))
            answers.append({"interpreter": lane.name, "steps": lines, "outcome": data["outcome"]})
            continue
        if len(work.lanes) > 1:
            print(f"— {lane.name}")
        for line in _some_lines(walk):
            print(visible(line))
        if outcome.kind != "value":
            sys.stdout.flush()
            print(visible(outcome.sentence), file=sys.stderr)
            print("\n".join(_where(work, outcome)), file=sys.stderr)
            if outcome.kind in UNREAD:
                tell_others(_refused(work), work.source)
                break  # all lanes read it alike
    if arguments.json:
        print_answer("steps", answers[0] if len(answers) == 1 else answers)
    return status_of(outcomes)


MOST_PRINTED = 250_000
"""Characters of steps that are printed of one lane."""


def _some_lines(walk: Walk) -> Iterator[str]:
    """The steps one by one; of a run that would fill hundreds of pages the first ones, which is
    said on standard error."""
    printed = 0
    for number, line in enumerate(walk.each_line()):
        if printed > MOST_PRINTED:
            sys.stdout.flush()
            more = counted(walk.count_lines() - number, "more line")
            print(f"embrix: {more}; embrix walk prints any of them", file=sys.stderr)
            return
        printed += len(line)
        yield line


def repl(arguments: argparse.Namespace) -> int:
    """A prompt; what is typed at a terminal can be edited and is remembered for the session."""
    session, language, lanes = lanes_of(arguments)
    if sys.stdin.isatty():
        import readline  # noqa: F401  (gives input() its line editing)

        print(f"{language}: an entry is a program; ? lists what can be asked, ?quit leaves")
        converse(Prompt(session, language, lanes, print), input)
    else:
        converse(Prompt(session, language, lanes, print), lambda _: input())
    return 0


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
