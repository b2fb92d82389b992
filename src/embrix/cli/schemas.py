"""What `--json` prints: the answer of each command as a type. The schemas in `docs/schemas` are
made from these types (`./dev schemas`), and nothing is printed that does not fit its own."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

import msgspec
from msgspec import UNSET, Meta, UnsetType

from embrix.cli.comparison_answers import Compared
from embrix.cli.lesson_answers import LessonsData
from embrix.cli.schema_parts import AnswerData, Count, Finding, Line, OutcomeData, Place


class LawData(AnswerData):
    """A law: on how many of the examples that were made it was tried, those of which its condition
    holds; for which it is not true, by name; or why it was not tried."""

    language: str
    text: str
    tried: Count
    made: Count
    seed: int
    counterexample: dict[str, str] | UnsetType = UNSET
    untried: str | UnsetType = UNSET


class Check(AnswerData):
    """embrix check"""

    course: str
    languages: dict[str, list[str]]
    """The interpreters of each language, those with errors included."""
    findings: list[Finding]
    laws: list[LawData]
    without_steps: list[str]
    """Interpreters without a `judgement` or `final` line."""


class Formatted(AnswerData):
    """A file: laid out well already, laid out anew (with --check: would be), or left as it is
    because it cannot be read."""

    file: str
    state: Literal["well", "changed", "unreadable"]


class ChangeData(AnswerData):
    """embrix differences: a part of a definition that differs in meaning."""

    part: str
    name: str
    state: str
    before: str
    after: str


class MistakeData(AnswerData):
    """embrix mistakes: what noticed a mistake, and `by` which code, law or case."""

    interpreter: str
    line: Line
    mistake: str
    before: str
    after: str
    noticed: Literal["refused", "warned", "law", "red", "not found"]
    by: str


class Uncovered(AnswerData):
    """embrix uncovered: what no case meets, and a small program that would."""

    what: str
    owner: str
    file: str
    line: Line
    text: str
    program: str | UnsetType = UNSET


class AllowedData(AnswerData):
    """embrix allow: the command of an outside interpreter, and what it may use."""

    name: str
    language: str
    command: list[str]
    allowed: bool
    seconds: Count
    megabytes: Count


# ---------------------------------------------------------------------- programs


class Run(AnswerData):
    """One lane of embrix run."""

    interpreter: str
    outcome: OutcomeData
    output: list[str]
    costs: dict[str, int]
    state: list[str] | UnsetType = UNSET
    ways: list[WayData] | UnsetType = UNSET


class WayData(AnswerData):
    """The number of a way that was taken, and how many were open."""

    taken: Annotated[int, Meta(ge=1)]
    open: Annotated[int, Meta(ge=2)]


class ReachedData(AnswerData):
    """An outcome that a program can come to, and the ways that lead there: counted from one, the
    first way being taken when there are no more."""

    outcome: OutcomeData
    output: list[str]
    state: list[str]
    ways: list[Annotated[int, Meta(ge=1)]]


class OutcomesData(AnswerData):
    """One lane of embrix outcomes: `whole` where no bound cut the search short, `endless` where
    some run never ends, or had not ended at its limits."""

    interpreter: str
    outcomes: list[ReachedData]
    runs: Count
    states: Count
    steps: Count
    whole: bool
    endless: bool


class ResidualRowData(AnswerData):
    """A line of a residual program: how far it is set in, its place in the program, and the clause
    that it comes from; `decided` where it is a note on what is decided beforehand."""

    text: str
    inset: Count
    decided: bool
    line: Line | UnsetType = UNSET
    column: Line | UnsetType = UNSET
    clause: str | UnsetType = UNSET


class ResidualData(AnswerData):
    """One lane of embrix residual; `refused` says why there are no rows, `costs` what a run takes
    where that is asked for."""

    interpreter: str
    summary: str
    refused: str
    rows: list[ResidualRowData]
    costs: dict[str, Count]


class StepsData(AnswerData):
    """One lane of embrix steps."""

    interpreter: str
    steps: list[str]
    outcome: OutcomeData


class Curve(AnswerData):
    """Points (a number, a cost) and the growth that fits them best."""

    points: list[tuple[int, float]]
    growth: str


class Growth(AnswerData):
    """embrix growth"""

    cost: str
    over: str
    lanes: dict[str, Curve]


class Hunted(AnswerData):
    """embrix hunt: how many programs were run of how many asked for, how they ended, in how many
    each form occurs; the smallest with a difference."""

    language: str
    lanes: list[str]
    seed: int
    asked: Count
    run: Count
    ended: dict[str, int]
    forms: dict[str, int]
    sentence: str
    program: str | UnsetType = UNSET
    nodes: Count | UnsetType = UNSET
    ends: list[str] | UnsetType = UNSET
    parting: list[str] | UnsetType = UNSET


# ---------------------------------------------------------------------- texts


class TokenData(AnswerData):
    place: Place
    line: Line
    column: Line
    kind: str
    text: str
    value: str | UnsetType = UNSET


class BranchData(AnswerData):
    """A row of a tree, from the top: how deep, in which field of the one above, its form, its
    names and numbers as text."""

    depth: Count
    field: str
    form: str
    leaves: str
    place: Place | UnsetType = UNSET


class Covered(AnswerData):
    """A row of a derivation: a rule, or a piece of the text."""

    depth: Count
    name: str
    text: str
    place: Place


class MishapData(AnswerData):
    """A reason why a text is rejected."""

    message: str
    place: Place
    line: Line
    column: Line


class Rejection(AnswerData):
    """Why a text is rejected: by the tokens, by the grammar, or as ambiguous. `mistakes` has all
    that were found, the first one exact."""

    by: str
    message: str
    mistakes: list[MishapData]
    trees: list[list[BranchData]] | UnsetType = UNSET
    reading: list[str] | UnsetType = UNSET


class ParsedData(AnswerData):
    """embrix parse. What only an option asks for is left out without it."""

    language: str
    tokens: list[TokenData]
    tree: list[BranchData]
    more_rows: Count
    """Rows of the tree beyond those given."""
    rejection: Rejection | UnsetType = UNSET
    derivations: list[list[Covered]] | UnsetType = UNSET
    steps: list[ParseStepData] | UnsetType = UNSET
    text: str | UnsetType = UNSET


class ParseStepData(AnswerData):
    """A shift, a reduction, or a step of a descent."""

    stack: str
    rest: str
    action: str


class Stage(AnswerData):
    """embrix sketch: how far a program gets; the obstacle comes last."""

    stage: str
    text: str


class ConflictData(AnswerData):
    """What has been read, what comes next, and the ways to go on."""

    read: str
    next: str
    ways: list[str]


class TwoTrees(AnswerData):
    """An ambiguous sentence, its trees in brackets, and where they part."""

    sentence: str
    trees: list[str]
    parting: str


class GrammarKind(AnswerData):
    """A grammar from a rule: reasons why it is not LL(1) (none where it is), whether it is LALR(1)
    and LR(1) (null: not decided within the bound), a sentence with two trees."""

    rule: str
    nonterminals: Count
    states: Count
    against_ll1: list[str]
    lalr1: bool
    lr1: bool | None
    conflicts: list[ConflictData]
    searched_length: Count
    searched_sentences: Count
    ambiguity: TwoTrees | UnsetType = UNSET
    sets: list[str] | UnsetType = UNSET
    items: list[str] | UnsetType = UNSET


class CornerCaseData(AnswerData):
    """A case that is easily forgotten, and what the grammar does."""

    question: str
    text: str
    shown: str
    answer: str


class DifferenceData(AnswerData):
    kind: str
    sentence: str
    first: str
    second: str


class Against(AnswerData):
    """A grammar against another one, on sentences up to a length."""

    other: str
    length: Count
    tried: Count
    further: Count
    differences: list[DifferenceData]
    touched: list[str]


class GrammarData(AnswerData):
    """One language of embrix grammar, with what the options ask for."""

    language: str
    from_rules: list[GrammarKind] | UnsetType = UNSET
    decisions: list[CornerCaseData] | UnsetType = UNSET
    cases: str | UnsetType = UNSET
    ebnf: str | UnsetType = UNSET
    against: Against | UnsetType = UNSET


# ---------------------------------------------------------------------- suites


class QuestionData(AnswerData):
    """A question of a suite: each lane with the label of its answer, and what came."""

    name: str
    program: str
    labels: list[str]
    answers: list[tuple[str, str | None, str]]
    why: str | UnsetType = UNSET


class ChoiceData(AnswerData):
    """A choice: the ways to decide it, each with a reason, and how each lane does."""

    name: str
    question: str
    ways: dict[str, str]
    default: str
    lanes: dict[str, str]


class Decisions(AnswerData):
    lanes: list[str]
    questions: list[QuestionData]
    choices: list[ChoiceData]


class ChangedCaseData(AnswerData):
    """A case that gives something else when a choice is decided otherwise."""

    case: str
    program: str
    lanes: list[str]
    before: str
    after: str


class ChangedVerdict(AnswerData):
    """embrix changed: a verdict that the last run of the suites changed."""

    suite: str
    case: str
    lane: str
    before: str
    now: str


class Accepted(AnswerData):
    """embrix accept: the lines that change in the suite, and whether they have been written."""

    suite: str
    changes: list[str]
    written: bool


class WrittenData(AnswerData):
    """embrix draw, handout, slides, worksheet, starter: the files written; a picture as text where
    none is."""

    files: list[str]
    text: str | UnsetType = UNSET
    left_out: list[str] | UnsetType = UNSET
    """Of a starter: which clauses are to be written."""


ANSWERS: dict[str, Any] = {
    "check": Check, "run": Run | list[Run], "steps": StepsData | list[StepsData],
    "lessons": LessonsData,
    "outcomes": OutcomesData | list[OutcomesData],
    "residual": ResidualData | list[ResidualData],
    "compare": Compared, "growth": Growth, "hunt": Hunted,
    "parse": ParsedData, "sketch": list[Stage],
    "grammar": list[GrammarData], "questions": dict[str, Decisions | list[ChangedCaseData]],
    "changed": list[ChangedVerdict], "accept": Accepted, "mistakes": list[MistakeData],
    "uncovered": list[Uncovered], "differences": list[ChangeData], "allow": list[AllowedData],
    "format": list[Formatted], "explain": dict[str, str], "draw": WrittenData,
    "handout": WrittenData, "slides": WrittenData, "worksheet": WrittenData,
    "starter": WrittenData, "new": WrittenData,
}  # fmt: skip
"""By command. What `test --json` and `walk --json` print has schemas of its own: a report, and the
lines of a walk."""


def as_json(command: str, answer: object) -> str:
    """An answer as JSON, in plain ASCII. Raises `msgspec.ValidationError` if it does not fit its
    schema: a fault of Embrix."""
    fitting = msgspec.convert(msgspec.to_builtins(answer), ANSWERS[command])
    return json.dumps(msgspec.to_builtins(fitting), indent=2)


def schema_of(command: str) -> dict[str, Any]:
    """The schema of what a command prints with `--json`."""
    made = msgspec.json.schema(ANSWERS[command])
    head = {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"embrix {command} --json",
    }
    return {**head, **_described_in_one_line(made)}


def _described_in_one_line(part: Any) -> Any:
    """A schema whose descriptions do not show how the docstrings are broken into lines (versions
    of the library differ in what they leave of the indentation)."""
    if isinstance(part, dict):
        return {
            key: " ".join(value.split())
            if key == "description" and isinstance(value, str)
            else _described_in_one_line(value)
            for key, value in part.items()
        }
    return [_described_in_one_line(each) for each in part] if isinstance(part, list) else part
