"""Answers to requests, and the parts that they are made of.

Places are offsets into a text, from and to. What may be missing has a default.
"""

from __future__ import annotations

from typing import Literal, TypeAlias

import msgspec

Place: TypeAlias = tuple[int, int]
TokenSlice: TypeAlias = tuple[int, int, str]
"""Where a token begins and ends, and its kind."""


class Reply(msgspec.Struct):
    """An answer, or a part of one."""


class Packed(msgspec.Struct, array_like=True):
    """A part that comes so often that it crosses between processes without names."""


# ---------------------------------------------------------------------- what a course holds


class Note(Reply):
    """A diagnostic: lines and columns count from one."""

    code: str
    severity: str
    message: str
    file: str
    line: int
    column: int
    end_line: int
    end_column: int
    hint: str = ""


class ChoiceSummary(Reply):
    """A choice of an interpreter: its alternatives with the reason for each."""

    alternatives: dict[str, str]
    default: str


class LaneSummary(Reply):
    name: str
    doc: str
    small_step: bool
    choices: dict[str, ChoiceSummary]
    errors: int = 0
    """Errors in its definition, for all of which it runs as far as it goes."""


class LanguageSummary(Reply):
    doc: str
    extension: str | None
    usable: bool
    """Whether its programs can be read."""
    starts: list[str]
    rules: list[str]
    file: str
    lanes: list[LaneSummary]
    broken: list[str]
    """Interpreters with errors."""
    outside: list[str]
    not_allowed: list[str]
    """Outside interpreters whose commands the user has not allowed."""
    programs: list[str]


class CourseSummary(Reply):
    title: str
    about: str
    folder: str
    languages: dict[str, LanguageSummary]
    suites: dict[str, str]
    """The files of suites with the language that each says it is for, or nothing."""
    diagnostics: list[Note]
    strategies: dict[str, str] = {}
    """What a new interpreter can begin as, each in a sentence."""


class TextLines(Reply):
    """Lines of text for people."""

    lines: list[str]


# ---------------------------------------------------------------------- one text


class TreeRow(Packed):
    """A node of a tree, from the top: how deep it is, in which field of the one above, its form,
    its names and numbers as text, its place (-1 where it has none)."""

    depth: int
    field: str
    form: str
    leaves: str
    start: int = -1
    end: int = -1

    @property
    def place(self) -> Place:
        return self.start, self.end


class MistakeAt(Packed):
    """A mistake in a text that is rejected."""

    message: str
    start: int
    end: int


class Refusal(Reply):
    """Why a text is rejected. `reading` has what was being read: rows with a dot, where each began,
    why it did not go on; `trees` the two trees of an ambiguous text."""

    kind: str
    text: str
    name: str = ""
    place: Place | None = None
    mistakes: list[MistakeAt] = []
    reading: list[tuple[str, str, str]] = []
    trees: list[list[TreeRow]] = []


class Look(Reply):
    """The tokens and the tree of a text, or why it is rejected."""

    tokens: list[TokenSlice]
    values: dict[str, str] = {}
    """What tokens are read as, by where they begin, where that is not their text."""
    skipped: list[Place] = []
    invalid: list[Place] = []
    tree: list[TreeRow] = []
    cut: int = 0
    """Rows of the tree beyond those told."""
    refused: Refusal | None = None
    unusable: bool = False
    """Whether the grammar cannot be used, so that there are tokens alone."""


class ChangeLook(Reply):
    """A text under a changed definition and as saved: `marks` are the rows of the two trees that
    differ."""

    notes: list[Note]
    now: Look | None
    before: Look
    marks: tuple[list[int], list[int]]
    derivation: list[TreeRow]
    definition: Look
    """The tokens of the definition itself."""
    rules: list[str]


class PromptAnswer(Reply):
    """What a prompt answers to a line, what stands before the next one, whether it was left."""

    lines: list[str]
    sign: str
    done: bool


# ---------------------------------------------------------------------- runs


