"""Answers to requests: what each is carried out by."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from msgspec import Struct, field
from msgspec.structs import replace

from embrix.checking.decisions import NoDecision, changed_by, decision_table
from embrix.checking.diagnostics import diagnostics, note_of
from embrix.checking.verdicts import check_suite, with_history
from embrix.course.needed_files import Wanted
from embrix.grammar.report import report_on, report_text
from embrix.lanes.inspection import look
from embrix.lanes.results import run
from embrix.lanes.session import Session
from embrix.machine.exploring import MOST_RUNS
from embrix.machine.lane import OnStart
from embrix.machine.limits import BRIEF, LIVE, Limits
from embrix.messages import replies as r
from embrix.messages import replies_on_comparing as on_comparing
from embrix.messages import replies_on_lessons as on_lessons
from embrix.messages import replies_on_suites as on_suites
from embrix.messages import replies_on_writing as on_writing
from embrix.messages import requests as q
from embrix.messages import requests_on_comparing as qc
from embrix.messages.request import Request
from embrix.services.all_ways_reply import explore_ways
from embrix.services.case_changes import acceptance, arrangement, covering_case
from embrix.services.completing import proposals
from embrix.services.definition_tokens import definition_tokens
from embrix.services.extensions import extension_of, meaning_of
from embrix.services.found_case import as_case
from embrix.services.growth_table import growth_table
from embrix.services.hunts import hunted
from embrix.services.judgement_tree import judgement_tree
from embrix.services.lesson_changes import stop_added, stop_moved
from embrix.services.lesson_shown import lesson_shown
from embrix.services.mending import mended
from embrix.services.outlining import clause_written, outline_grid
from embrix.services.prompt import Prompt
from embrix.services.renaming import name_here, renamed
from embrix.services.residual_reply import residual_shown
from embrix.services.side_by_side import align_walks, compare_lanes, every_part_held
from embrix.services.summary import summary
from embrix.services.text_search import course_texts, found_in
from embrix.services.unsaved_change import UnsavedChange
from embrix.services.walks import WalkService
from embrix.services.writing_files import (
    begin,
    write_exercises,
    write_handout,
    write_picture,
    write_starter,
)

RequestT = TypeVar("RequestT", bound=Request)


class NoCourse(Exception):
    """A request came before a course was loaded."""


class Loaded(Struct):
    """A course with what is kept from request to request."""

    session: Session
    walks: WalkService
    change: UnsavedChange
    prompts: dict[str, Prompt] = field(default_factory=dict)

    @staticmethod
    def of(folder: Path, unsaved: dict[Path, str], extension: str | None = None) -> Loaded:
        wanted = Wanted(extension=extension) if extension is not None else None
        session = Session(folder, unsaved, wanted)
        return Loaded(session, WalkService(session), UnsavedChange(session))


class Service(Struct):
    """Answers requests about one course at a time.

    `progress` is told how far a request is (it may raise InterruptedError), `on_start` how a run
    that begins can be stopped from another thread.
    """

    progress: Callable[[int, int, on_comparing.HuntState | None], None]
    on_start: OnStart
    _loaded: Loaded | None = None

    def answer(self, request: Request) -> Any:
        """The answer, of the type that the request says. Raises `NoCourse`."""
        return _HANDLERS[type(request)](self, request)

    def forget(self) -> None:
        """Keep nothing any more: memory has run out."""
        self._loaded = None

    def load(self, request: q.Load) -> None:
        unsaved = {Path(path): text for path, text in request.unsaved.items()}
        self._loaded = Loaded.of(Path(request.folder), unsaved, request.extension)

    @property
    def loaded(self) -> Loaded:
        if self._loaded is None:
            raise NoCourse("no course has been loaded")
        return self._loaded

    @property
    def session(self) -> Session:
        return self.loaded.session

    def so_far(self, done: int, of: int) -> None:
        self.progress(done, of, None)


Handler = Callable[[Service, Any], Any]
_HANDLERS: dict[type[Request], Handler] = {}


def _answers(
    request: type[RequestT],
) -> Callable[[Callable[[Service, RequestT], Any]], Callable[[Service, RequestT], Any]]:
    """Registers what carries a request out."""

    def register(handler: Callable[[Service, RequestT], Any]) -> Callable[[Service, RequestT], Any]:
        _HANDLERS[request] = handler
        return handler

    return register


_HANDLERS[q.Load] = Service.load


@_answers(q.DescribeCourse)
def _course(service: Service, _: q.DescribeCourse) -> r.CourseSummary:
    return summary(service.session)


@_answers(q.Process)
def _process(_: Service, __: q.Process) -> int:
    return os.getpid()


@_answers(q.AskNotes)
def _notes(service: Service, _: q.AskNotes) -> list[r.Note]:
    return [note_of(finding) for finding in diagnostics(service.session).findings]


@_answers(q.DescribeGrammar)
def _grammar(service: Service, a: q.DescribeGrammar) -> list[str]:
    grammar = service.session.course.languages[a.language].grammar
    if grammar is None:
        return []
    rules = [a.rule] if a.rule in grammar.entry else list(grammar.starts)
    return [line for name in rules for line in report_text(report_on(grammar, name))]


# ---------------------------------------------------------------------- one program


@_answers(q.LookAt)
def _look(service: Service, a: q.LookAt) -> r.Look:
    return look(service.session, a.language, a.text, a.rule)


@_answers(q.LookAtDefinition)
def _definition(_service: Service, a: q.LookAtDefinition) -> r.Look:
    return definition_tokens(a.text)


@_answers(q.Mend)
def _mend(service: Service, a: q.Mend) -> on_writing.TextChange:
    return mended(service.session, a.file, a.text, a.line)


@_answers(q.AskName)
def _name(service: Service, a: q.AskName) -> on_writing.NameHere:
    return name_here(service.session, a.file, a.text, a.offset)


@_answers(q.Rename)
def _rename(service: Service, a: q.Rename) -> on_writing.Renaming:
    return renamed(service.session, a.file, a.text, a.offset, a.new)


@_answers(q.AskProposals)
def _proposals(service: Service, a: q.AskProposals) -> list[on_writing.Proposal]:
    return proposals(service.session, a.file, a.text, a.offset)


@_answers(q.FindText)
def _find(service: Service, a: q.FindText) -> on_writing.TextHits:
    texts = {**course_texts(service.session), **a.texts} if a.course else a.texts
    return found_in(texts, a.what, a.by, pattern=a.pattern)


@_answers(q.AskOutline)
def _outline(service: Service, a: q.AskOutline) -> on_writing.OutlineGrid:
    return outline_grid(service.session, a.language, a.lane, count=a.count)


@_answers(q.WriteClause)
def _write_clause(service: Service, a: q.WriteClause) -> on_writing.TextChange:
    return clause_written(service.session, a.language, a.lane, a.function, a.form)


@_answers(q.TryChange)
def _try(service: Service, a: q.TryChange) -> r.ChangeLook:
    return service.loaded.change.look(a.language, a.file, a.definition, a.text, a.rule, a.view)


@_answers(q.CompareChange)
def _compare_change(service: Service, a: q.CompareChange) -> list[str]:
    return service.loaded.change.compare(a.language, a.file, a.definition, a.rule, a.text)


@_answers(q.PromptLine)
def _prompt(service: Service, a: q.PromptLine) -> r.PromptAnswer:
    said: list[str] = []
    prompts = service.loaded.prompts
    if a.language not in prompts:
        lanes = service.session.lanes(a.language)
        prompts[a.language] = Prompt(service.session, a.language, lanes, said.append)
    prompt = prompts[a.language]
    prompt.say, prompt.on_start = said.append, service.on_start
    if a.line is None:
        prompt.give_up()
    else:
        prompt.take(a.line)
    answer = r.PromptAnswer(said, prompt.sign, prompt.done)
    if prompt.done:
        del prompts[a.language]
    return answer


@_answers(q.RunLane)
def _run(service: Service, a: q.RunLane) -> r.RunResult:
    limits = replace(LIVE, calls=BRIEF) if a.brief else LIVE
    if a.limits is not None:
        limits = Limits(calls=a.limits.calls, depth=a.limits.depth, output=a.limits.output)
    return run(
        service.session, a.language, a.lane, a.text, a.given, limits, service.on_start, a.input,
        a.ways, explain=not a.brief,
    )  # fmt: skip


@_answers(q.ShowLesson)
def _show_lesson(service: Service, a: q.ShowLesson) -> on_lessons.LessonShown:
    return lesson_shown(service.session, Path(a.file))


@_answers(q.AddStop)
def _add_stop(service: Service, a: q.AddStop) -> on_writing.TextChange:
    return stop_added(service.session, a)


@_answers(q.MoveStop)
def _move_stop(service: Service, a: q.MoveStop) -> on_writing.TextChange:
    return stop_moved(service.session, a)


@_answers(q.ExploreWays)
def _explore_ways(service: Service, a: q.ExploreWays) -> on_comparing.WaysFound:
    return explore_ways(service.session, a, lambda runs: service.progress(runs, MOST_RUNS, None))


@_answers(q.ShowResidual)
def _show_residual(service: Service, a: q.ShowResidual) -> on_comparing.ResidualShown:
    return residual_shown(service.session, a)


@_answers(q.OpenWalk)
def _open_walk(service: Service, a: q.OpenWalk) -> r.WalkSummary:
    return service.loaded.walks.open(a.walk, service.on_start, a.beside, a.at)


@_answers(q.FetchSteps)
def _step_rows(service: Service, a: q.FetchSteps) -> list[r.StepData]:
    return service.loaded.walks.steps(a.walk, a.first, a.last, service.on_start)


@_answers(q.ShowFrames)
def _frames(service: Service, a: q.ShowFrames) -> r.FramesShown:
    return service.loaded.walks.frames(a.walk, a.number, service.on_start)


@_answers(q.SeekStep)
def _seek(service: Service, a: q.SeekStep) -> r.Found:
    walks = service.loaded.walks
    return r.Found(
        walks.seek(a.walk, a.kind, a.what, a.start, a.forward, service.on_start, service.so_far)
    )


@_answers(q.SaveWalk)
def _save_walk(service: Service, a: q.SaveWalk) -> r.Completion:
    return r.Completion(service.loaded.walks.save(a.walk, Path(a.path)))


# ---------------------------------------------------------------------- suites


@_answers(q.TestSuite)
def _test(service: Service, a: q.TestSuite) -> on_suites.SuiteReport:
    report = check_suite(
        service.session, Path(a.suite), service.so_far, a.grammar, a.share, a.ask, a.lanes
    )
    return with_history(service.session, report) if a.keep else report


@_answers(q.AcceptCase)
def _accept(service: Service, a: q.AcceptCase) -> on_writing.TextChange:
    return acceptance(service.session, Path(a.suite), a.case, a.lane, a.what, a.typed)


@_answers(q.ArrangeCase)
def _arrange(service: Service, a: q.ArrangeCase) -> on_writing.TextChange:
    return arrangement(service.session, Path(a.suite), a.case, a.how, a.name)


@_answers(q.CoverClause)
def _cover(service: Service, a: q.CoverClause) -> on_writing.TextChange:
    return covering_case(service.session, Path(a.suite), a.language, a.lane, a.function, a.form)


@_answers(q.AskDecisions)
def _decisions(service: Service, a: q.AskDecisions) -> on_suites.DecisionTable:
    return decision_table(service.session, a.language)


@_answers(q.TryDecision)
def _try_decision(service: Service, a: q.TryDecision) -> on_suites.ChangedCases:
    try:
        rows = changed_by(service.session, a.language, a.decision, service.so_far)
    except NoDecision as wrong:
        return on_suites.ChangedCases([], str(wrong))
    return on_suites.ChangedCases(rows)


# ---------------------------------------------------------------------- comparing


@_answers(qc.CompareLanes)
def _compare(service: Service, a: qc.CompareLanes) -> on_comparing.LaneComparison:
    return compare_lanes(service.session, a.language, a.lanes, a.text, a.given, a.input)


@_answers(qc.HoldEveryPart)
def _hold_every_part(service: Service, a: qc.HoldEveryPart) -> on_comparing.EveryPartHeld:
    return every_part_held(service.session, a.language, a.one, a.other, a.text, a.given, a.input)


@_answers(qc.AlignWalks)
def _align(service: Service, a: qc.AlignWalks) -> on_comparing.AlignedWalks:
    return align_walks(service.session, a.language, a.one, a.other, a.text, a.given, a.input)


@_answers(q.ListJudgements)
def _judgements(service: Service, a: q.ListJudgements) -> on_comparing.JudgementTree:
    return judgement_tree(service.session, a.language, a.lane, a.text, a.given, a.input, a.number)


@_answers(qc.MeasureGrowth)
def _growth(service: Service, a: qc.MeasureGrowth) -> on_comparing.GrowthTable:
    return growth_table(service.session, a, service.so_far)


@_answers(qc.HuntDifference)
def _hunt(service: Service, a: qc.HuntDifference) -> on_comparing.HuntState:
    return hunted(
        service.session, a.language, a.lanes, a.most, a.seed, costs=a.costs, endless=a.endless,
        progress=lambda state: service.progress(state.tried, state.asked, state),
    )  # fmt: skip


@_answers(q.AddFoundCase)
def _add_case(service: Service, a: q.AddFoundCase) -> on_writing.TextChange:
    return as_case(service.session, Path(a.suite), a.program, a.lanes, a.origin, a.what, a.given,
                   a.input)  # fmt: skip


@_answers(qc.CompareMeaning)
def _meaning(service: Service, a: qc.CompareMeaning) -> r.TextLines:
    return r.TextLines(meaning_of(service.session, a.language, a.lanes))


@_answers(qc.ShowExtension)
def _extension(service: Service, a: qc.ShowExtension) -> r.TextLines:
    return r.TextLines(extension_of(service.session, a.language, a.lane))


# ---------------------------------------------------------------------- documents


@_answers(q.WritePicture)
def _picture(service: Service, a: q.WritePicture) -> r.Written:
    return write_picture(service.session, a)


@_answers(q.WriteHandout)
def _handout(service: Service, a: q.WriteHandout) -> r.Written:
    return write_handout(service.session, a)


@_answers(q.WriteWorksheet)
def _worksheet(service: Service, a: q.WriteWorksheet) -> r.Written:
    return write_exercises(service.session, a)


@_answers(q.WriteStarter)
def _starter(service: Service, a: q.WriteStarter) -> r.Written:
    return write_starter(service.session, a)


@_answers(q.Begin)
def _begin(service: Service, a: q.Begin) -> r.Written:
    return begin(service.session, a)
