"""What can be asked about a course. `reply` is the type of the answer."""

from __future__ import annotations

from typing import Any, ClassVar, Literal, TypeAlias

from embrix.messages import replies as r
from embrix.messages import replies_on_comparing as on_comparing
from embrix.messages import replies_on_lessons as on_lessons
from embrix.messages import replies_on_suites as on_suites
from embrix.messages import replies_on_writing as on_writing
from embrix.messages.recipes import RunLimits, WalkRecipe
from embrix.messages.request import OnProgram, OnRun, Request
from embrix.messages.requests_on_comparing import (
    AlignWalks,
    CompareLanes,
    CompareMeaning,
    HoldEveryPart,
    HuntDifference,
    MeasureGrowth,
    ShowExtension,
)

# ---------------------------------------------------------------------- the course


class Load(Request, frozen=True, kw_only=True, tag="load"):
    """Read a course; texts in `unsaved` stand for its files. Its interpreters are checked when
    something is asked about their language. With an `extension` only the language whose programs
    end in it is read, with what it needs, or, if that is empty, the first language; everything
    where no language says that it is its own."""

    reply: ClassVar[Any] = None
    folder: str
    unsaved: dict[str, str] = {}
    extension: str | None = None


class DescribeCourse(Request, frozen=True, kw_only=True, tag="course"):
    """What the course holds, and what is wrong with it."""

    reply: ClassVar[Any] = r.CourseSummary


class Process(Request, frozen=True, kw_only=True, tag="process"):
    """The number of the process."""

    reply: ClassVar[Any] = int


class AskNotes(Request, frozen=True, kw_only=True, tag="notes"):
    """Everything there is to say about the definitions."""

    reply: ClassVar[Any] = list[r.Note]


class DescribeGrammar(Request, frozen=True, kw_only=True, tag="grammar"):
    """What kind of grammar a language has, from a rule."""

    reply: ClassVar[Any] = list[str]
    language: str
    rule: str | None = None


# ---------------------------------------------------------------------- one program


class LookAt(OnProgram, frozen=True, kw_only=True, tag="look"):
    """Tokens and tree."""

    reply: ClassVar[Any] = r.Look
    rule: str | None = None


class LookAtDefinition(Request, frozen=True, kw_only=True, tag="definition"):
    """The tokens of a definition, whatever is wrong with it."""

    reply: ClassVar[Any] = r.Look
    text: str


class Mend(Request, frozen=True, kw_only=True, tag="mend"):
    """What a file would be if the note on a line were mended; lines count from one."""

    reply: ClassVar[Any] = on_writing.TextChange
    file: str
    text: str
    line: int


class OnDefinition(Request, frozen=True, kw_only=True):
    """A request about a place in a file of the course, with the text as it is typed."""

    file: str
    text: str
    offset: int


class AskName(OnDefinition, frozen=True, kw_only=True, tag="name"):
    """What the name at a place means, and where else it is meant."""

    reply: ClassVar[Any] = on_writing.NameHere


class Rename(OnDefinition, frozen=True, kw_only=True, tag="rename"):
    """What the files would be if the name at a place were another one everywhere."""

    reply: ClassVar[Any] = on_writing.Renaming
    new: str


class AskProposals(OnDefinition, frozen=True, kw_only=True, tag="proposals"):
    """What can be written at a place of a definition or a suite."""

    reply: ClassVar[Any] = list[on_writing.Proposal]


class FindText(Request, frozen=True, kw_only=True, tag="find"):
    """Where a text or a pattern stands in some files, which come with their texts, and with
    `course` in all others of the course; with `by` what all would be with that in its place."""

    reply: ClassVar[Any] = on_writing.TextHits
    what: str
    pattern: bool = False
    by: str | None = None
    texts: dict[str, str] = {}
    course: bool = False


class AskOutline(Request, frozen=True, kw_only=True, tag="outline"):
    """The clauses of a lane by form and function; with `count` also which of them cases come to."""

    reply: ClassVar[Any] = on_writing.OutlineGrid
    language: str
    lane: str
    count: bool = False


class WriteClause(Request, frozen=True, kw_only=True, tag="write_clause"):
    """What the file of a lane would be with a clause for a form, its result to be written."""

    reply: ClassVar[Any] = on_writing.TextChange
    language: str
    lane: str
    function: str
    form: str


class TryChange(OnProgram, frozen=True, kw_only=True, tag="try"):
    """A text under a definition that is not saved. `view` is `term`, `derivation` or `both`."""

    reply: ClassVar[Any] = r.ChangeLook
    file: str
    definition: str
    rule: str | None = None
    view: str = "term"