class Ending(Reply):
    """How a run ended. `name` is that of an error, `structure` how a value is built."""

    kind: str
    text: str
    name: str = ""
    structure: str = ""
    place: Place | None = None


class RunResult(Reply):
    outcome: Ending
    sentence: str
    output: list[str]
    costs: dict[str, int]
    state: list[str] = []


class WalkSummary(Reply):
    """A recorded run as a whole, or why there is none; program, lane and language of one from a
    file."""

    length: int = 0
    style: str = "moments"
    levels: list[int] = []
    refused: str = ""
    cut: int = 0
    """How many stations are recorded from the first on where not all are."""
    program: str = ""
    lane: str = ""
    language: str = ""


class ClausePlace(Reply):
    file: str
    line: int
    text: str
    """As it is written: one line or several."""


class BoundName(Packed):
    name: str
    value: str
    shadowed: bool
    origin: str


class HeldValue(Packed):
    """What a store holds at a location; `role` says what a suspension does."""

    location: str
    value: str
    role: str
    reused: int = 0


class Substituted(Reply):
    """A substitution: the places at which the name stood, the forms that stopped it with their
    places, the binders that were renamed."""

    name: str
    value: str
    places: list[Place | None]
    stopped: list[tuple[str, Place | None]]
    renamed: list[tuple[str, str]]


class StationData(Reply):
    """A stop of a walk; `docs/schemas/walk.schema.json` says what it looks like in a file."""

    number: int
    kind: Literal["enter", "leave", "term", "end"]
    text: str
    brief: str
    depth: int
    bindings: list[BoundName]
    store: list[HeldValue]
    store_size: int
    changed: list[str]
    refused: list[ClausePlace]
    stack: list[str]
    put: list[Substituted]
    note: str
    focus: Place | None = None
    renewed: Place | None = None
    written: str = ""
    place: Place | None = None
    clause: ClausePlace | None = None


class Found(Reply):
    """The number of the station that was looked for, if there is one."""

    number: int | None


class Completion(Reply):
    """Why something was not done; nothing when it was."""

    refused: str = ""


class Written(Reply):
    """The names of the files that were written, or why none was."""

    written: list[str]
    refused: str = ""


# ---------------------------------------------------------------------- suites


class CaseVerdict(Packed):
    """A verdict on one lane: `what` the two sentences are about, the station of the walk at which
    it shows (-1: its end), the slices of both that differ."""

    lane: str
    state: str
    expected: str
    actual: str
    what: str
    station: int
    parts: tuple[list[Place], list[Place]]


class CaseRow(Reply):
    """A case with its verdicts; since when each lane gives what it gives."""

    name: str
    program: str
    why: str
    tags: list[str]
    given: dict[str, str]
    input: list[str]
    line: int
    entry: tuple[int, int]
    verdicts: list[CaseVerdict]
    since: dict[str, str] = {}
    changed: float = 0.0


class LaneAnswer(Packed):
    """What a lane answers to a question: one of its labels (or nothing), and what came."""

    lane: str
    label: str
    came: str


class QuestionRow(Reply):
    name: str
    program: str
    why: str
    labels: list[str]
    answers: list[LaneAnswer]


class SuiteReport(Reply):
    file: str
    language: str = ""
    lanes: list[str] = []
    not_allowed: list[str] = []
    broken: list[str] = []
    cases: list[CaseRow] = []
    questions: list[QuestionRow] = []
    diagnostics: list[Note] = []
    unkept: str = ""
    """Why nothing of it was kept for the next time."""


class TextChange(Reply):
    """What a file would be: the old text, the new one, the lines of the difference; or why not."""

    refused: str = ""
    old: str = ""
    text: str = ""
    changes: list[str] = []


class NamePlace(Reply):
    """Where a name stands; lines and columns count from one. `text` is the line."""

    file: str
    line: int
    column: int
    text: str


class NameHere(Reply):
    """What a name means: the kind of thing, its declaration as it is written, where that is and
    everywhere it is meant. Nothing of that where no name of the course stands."""

    kind: str = ""
    name: str = ""
    about: str = ""
    declared: NamePlace | None = None
    places: list[NamePlace] = []


