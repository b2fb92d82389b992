"""Running suites, reporting on them, and accepting what came."""

from __future__ import annotations

import argparse
import os
import sys
import textwrap
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import msgspec

from embrix.checking.diagnostics import diagnostics
from embrix.checking.verdicts import Testing, check_suite, merged, only, with_history
from embrix.cli.status import FAULTY, NEGATIVE, OK
from embrix.cli.streams import print_answer
from embrix.cli.streams import progress as progress_line
from embrix.cli.usage import Faulty, Usage, course_folder, folder_given, new_file
from embrix.course.replacing import Changed, Damaged, go_back, replace_file
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.messages.replies_on_suites import CaseVerdict, SuiteReport
from embrix.suite.accept import Acceptance, CannotAccept, accept
from embrix.suite.adopt import adopt
from embrix.suite.cases import Suite
from embrix.suite.history import (
    Unkept,
    last_changes,
)
from embrix.suite.reports import under, write_report
from embrix.text.diagnostic import Diagnostic, Findings, render
from embrix.text.plural import counted
from embrix.text.refusal import refusal
from embrix.text.saving import save_text
from embrix.text.source import Unreadable, read_source
from embrix.text.suggest import did_you_mean
from embrix.text.visible import visible
from embrix.workers.copies import Lost, Shared, Telling


def test(arguments: argparse.Namespace) -> int:
    """Run suites on all interpreters, spread over the cores."""
    folder = course_folder(arguments.course, about=True)
    if arguments.to is not None:
        new_file(arguments.to, replace=arguments.replace)
    if arguments.jobs is not None and not 1 <= arguments.jobs <= 64:
        raise Usage("--jobs must be between 1 and 64")
    session = Session(folder)
    paths = suites_of(session, arguments.suites)
    if arguments.parts is not None:
        from embrix.cli.part_by_part import hold_suites

        return hold_suites(session, paths, arguments.parts)
    found, notes = _run_all(session, paths, arguments)
    reports = [only(report, arguments.tags, arguments.lanes) for report in found]
    findings = [finding for finding in notes if finding.severity == "error"]
    failed = any(v.state == "failed" for r in reports for c in r.cases for v in c.verdicts)
    form = "json" if arguments.json else arguments.report
    if form is not None:
        text = write_report(form, session.course.title, reports)
        if arguments.to is None:
            sys.stdout.write(text if text.endswith("\n") else text + "\n")
        else:
            try:
                save_text(arguments.to, text)
            except OSError as fault:
                raise Usage(f"{arguments.to} cannot be written: {refusal(fault)}") from fault
            print(f"written to {arguments.to}")
        return NEGATIVE if failed else FAULTY if findings else OK
    for finding in findings:
        print(render(finding), end="\n\n")
    for path, report in zip(paths, reports, strict=True):
        _print_report(report, path, session, since=arguments.grammar is None)
    return NEGATIVE if failed else FAULTY if findings else OK


def suites_of(session: Session, wanted: list[Path]) -> list[Path]:
    """The suites that are meant. Raises `Usage`."""
    paths = [path.resolve() for path in wanted] or list(session.course.suites)
    for path in paths:
        if path.is_dir():
            raise Usage(folder_given(path))
        if not path.is_file():
            raise Usage(f"there is no suite {path}")
        if session.course.folder not in path.parents:
            raise Usage(f"{path} does not belong to the course in {session.course.folder}")
    if not paths:
        raise Usage(f"{session.course.title} has no suites (files that end in .suite.toml)")
    return paths


WORTH = 150
"""Verdicts for which another process is worth its start."""


def _case_count(path: Path) -> int:
    """About how many cases a suite has."""
    try:
        return read_source(path).text.count("[[case]]")
    except Unreadable:
        return 0


def _cells(session: Session, arguments: argparse.Namespace) -> int:
    """About how many verdicts are to be found."""
    lanes = sum(map(len, session.course.interpreters.values()))
    lines = sum(map(_case_count, session.course.suites))
    shown = len(arguments.suites) or len(session.course.suites)
    per_suite = lines / max(1, len(session.course.suites))
    return round(shown * per_suite * (len(arguments.lanes) or lanes))