class CompareChange(OnProgram, frozen=True, kw_only=True, tag="compare_change"):
    """What a definition that is not saved changes."""

    reply: ClassVar[Any] = list[str]
    file: str
    definition: str
    rule: str | None = None


class PromptLine(Request, frozen=True, kw_only=True, tag="prompt"):
    """A line for the prompt of a language; None gives the entry up."""

    reply: ClassVar[Any] = r.PromptAnswer
    writes: ClassVar[bool] = True
    language: str
    line: str | None = None


class RunLane(OnRun, frozen=True, kw_only=True, tag="run"):
    """The outcome, output and costs of a program on a lane."""

    reply: ClassVar[Any] = r.RunResult
    lane: str
    limits: RunLimits | None = None
    ways: list[int] = []
    """Those to take where several are open, counted from zero; then the first ones."""
    brief: bool = False
    """Whether the run ends after as many calls as nearly all programs take: it is told soon then
    that one takes more."""


class ExploreWays(OnRun, frozen=True, kw_only=True, tag="ways"):
    """Everything that a program can come to on a lane."""

    reply: ClassVar[Any] = on_comparing.WaysFound
    lane: str


class ShowResidual(OnRun, frozen=True, kw_only=True, tag="residual"):
    """What is left of a lane when the program is known; with `run` also what runs of both take."""

    reply: ClassVar[Any] = on_comparing.ResidualShown
    lane: str
    run: bool = False


class OpenWalk(Request, frozen=True, kw_only=True, tag="walk"):
    """Record a run, or open one that was saved. With another walk of the same program and the
    number of one of its steps the answer says which step corresponds to that."""

    reply: ClassVar[Any] = r.WalkSummary
    walk: WalkRecipe
    beside: WalkRecipe | None = None
    at: int = 0


class FetchSteps(Request, frozen=True, kw_only=True, tag="steps"):
    """Steps of a walk, from a number to before another."""

    reply: ClassVar[Any] = list[r.StepData]
    walk: WalkRecipe
    first: int
    last: int


class ShowFrames(Request, frozen=True, kw_only=True, tag="frames"):
    """The frames at a step of a walk."""

    reply: ClassVar[Any] = r.FramesShown
    walk: WalkRecipe
    number: int


class SeekStep(Request, frozen=True, kw_only=True, tag="seek"):
    """Where something happens next in a walk."""

    reply: ClassVar[Any] = r.Found
    walk: WalkRecipe
    kind: str
    what: str
    start: int
    forward: bool


class SaveWalk(Request, frozen=True, kw_only=True, tag="save_walk"):
    reply: ClassVar[Any] = r.Completion
    writes: ClassVar[bool] = True
    walk: WalkRecipe
    path: str


# ---------------------------------------------------------------------- suites


class TestSuite(Request, frozen=True, kw_only=True, tag="test"):
    """All verdicts of a suite. `share` is the number of a part and of how many; with `keep` what
    comes of it is remembered for the next time."""

    __test__: ClassVar[bool] = False
    reply: ClassVar[Any] = on_suites.SuiteReport
    suite: str
    grammar: str | None = None
    share: tuple[int, int] = (0, 1)
    ask: bool = False
    lanes: list[str] = []
    keep: bool = True


class AcceptCase(Request, frozen=True, kw_only=True, tag="accept"):
    """What a suite would be with what a lane gives as the expectation of a case."""

    reply: ClassVar[Any] = on_writing.TextChange
    suite: str
    case: str
    lane: str
    what: str
    typed: str | None = None


class ArrangeCase(Request, frozen=True, kw_only=True, tag="arrange"):
    """What a suite would be with a case duplicated, renamed or removed."""

    reply: ClassVar[Any] = on_writing.TextChange
    suite: str
    case: str
    how: Literal["duplicate", "rename", "remove"]
    name: str = ""


class CoverClause(Request, frozen=True, kw_only=True, tag="cover"):
    """What a suite would be with a case that comes to a clause of a lane."""

    reply: ClassVar[Any] = on_writing.TextChange
    suite: str
    language: str
    lane: str
    function: str
    form: str


class AskDecisions(Request, frozen=True, kw_only=True, tag="decisions"):
    """The questions of the suites with the answers of the lanes, and the choices."""

    reply: ClassVar[Any] = on_suites.DecisionTable
    language: str


