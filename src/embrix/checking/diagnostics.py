"""Everything there is to say about the definitions of a course."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from functools import partial
from pathlib import Path

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from embrix.brix.core import Language, Law
from embrix.checking.kept_laws import report_on_law
from embrix.checking.laws import LawReport
from embrix.course.checked import MEMORY
from embrix.course.kept_definitions import AS_IT_IS
from embrix.grammar.model import Grammar
from embrix.grammar.report import Report, report_on
from embrix.lanes.session import Session
from embrix.lessons.lesson_check import check_lesson
from embrix.lessons.lesson_reader import lesson_of
from embrix.machine.lane import Lane
from embrix.messages.replies import Note
from embrix.text.diagnostic import Diagnostic, Findings
from embrix.text.plural import counted
from embrix.text.source import Span


def note_of(finding: Diagnostic) -> Note:
    """A diagnostic as it is sent to other processes."""
    return msgspec.convert(finding.as_data(), Note)


class Checked(Struct, frozen=True):
    """What there is to say, and the laws that were tried, by language."""

    findings: Sequence[Diagnostic]
    laws: Sequence[tuple[str, LawReport]]


def diagnostics(
    session: Session,
    suites: Collection[Path] | None = None,
    lanes: Collection[str] = (),
    *,
    lessons: bool = True,
    warnings: bool = True,
) -> Checked:
    """Everything there is to say about definitions, suites, laws and, where they are asked for,
    lessons. With some `suites` only what concerns them is looked at beyond the definitions, with
    some `lanes` only their laws. Without `warnings` only some of them are found.
    """
    findings = Findings()
    laws: list[tuple[str, LawReport]] = []
    findings.extend(session.course.diagnostics if warnings else session.course.wrong)
    concerned: set[str] = set()
    for path in session.course.suites:
        suite = session.suite(path, findings)
        if suite is not None and (suites is None or path in suites):
            concerned.add(suite.language)
    if lessons:
        for path in session.course.lessons:
            lesson = lesson_of(session, path, findings)
            if lesson is not None:
                check_lesson(session, lesson, findings)
    for name, language in session.course.languages.items():
        if suites is not None and name not in concerned:
            continue
        if warnings and not _unread(session, language):
            _grammars(language, findings)
        for lane in session.lanes(name):
            if not lanes or lane.name in lanes:
                laws += _laws(lane, findings)
    return Checked(findings.sorted(), laws)


def diagnostics_of(session: Session, language: str) -> list[Diagnostic]:
    """What there is to say about the definitions and the grammars of one language."""
    findings = Findings()
    findings.extend(session.course.diagnostics)
    named = session.course.languages.get(language)
    if named is not None and not _unread(session, named):
        _grammars(named, findings)
    return list(findings.sorted())


UNREAD = ("unreadable", "unknown_character", "unknown_word", "other_habit")
"""Codes of what is left out as long as it is not mended."""


def _unread(session: Session, language: Language) -> bool:
    """Whether something of a language cannot be read: what its grammar is follows from that."""
    return any(
        one.source is language.source and one.code in UNREAD for one in session.course.diagnostics
    )


def _grammars(language: Language, findings: Findings) -> None:
    for name, grammar in language.grammars.items():
        _grammar(language, name, grammar, findings)


def _grammar(language: Language, name: str, grammar: Grammar, findings: Findings) -> None:
    """Conflicts and ambiguity, at the alternatives they belong to."""
    for rule in grammar.starts:
        report, _ = MEMORY.recall(
            ("grammar report", name, rule), (language,), partial(_report, grammar, rule),
            AS_IT_IS,
        )  # fmt: skip
        for story in report.conflicts:
            findings.warning(
                "grammar_conflict", f"after  {story.read}  with  {story.next}  next, there are "
                f"{counted(len(story.choices), 'way')} to go on", language.source, story.origin,
                "; or ".join(story.choices),
            )  # fmt: skip
        if report.ambiguity:
            sentence, first, second, where = report.ambiguity
            span = report.conflicts[0].origin if report.conflicts else Span(0, 0)
            findings.warning(
                "ambiguous_grammar", f"{sentence}  has two trees:  {first}  and  {second}",
                language.source, span, where,
            )  # fmt: skip


def _report(grammar: Grammar, rule: str, _: Findings) -> Report:
    return report_on(grammar, rule)


def _law(lane: Lane, law: Law) -> LawReport:
    """What came of trying a law, remembered as long as the interpreter says the same."""
    interpreter = lane.interpreter
    key = ("law", interpreter.laws.index(law), lane.name, interpreter.language.chosen)
    report, _ = MEMORY.recall(
        key, (interpreter.meaning,), lambda _: report_on_law(lane.machine, law)
    )
    return replace(report, law=law)


def _laws(lane: Lane, findings: Findings) -> list[tuple[str, LawReport]]:
    """Laws that fail; what came of all."""
    reports = []
    for law in lane.interpreter.laws:
        report = _law(lane, law)
        reports.append((lane.interpreter.language.name, report))
        if report.counterexample is not None:
            example = ", ".join(f"{k} = {v}" for k, v in report.counterexample.items())
            verdict = "fails or is stuck" if report.failed else "is false"
            findings.error(
                "law_fails", f"this {verdict} for {example}", lane.interpreter.source,
                law.span, f"{report.tried} generated examples were tried, seed {report.seed}",
            )  # fmt: skip
    return reports
