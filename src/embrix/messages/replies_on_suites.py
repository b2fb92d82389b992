"""Answers about suites, questions and choices."""

from __future__ import annotations

from typing import TypeAlias

from embrix.messages.replies import Note
from embrix.messages.reply import Packed, Reply

Place: TypeAlias = tuple[int, int]
TokenSlice: TypeAlias = tuple[int, int, str]
"""Where a token begins and ends, and its kind."""


class CaseVerdict(Packed):
    """A verdict on one lane: `what` the two sentences are about, the step of the walk at which
    it shows (-1: its end), the slices of both that differ."""

    lane: str
    state: str
    expected: str
    actual: str
    what: str
    step: int
    parts: tuple[list[Place], list[Place]]


class CaseRow(Reply):
    """A case with its verdicts; what each lane is to give, as it can be typed; since when each
    gives what it gives."""

    name: str
    program: str
    why: str
    tags: list[str]
    given: dict[str, str]
    input: list[str]
    line: int
    entry: tuple[int, int]
    verdicts: list[CaseVerdict]
    expects: dict[str, str] = {}
    since: dict[str, str] = {}
    changed: float = 0.0


class LaneAnswer(Packed):
    """What a lane answers to a question: one of its labels (or nothing), and its result."""

    lane: str
    label: str
    result: str


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