def _run_all(
    session: Session, paths: list[Path], arguments: argparse.Namespace
) -> tuple[list[SuiteReport], Sequence[Diagnostic]]:
    """A report for each suite, and what there is to say about definitions, which is found out
    meanwhile. Where there are more cores than suites, cases are shared out."""
    workers = arguments.jobs or min(os.cpu_count() or 1, 1 + _cells(session, arguments) // WORTH)
    shares = max(1, workers // len(paths))
    ask = arguments.json or arguments.report in ("json", "html")

    def work(part: int, telling: Telling) -> dict[str, Any]:
        number, share = divmod(part, shares)

        def progress(done: int, of: int) -> None:
            telling({"done": done, "of": of})

        report = check_suite(
            session, paths[number], progress, arguments.grammar, (share, shares), ask,
            arguments.lanes or (),
        )  # fmt: skip
        plain: dict[str, Any] = msgspec.to_builtins(report)
        return plain

    def telling(progress: dict[str, Any]) -> None:
        progress_line(f"{progress['done']} of {counted(progress['of'], 'case')} ")

    for path in paths:  # once, and not in each copy of this process
        suite = session.suite(path, Findings())
        if suite is not None:
            session.parser(suite.language)
    shared = Shared.begin(work, len(paths) * shares, workers, telling)
    try:
        findings = diagnostics(
            session, paths, arguments.lanes or (), lessons=not arguments.suites, warnings=False
        ).findings
        answers = [msgspec.convert(one, SuiteReport) for one in shared.wait()]
    except Lost as lost:
        raise Usage(f"the suites were not run: {lost}") from lost
    finally:
        shared.close()
        progress_line(" " * 40)
        progress_line("")
    reports = [
        merged(answers[number * shares : (number + 1) * shares]) for number in range(len(paths))
    ]
    return reports, findings


def _print_report(report: SuiteReport, path: Path, session: Session, *, since: bool) -> None:
    if not report.language:
        print(f"{report.file}: not run, because it cannot be read")
        return
    tally = {"passed": 0, "failed": 0, "left out": 0}
    if since:
        report = with_history(session, report)
        if report.unkept:
            print(f"! {report.unkept}", file=sys.stderr)
    for case in report.cases:
        wrong = [verdict for verdict in case.verdicts if verdict.state == "failed"]
        for verdict in case.verdicts:
            tally[verdict.state] += 1
        if not wrong:
            continue
        print(f"✗ {case.name}  ({report.file}:{case.line})")
        print(textwrap.indent(visible(case.program, keep="\n").rstrip("\n"), "    │ "))
        for alike in _alike(wrong, case.since):
            first = alike[0]
            print(f"    {', '.join(verdict.lane for verdict in alike)}")
            print("\n".join(under("      expected  ", visible(first.expected), first.parts[0])))
            print("\n".join(under("      but got   ", visible(first.actual), first.parts[1])))
            red = case.since.get(first.lane, "")
            if red:
                print(f"      red {red}")
        print()
    plain = [lane for lane in report.lanes if "[" not in lane]
    decided = len(report.lanes) - len(plain)
    lanes = ", ".join(plain) or "no interpreter"
    if decided:
        lanes += f" and {counted(decided, 'lane')} with choices decided otherwise"
    text = f"{tally['passed']} passed, {tally['failed']} failed"
    if tally["left out"]:
        text += f", {tally['left out']} left out"
    waiting = sum(not case.verdicts for case in report.cases)
    if not report.lanes:
        text = f"{waiting} waiting"
    elif waiting:
        text += f", {waiting} waiting for an interpreter"
    for name in report.not_allowed:
        print(f"! {name} was not run: its command has not been allowed (embrix allow {name})")
    for name in report.broken:
        print(f"! {name} was not run: its definition has errors")
    cases = counted(len(report.cases), "case")
    print(f"{report.file}: {cases} on {lanes}: {text}")


def _alike(wrong: list[CaseVerdict], since: dict[str, str]) -> list[list[CaseVerdict]]:
    """Verdicts that say the same of several lanes, together."""
    groups: dict[tuple[str, str, str], list[CaseVerdict]] = {}
    for verdict in wrong:
        key = (verdict.expected, verdict.actual, since.get(verdict.lane, ""))
        groups.setdefault(key, []).append(verdict)
    return list(groups.values())


def changed(arguments: argparse.Namespace) -> int:
    """Print what the last run of the suites changed."""
    session = Session(course_folder(arguments.course, about=True))
    rows = []
    for path in suites_of(session, []):
        name = path.relative_to(session.course.folder).as_posix()
        try:
            rows += [(name, *row) for row in last_changes(session.course.folder, name)]
        except Unkept as fault:
            raise Usage(refusal(fault)) from fault
    if arguments.json:
        keys = ("suite", "case", "lane", "before", "now")
        print_answer("changed", [dict(zip(keys, row, strict=True)) for row in rows])
        return 0
    for name, case, lane, before, now in rows:
        print(f"{'✗' if now == 'failed' else '◆'} {case}  on {lane}: {before} before, {now} now  "
              f"({name})")  # fmt: skip
    if not rows:
        print("the last run of the suites changed nothing")
    return 0


# ---------------------------------------------------------------------- accepting


def accept_case(arguments: argparse.Namespace) -> int:
    """Show what a suite would be with what came as what is expected; write it when told to."""
    session = Session(course_folder(arguments.course, arguments.suite.resolve().parent))
    (path,) = suites_of(session, [arguments.suite])
    if arguments.undo:
        return _undo(path, arguments)
    for left in reversed(range(ATTEMPTS)):
        suite, acceptance = _acceptance(session, path, arguments)
        written = bool(acceptance.changes) and arguments.yes
        if not written:
            break
        try:
            replace_file(path, suite.source.text, acceptance.text)
            break
        except Changed as quicker:
            if not left:
                raise Usage(f"not written: {quicker}") from quicker
        except (Damaged, Unreadable, OSError) as fault:
            raise Usage(f"not written: {refusal(fault)}") from fault
    if arguments.json:
        changes = acceptance.changes
        print_answer("accept", {"suite": path.name, "changes": changes, "written": written})
    else:
        _tell_changes(path, acceptance.changes, written=written)
    return 0


ATTEMPTS = 20
"""How often a suite is read again when another process has written it in the meantime."""


def _acceptance(
    session: Session, path: Path, arguments: argparse.Namespace
) -> tuple[Suite, Acceptance]:
    """The suite as it is now, with what is accepted. Raises `Faulty` and `Usage`."""
    findings = Findings()
    suite = session.suite(path, findings)
    if suite is None:
        for finding in findings.sorted():
            print(render(finding), end="\n\n", file=sys.stderr)
        raise Faulty(f"{path.name} cannot be read")
    try:
        if arguments.adopt is not None:
            return suite, _adopted(suite, arguments)
        return suite, _accepted(session, suite, arguments)
    except (CannotAccept, BadBinding) as wrong:
        raise Usage(str(wrong)) from wrong


def _tell_changes(path: Path, changes: Sequence[str], *, written: bool) -> None:
    if not changes:
        print("nothing would change")
        return
    print("\n".join(visible(line) for line in changes))
    if written:
        print(f"\nwritten to {path.name}; embrix accept --undo undoes it")
    else:
        print(f"\nwith --yes this is written to {path.name}")


def write_after_a_look(
    path: Path, old: str, new: str, changes: Sequence[str], *, yes: bool
) -> None:
    """Print what would change in a suite, and write it when told to. Raises `Usage`."""
    written = bool(changes) and yes
    if written:
        try:
            replace_file(path, old, new)
        except (Changed, Damaged, Unreadable, OSError) as fault:
            raise Usage(f"not written: {refusal(fault)}") from fault
    _tell_changes(path, changes, written=written)


def _accepted(session: Session, suite: Suite, arguments: argparse.Namespace) -> Acceptance:
    cases = {case.name: case for case in suite.cases}
    if arguments.case not in cases:
        hint = did_you_mean(arguments.case or "", cases, "give the name of a case")
        raise Usage(f"there is no case called “{arguments.case or ''}”; {hint}")
    case = cases[arguments.case]
    testing = Testing(session, suite)
    wrong = [verdict for verdict in testing.verdicts(case) if verdict.state == "failed"]
    wanted = [v for v in wrong if arguments.lane in (None, v.lane)]
    if not wanted:
        text = f" on {arguments.lane}" if arguments.lane else ""
        raise Usage(f"the case holds{text}: there is nothing to accept")
    verdict = wanted[0]
    lane = next(lane for lane in testing.lanes if lane.name == verdict.lane)
    if not arguments.json:
        print(f"{case.name} on {lane.name}: {verdict.expected}, but got {verdict.actual}\n")
    return accept(suite.source, case, lane, testing.lanes, verdict.what or "outcome")


def _adopted(suite: Suite, arguments: argparse.Namespace) -> Acceptance:
    try:
        text = read_source(arguments.adopt).text
    except Unreadable as fault:
        raise Usage(str(fault)) from fault
    if not arguments.origin:
        raise Usage("--origin must say where the answers come from")
    return adopt(suite, text, arguments.origin)


def _undo(path: Path, arguments: argparse.Namespace) -> int:
    try:
        found = go_back(path)
    except (Changed, Damaged, OSError) as fault:
        raise Usage(str(fault)) from fault
    if arguments.json:
        print_answer("accept", {"suite": path.name, "changes": [], "written": found is not None})
        return int(found is None)
    print("there is nothing to take back" if found is None else f"{path.name} is as it was before")
    return int(found is None)
