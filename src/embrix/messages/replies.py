"""Answers to requests, and the parts that they are made of.

Places are offsets into a text, from and to. What may be missing has a default.
"""

from __future__ import annotations

from typing import Literal, TypeAlias

from embrix.messages.reply import Packed, Reply

Place: TypeAlias = tuple[int, int]
TokenSlice: TypeAlias = tuple[int, int, str]
"""Where a token begins and ends, and its kind."""


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
    read: bool = True
    """Whether its definition has been read; else its lanes are not known yet."""


class CourseSummary(Reply):
    title: str
    about: str
    folder: str
    languages: dict[str, LanguageSummary]
    suites: dict[str, str]
    """The files of suites with the language that each says it is for, or nothing."""
    wrong: list[Note]
    """What is wrong with definitions; what interpreters are warned of is told by `AskNotes`."""
    lessons: list[str] = []
    """The files of lessons."""
    strategies: dict[str, str] = {}
    """What a new interpreter can begin as, each in a sentence."""
    whole: bool = True
    """Whether all definitions of the course have been read."""


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
    """Rows of the tree beyond those given."""
    refused: Refusal | None = None
    unusable: bool = False
    """Whether the grammar cannot be used, so that there are tokens alone."""
    derived: bool = False
    """Whether trees are derivations, because forms are missing."""


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
    several: bool = False
    """Whether there were several ways to go on, of which one was taken."""


class WalkSummary(Reply):
    """A recorded run as a whole, or why there is none; program, lane and language of one from a
    file."""

    length: int = 0
    style: str = "judgements"
    levels: list[int] = []
    refused: str = ""
    cut: int = 0
    """How many steps are recorded from the first on where not all are."""
    program: str = ""
    lane: str = ""
    language: str = ""
    at: int | None = None
    """The step that corresponds to that of the walk beside it."""


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


EMPTY_ENVIRONMENT, LEFT_OUT = -1, -2
"""In place of the number of a frame: there is none, or it is one too many to be shown."""


class LinkedFrame(Packed):
    """A binding as a box. `around` is the number of the frame around it, `holds` that of the frame
    at which the environment of a closure in it begins; None where there is no closure."""

    name: str
    value: str
    note: str
    shadowed: bool
    around: int
    holds: int | None = None


class FramesShown(Reply):
    """The frames at a step, the innermost first, then those that only closures hold; or why none
    are shown."""

    frames: list[LinkedFrame]
    refused: str = ""


class Substituted(Reply):
    """A substitution: the places at which the name stood, the forms that stopped it with their
    places, the binders that were renamed."""

    name: str
    value: str
    places: list[Place | None]
    stopped: list[tuple[str, Place | None]]
    renamed: list[tuple[str, str]]


class StepData(Reply):
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
    row: list[tuple[str, str]] = []
    """`brief` in pieces: `sign`, `names`, `store`, `other`, `term` or `result`, and a text."""
    focus: Place | None = None
    renewed: Place | None = None
    marks: list[tuple[str, int, int]] = []
    """Places in the text at which a name is `put` something for, a binder has `stopped` that or is
    `renamed`, or a `value` has been put in."""
    written: str = ""
    place: Place | None = None
    clause: ClausePlace | None = None


class Found(Reply):
    """The number of the step that was looked for, if there is one."""

    number: int | None


class Completion(Reply):
    """Why something was not done; nothing when it was."""

    refused: str = ""


class Written(Reply):
    """The names of the files that were written, or why none was."""

    written: list[str]
    refused: str = ""
