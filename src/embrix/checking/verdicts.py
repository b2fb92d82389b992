"""Running a suite: every case on every lane it speaks of, and only what may have changed.

A verdict rests on the case and on what the interpreter says, nothing else: it is remembered with
that (`core.Meaning`), so that an edit in a comment runs no case.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Hashable, Iterator, Sequence
from functools import lru_cache, partial
from pathlib import Path
from typing import TypeVar
from weakref import WeakKeyDictionary

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix.core import Meaning
from embrix.checking.case_calls import in_good_time
from embrix.checking.diagnostics import note_of
from embrix.checking.unchanged import unchanged_verdict
from embrix.course.checked import MEMORY
from embrix.course.naming import plain_name, split_version
from embrix.lanes.names import NoChoice, NoLane
from embrix.lanes.outside_lane import check_outside
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding, Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result
from embrix.messages.replies import Note, Place
from embrix.messages.replies_on_suites import (
    CaseRow,
    CaseVerdict,
    LaneAnswer,
    QuestionRow,
    SuiteReport,
)
from embrix.suite.cases import Case, Question, Suite
from embrix.suite.check import Verdict, check_case, describe, fits, translated
from embrix.suite.expected_steps import difference
from embrix.suite.history import Unkept, fingerprint, remember, remembered, rows_of, since_text
from embrix.text.diagnostic import Findings
from embrix.text.source import Span
from embrix.text.visible import visible

LaneT = TypeVar("LaneT", bound=Lane)

_log = logging.getLogger(__name__)

MOST_VERDICTS = 20_000
"""Verdicts that are remembered for one interpreter."""

_NOWHERE = Span(0, 0)
_VERDICTS: WeakKeyDictionary[Meaning, dict[Hashable, Verdict]] = WeakKeyDictionary()


def verdict_of(case: Case, written: str, lane: Lane, calls: int) -> Verdict:
    """The verdict on a case that may make so many calls, remembered as long as the interpreter says
    the same, or what says something else is nothing that the case has come to. `written` is all
    that the case says, wherever it stands."""
    known = _VERDICTS.setdefault(lane.interpreter.meaning, {})
    key = (lane.name, lane.interpreter.language.chosen, calls, written)
    if key not in known:
        if len(known) >= MOST_VERDICTS:
            known.clear()
        known[key] = unchanged_verdict(
            lane, key, lambda: unfailing(case, lane, partial(check_case, limits=Limits(calls)))
        )
    return known[key]


def unfailing(case: Case, lane: LaneT, check: Callable[[Case, LaneT], Verdict]) -> Verdict:
    """A verdict in any case: a fault of Embrix is one that fails, and takes nothing else along."""
    try:
        return check(case, lane)
    except Exception as fault:
        _log.exception("the case %r on %s", case.name, lane.name)
        if lane.records:
            lane.machine.entered.unmarked()  # it does not rest on the clauses that were entered
        text = f"an internal error of Embrix: {type(fault).__name__}: {fault}"
        return Verdict(case.name, lane.name, "failed", "a verdict", text, "outcome")


class _Asked(Struct, frozen=True):
    """What a case says, wherever it stands; the roles of the lanes that it speaks of, and by lane
    what that must give, as it is typed."""

    written: str
    lanes: frozenset[str]
    expects: dict[str, str]


def _asked(case: Case, lanes: Sequence[tuple[str, str]]) -> _Asked:
    return _Asked(
        repr(replace(case, span=_NOWHERE, entry=(-1, -1))),
        frozenset(role for _, role in lanes if case.applies_to(role)),
        {name: text for name, _ in lanes if (text := case.typed(name))},
    )


class Testing:
    """The lanes of a suite, and its cases on them."""

    __test__ = False

    def __init__(
        self,
        session: Session,
        suite: Suite,
        grammar: str | None = None,
        wanted: Sequence[str] = (),
    ) -> None:
        """With names of `wanted` lanes only these."""
        self.session = session
        self.suite = suite
        self.language = suite.language
        self.grammar = grammar
        self.findings = Findings()
        self.lanes = session.lanes(suite.language)
        decided = [name for name in suite.decided if not wanted or name in wanted]
        for name in decided if self.lanes else ():
            try:
                self.lanes.append(session.lane(suite.language, name))
            except NoChoice as wrong:
                self.findings.error("unknown_name", str(wrong), suite.source, Span(0, 0))
            except NoLane:
                continue  # its interpreter has errors, which are reported
        self.outside = session.outside(suite.language)
        self.reading = None if self.lanes or self.outside else session.reading_lane(suite.language)
        """What cases about reading are held against where nothing runs programs yet."""
        for name in wanted:
            if split_version(name)[1] and plain_name(name) in {one.name for one in self.lanes}:
                try:
                    self.lanes.append(session.lane(suite.language, name))
                except NoLane as wrong:
                    self.findings.error("unknown_interpreter", str(wrong), suite.source, Span(0, 0))
        if wanted:
            self.lanes = [lane for lane in self.lanes if lane.name in wanted]
            self.outside = [lane for lane in self.outside if lane.name in wanted]
        self._all = session.lanes(suite.language)
        self._roles = tuple([(lane.name, lane.role) for lane in self.lanes])
        self._asked, _ = MEMORY.recall(("asked", self._roles), (suite,), self._each_asked)

    def _each_asked(self, _: Findings) -> dict[int, _Asked]:
        """By the identity of each case of the suite what it asks of the lanes."""
        return {id(case): _asked(case, self._roles) for case in self.suite.cases}

    def asked(self, case: Case) -> _Asked:
        """What a case asks of the lanes."""
        return self._asked.get(id(case)) or _asked(case, self._roles)

    def verdicts(self, case: Case) -> Iterator[Verdict]:
        """The verdicts on a case, one for each lane; none where it waits for an interpreter."""
        if self.reading is not None and case.about_reading and self.grammar is None:
            found = unfailing(case, self.reading, check_case)
            if found.what == "outcome" and "rejected" not in found.actual:
                found = replace(found, actual="accepted")
            yield found
            return
        other = None
        if self.grammar is not None:
            others = self.session.lanes(self.language, self.grammar)
            other = translated(case, self.lanes[0], others[0]) if others and self.lanes else None
        read_by = [self._read(one, case) for one in self._all]
        asked = self.asked(case)
        for lane in self.lanes:
            if lane.name != plain_name(lane.name) and self.grammar is not None:
                continue
            if lane.role not in asked.lanes:
                yield Verdict(case.name, lane.name, "left out")
                continue
            if other is not None:
                read = self.session.lane(self.language, lane.name, self.grammar)
                yield unfailing(other, read, check_case)
            else:
                read = self._read(lane, case)
                yield in_good_time(
                    read, read_by, partial(verdict_of, case, asked.written), case.calls
                )
        for outside in self.outside if self.grammar is None else ():
            yield unfailing(case, outside, check_outside)

    def _read(self, lane: Lane, case: Case) -> Lane:
        """A lane whose programs are read as a case wants it."""
        if case.grammar is None:
            return lane
        return self.session.lane(self.language, lane.name, case.grammar)

    def row(self, case: Case) -> CaseRow:
        """A case with its verdicts."""
        line, _ = self.suite.source.position(case.span.start)
        return CaseRow(
            name=case.name,
            program=case.program,
            why=case.why,
            tags=list(case.tags),
            given=dict(case.given),
            input=list(case.input),
            line=line,
            entry=case.entry,
            verdicts=[verdict_row(verdict) for verdict in self.verdicts(case)],
            expects=dict(self.asked(case).expects),
        )


def merged(parts: Sequence[SuiteReport]) -> SuiteReport:
    """The report of a suite from those on its shares."""
    cases = [case for part in parts for case in part.cases]
    cases.sort(key=lambda case: (case.entry, case.name))
    return replace(parts[0], cases=cases)


def only(report: SuiteReport, tags: Sequence[str], lanes: Sequence[str]) -> SuiteReport:
    """The part of a report about cases with some tag and about some lanes; all where none is
    named."""
    cases = [case for case in report.cases if not tags or set(tags) & set(case.tags)]
    if not lanes:
        return replace(report, cases=cases)
    return replace(
        report,
        lanes=[lane for lane in report.lanes if lane in lanes],
        cases=[
            replace(case, verdicts=[v for v in case.verdicts if v.lane in lanes]) for case in cases
        ],
    )


_difference = lru_cache(2_000)(difference)
"""A verdict that stays is not compared again with each edit."""


def verdict_row(verdict: Verdict) -> CaseVerdict:
    """A verdict as it is sent to other processes."""
    parts: tuple[list[Place], list[Place]] = ([], [])
    if verdict.state == "failed":
        expected, actual = _difference(verdict.expected, verdict.actual)
        parts = (list(expected), list(actual))
    return CaseVerdict(
        verdict.lane, verdict.state, verdict.expected, verdict.actual, verdict.what,
        verdict.step, parts,
    )  # fmt: skip


def check_suite(
    session: Session,
    path: Path,
    progress: Callable[[int, int], None] | None = None,
    grammar: str | None = None,
    share: tuple[int, int] = (0, 1),
    ask: bool = False,
    wanted: Sequence[str] = (),
) -> SuiteReport:
    """All verdicts of a suite, case by case in the order of the file.

    With the name of another grammar the programs are printed in it and read by it. `share` is the
    number of a part and of how many: only every case of that part is looked at. With `ask` its
    questions are put as well. With names of `wanted` lanes only these run.
    """
    findings = Findings()
    suite = session.suite(path, findings)
    if suite is None:
        return SuiteReport(path.name, diagnostics=_notes(findings))
    testing = Testing(session, suite, grammar, wanted)
    findings.extend(testing.findings.sorted())
    part, parts = share
    chosen = suite.cases[part::parts]
    rows: list[CaseRow] = []
    for number, case in enumerate(chosen):
        rows.append(testing.row(case))
        if progress is not None:
            progress(number + 1, len(chosen))
    kept = testing.lanes if grammar is None else session.lanes(suite.language, grammar)
    if not kept and testing.reading is not None and any(row.verdicts for row in rows):
        kept = [testing.reading]
    asked = answered(session, suite.language, suite.questions) if ask and part == 0 else []
    return SuiteReport(
        file=suite.source.name,
        language=suite.language,
        lanes=[lane.name for lane in (*kept, *(testing.outside if grammar is None else ()))],
        not_allowed=session.not_allowed(suite.language),
        broken=list(session.course.broken.get(suite.language, ())),
        cases=rows,
        questions=asked,
        diagnostics=_notes(findings),
    )


def _notes(findings: Findings) -> list[Note]:
    return [note_of(finding) for finding in findings.sorted()]


# ---------------------------------------------------------------------- questions


def lanes_for(session: Session, language: str, question: Question) -> list[Lane]:
    """The lanes that a question is put to: every interpreter, and each of its choices decided in
    each other way."""
    found = []
    for name, interpreter in session.course.interpreters.get(language, {}).items():
        if question.lanes and name not in question.lanes:
            continue
        found.append(session.lane(language, name))
        for choice, known in interpreter.choices.items():
            for way in known.alternatives:
                if way != known.default:
                    decided = f"{name}[{choice}={way}]"
                    found.append(session.lane(language, decided))
    return found


def answer_of(question: Question, lane: Lane) -> tuple[str, str]:
    """The label of the answer that a lane gives (empty when it is not listed), and what came."""
    try:
        result = lane.run(question.program, question.given, given_input=question.input)
    except BadBinding as bad:
        return "", str(bad)
    written = "".join(result.output)
    came = with_output(result, question.program)
    for label, answer in question.answers.items():
        ends = answer.expected is None or fits(answer.expected, result.outcome, question.program)
        if ends and answer.output in (None, written):
            return label, came
    return "", came


def with_output(result: Result, program: str) -> str:
    """How a run ended and what it wrote, on one line."""
    came = describe(result.outcome, program, place=True)
    written = "".join(result.output)
    if not written:
        return came
    return f"writes {visible(written)}" + (f", {came}" if came != "()" else "")


def answered(session: Session, language: str, questions: Sequence[Question]) -> list[QuestionRow]:
    """Questions with the answer of every lane; a lane with a choice decided otherwise is left out
    where that makes no difference."""
    rows = []
    for question in questions:
        plain: dict[str, tuple[str, str]] = {}
        answers = []
        for lane in lanes_for(session, language, question):
            found = answer_of(question, lane)
            base = lane.name.partition("[")[0]
            if "[" not in lane.name:
                plain[base] = found
            elif plain.get(base) == found:
                continue
            answers.append(LaneAnswer(lane.name, *found))
        rows.append(QuestionRow(
            question.name, question.program, question.why, list(question.answers), answers,
        ))  # fmt: skip
    return rows


# ---------------------------------------------------------------------- what was before


UNSAVED = "with what is not saved"
"""In place of since when a verdict is so."""


def with_history(session: Session, report: SuiteReport) -> SuiteReport:
    """The report with what is known since when, for each case: sentences by lane, and the time of
    the last change. What comes of it is kept, unless it comes of a text that is not saved: what is
    typed between two savings is no edit."""
    texts = {name: source.text for name, source in session.course.sources.items()}
    folder, rows = session.course.folder, rows_of(report)
    try:
        if session.unsaved:
            known = remembered(folder, report.file, rows)
        else:
            known = remember(folder, report.file, fingerprint(texts), rows)
    except Unkept as fault:
        return replace(report, unkept=str(fault))
    cases, now = [], time.time()
    for case in report.cases:
        lanes = [v.lane for v in case.verdicts if v.state != "left out"]
        own = {lane: known.get((case.name, lane)) for lane in lanes}
        cases.append(replace(
            case,
            since={lane: UNSAVED if one is None else since_text(one) for lane, one in own.items()},
            changed=max((now if one is None else one.at for one in own.values()), default=0.0),
        ))  # fmt: skip
    return replace(report, cases=cases)