class TryDecision(Request, frozen=True, kw_only=True, tag="try_decision"):
    """The cases that change when a choice is decided as `CHOICE=WAY`."""

    reply: ClassVar[Any] = on_suites.ChangedCases
    language: str
    decision: str


# ---------------------------------------------------------------------- comparing


class ShowLesson(Request, frozen=True, kw_only=True, tag="lesson"):
    """A lesson with all of its stops, carried out."""

    reply: ClassVar[Any] = on_lessons.LessonShown
    file: str


class AddStop(OnRun, frozen=True, kw_only=True, tag="add_stop"):
    """What a lesson would be with a step of a run as its last stop; `file` is where the program
    is saved, or nothing, `name` that of the stop (default: what happens there)."""

    reply: ClassVar[Any] = on_writing.TextChange
    lesson: str
    lane: str
    step: int
    name: str = ""
    file: str = ""
    ways: list[int] = []


class MoveStop(Request, frozen=True, kw_only=True, tag="move_stop"):
    """What a lesson would be with a stop before the one before it, or behind the next one."""

    reply: ClassVar[Any] = on_writing.TextChange
    lesson: str
    number: int
    by: Literal[-1, 1]


class ListJudgements(OnRun, frozen=True, kw_only=True, tag="judgements"):
    """The tree of judgements of a run; of a reduction sequence, of the step at a number."""

    reply: ClassVar[Any] = on_comparing.JudgementTree
    lane: str
    number: int


class AddFoundCase(Request, frozen=True, kw_only=True, tag="add_case"):
    """What a suite would be with a program as a case, each lane expected to give what it gives;
    or the first one to take the steps it takes, or the program to be cut or read as it is."""

    reply: ClassVar[Any] = on_writing.TextChange
    suite: str
    program: str
    lanes: list[str]
    origin: str
    what: Literal["outcome", "steps", "tokens", "term"] = "outcome"
    given: dict[str, str] = {}
    input: list[str] = []


# ---------------------------------------------------------------------- documents


class WritePicture(OnRun, frozen=True, kw_only=True, tag="picture"):
    reply: ClassVar[Any] = r.Written
    writes: ClassVar[bool] = True
    kind: str
    lanes: list[str]
    path: str
    number: int = 0
    over: tuple[str, int, int, int] | None = None
    """A name and its range: first, end, step."""
    cost: str = "calls"
    scale: str = "linear"
    theme: str = "paper"
    replace: bool = False


class WriteHandout(Request, frozen=True, kw_only=True, tag="handout"):
    reply: ClassVar[Any] = r.Written
    writes: ClassVar[bool] = True
    languages: list[str]
    path: str
    lanes: list[str] = []
    program: tuple[str, str] | None = None
    marks: list[int] = []
    given: dict[str, str] = {}
    input: list[str] = []


class WriteWorksheet(OnRun, frozen=True, kw_only=True, tag="worksheet"):
    """Exercises made from a program, and their key in a file beside them."""

    reply: ClassVar[Any] = r.Written
    writes: ClassVar[bool] = True
    exercise: str
    lanes: list[str]
    name: str
    path: str
    gaps: int
    seed: int


class WriteStarter(Request, frozen=True, kw_only=True, tag="starter"):
    reply: ClassVar[Any] = r.Written
    writes: ClassVar[bool] = True
    language: str
    lane: str
    forms: str
    path: str


class Begin(Request, frozen=True, kw_only=True, tag="begin"):
    """Write the files that a language, an interpreter, a suite or a program begins with."""

    reply: ClassVar[Any] = r.Written
    writes: ClassVar[bool] = True
    kind: str
    name: str
    language: str = ""
    extends: str = ""
    strategy: str = ""


AnyRequest: TypeAlias = (
    Load | DescribeCourse | Process | AskNotes | DescribeGrammar | LookAt | LookAtDefinition | Mend
    | AskName | AskOutline | WriteClause | Rename | AskProposals | FindText | TryChange
    | CompareChange | PromptLine | RunLane | OpenWalk | FetchSteps | ShowFrames | SeekStep
    | SaveWalk | TestSuite | AcceptCase | ArrangeCase | CoverClause | AskDecisions | TryDecision
    | CompareLanes | AlignWalks | HoldEveryPart | ExploreWays | ShowResidual | ShowLesson
    | AddStop | MoveStop | ListJudgements | MeasureGrowth | HuntDifference | AddFoundCase
    | CompareMeaning
    | ShowExtension | WritePicture | WriteHandout | WriteWorksheet | WriteStarter | Begin
)  # fmt: skip