class FileChange(Reply):
    """What a file of the course would be."""

    file: str
    old: str
    text: str


class Renaming(Reply):
    """What files would be if something were called otherwise, with the lines of the difference; or
    why not."""

    refused: str = ""
    kind: str = ""
    name: str = ""
    places: int = 0
    files: list[FileChange] = []
    changes: list[str] = []


class TextHits(Reply):
    """Places where a text stands, how many in all, and what files would be with another in its
    place; or why it cannot be looked for."""

    refused: str = ""
    count: int = 0
    places: list[NamePlace] = []
    files: list[FileChange] = []


class Proposal(Reply):
    """Something that can be written at a place: `insert` in place of the letters that are there."""

    kind: str
    name: str
    insert: str
    about: str = ""


class OutlineCell(Packed):
    """A clause for a form in a function: its state, where it stands (lines count from one), and
    whether cases come to it: `unmet`, `failing` (only failing ones) or nothing to say."""

    state: str
    file: str = ""
    line: int = 0
    met: str = ""


class OutlineRow(Packed):
    form: str
    owner: str
    cells: list[OutlineCell]


class OutlineGrid(Reply):
    """Forms and functions of an interpreter; or why there is none."""

    refused: str = ""
    functions: list[str] = []
    rows: list[OutlineRow] = []
    counted: bool = False
    """Whether the cases of the suites have been run for it."""


class ChoiceRow(Reply):
    """A choice: its question, its alternatives with the reason for each, how each lane decides."""

    name: str
    question: str
    ways: dict[str, str]
    default: str
    lanes: dict[str, str]


class DecisionTable(Reply):
    lanes: list[str]
    questions: list[QuestionRow]
    choices: list[ChoiceRow]


class ChangedCase(Reply):
    """A case that gives something else when a choice is decided otherwise."""

    case: str
    program: str
    lanes: list[str]
    before: str
    after: str


class ChangedCases(Reply):
    rows: list[ChangedCase]
    refused: str = ""


# ---------------------------------------------------------------------- comparing


class LaneResult(Reply):
    lane: str
    kind: str
    sentence: str
    output: list[str]
    state: list[str]
    costs: dict[str, int]
    style: str
    length: int


class PartingText(Reply):
    """Where a lane parts from the first one, in words, and the stations of both walks."""

    sentence: str
    more: list[str]
    stations: list[int | None]


class LaneComparison(Reply):
    lanes: list[LaneResult]
    left_out: int
    partings: dict[str, PartingText]
    first: str


class AlignedStop(Packed):
    station: int
    depth: int
    text: str
    place: Place | None


class AlignedRow(Packed):
    left: AlignedStop | None
    right: AlignedStop | None
    parts: bool


class AlignedWalks(Reply):
    """Two walks in rows, and the number of the row in which they part (-1: none)."""

    rows: list[AlignedRow] = []
    parting: int = -1
    refused: str = ""


class JudgementRow(Packed):
    """A judgement of a derivation: how deep, what is concluded, the form of its clause, the numbers
    of the stations at which it is entered and left (-1: never), how many premises it has."""

    depth: int
    text: str
    clause: str
    entered: int
    left: int
    premises: int


class JudgementTree(Reply):
    rows: list[JudgementRow] = []
    refused: str = ""
    steps: bool = False
    more: int = 0


class GrowthTable(Reply):
    """Points by cost and lane, the growth that fits each, and the runs that ended otherwise than
    with a value: lane, number, how."""

    refused: str = ""
    points: dict[str, dict[str, list[tuple[float, float]]]] = {}
    growths: dict[str, dict[str, str]] = {}
    ended: list[tuple[str, float, str]] = []


class HuntState(Reply):
    """How far a hunt is, and what it has found."""

    refused: str = ""
    lanes: list[str] = []
    seed: int = 0
    tried: int = 0
    sentence: str = ""
    distribution: str = ""
    asked: int = 0
    occurring: str = ""
    program: str = ""
    nodes: int = 0
    ends: list[str] = []
