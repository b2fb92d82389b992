"""What `--json` prints: the answer of each command as a type. The schemas in `docs/schemas` are
made from these types (`./dev schemas`), and nothing is printed that does not fit its own."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

import msgspec
from msgspec import UNSET, Meta, UnsetType

Place = Annotated[list[int], Meta(min_length=2, max_length=2, description="From, to: offsets.")]
Line = Annotated[int, Meta(ge=1, description="From one.")]
Count = Annotated[int, Meta(ge=0)]


class Answer(msgspec.Struct, omit_defaults=True, forbid_unknown_fields=True):
    """A part of an answer. What has a default may be left out."""


# ---------------------------------------------------------------------- definitions


class Finding(Answer):
    """Something wrong in a definition or a suite; `embrix explain` tells what its code means."""

    code: str
    severity: Literal["error", "warning"]
    message: str
    file: str
    line: Line
    column: Line
    end_line: Line
    end_column: Line
    hint: str | UnsetType = UNSET


class Law(Answer):
    """A law: for how many generated examples it is true; for which it is false, by name; or why it
    was not tried."""

    language: str
    text: str
    tried: Count
    seed: int
    counterexample: dict[str, str] | UnsetType = UNSET
    untried: str | UnsetType = UNSET


class Check(Answer):
    """embrix check"""

    course: str
    languages: dict[str, list[str]]
    """The interpreters of each language, those with errors included."""
    findings: list[Finding]
    laws: list[Law]
    without_steps: list[str]
    """Interpreters without a `judgement` or `final` line."""


class Formatted(Answer):
    """A file: laid out well already, laid out anew (with --check: would be), or left as it is
    because it cannot be read."""

    file: str
    state: Literal["well", "changed", "unreadable"]


class Change(Answer):
    """embrix differences: a part of a definition that differs in meaning."""

    part: str
    name: str
    state: str
    before: str
    after: str


class Mistake(Answer):
    """embrix mistakes: what noticed a mistake, and `by` which code, law or case."""

    interpreter: str
    line: Line
    mistake: str
    before: str
    after: str
    noticed: Literal["refused", "warned", "law", "red", "not found"]
    by: str


class Uncovered(Answer):
    """embrix uncovered: what no case meets, and a small program that would."""

    what: str
    owner: str
    file: str
    line: Line
    text: str
    program: str | UnsetType = UNSET


class Allowed(Answer):
    """embrix allow: the command of an outside interpreter, and what it may use."""

    name: str
    language: str
    command: list[str]
    allowed: bool
    seconds: Count
    megabytes: Count


# ---------------------------------------------------------------------- programs


class Outcome(Answer):
    """How a run ended. `name` is that of an error; `structure` how a value is built."""

    kind: str
    text: str
    name: str | UnsetType = UNSET
    structure: str | UnsetType = UNSET
    place: Place | UnsetType = UNSET
    line: Line | UnsetType = UNSET
    column: Line | UnsetType = UNSET


class Run(Answer):
    """One lane of embrix run."""

    interpreter: str
    outcome: Outcome
    output: list[str]
    costs: dict[str, int]
    state: list[str] | UnsetType = UNSET


class Steps(Answer):
    """One lane of embrix steps."""

    interpreter: str
    steps: list[str]
    outcome: Outcome


class Side(Answer):
    """One lane of a comparison."""

    lane: str
    outcome: Outcome
    output: list[str]
    state: list[str]
    costs: dict[str, int]


class Parting(Answer):
    """Where two lanes part: the stations of their walks, empty ones where they have none."""

    first: str
    second: str
    sentence: str
    stations: list[int | None]
    more: list[str]


class Compared(Answer):
    """embrix compare"""

    lanes: list[Side]
    partings: list[Parting]


class Curve(Answer):
    """Points (a number, a cost) and the growth that fits them best."""

    points: list[tuple[int, float]]
    growth: str


class Growth(Answer):
    """embrix growth"""

    cost: str
    over: str
    lanes: dict[str, Curve]


class Hunted(Answer):
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


class Token(Answer):
    place: Place
    line: Line
    column: Line
    kind: str
    text: str
    value: str | UnsetType = UNSET


class Branch(Answer):
    """A row of a tree, from the top: how deep, in which field of the one above, its form, its
    names and numbers as text."""

    depth: Count
    field: str
    form: str
    leaves: str
    place: Place | UnsetType = UNSET


class Covered(Answer):
    """A row of a derivation: a rule, or a piece of the text."""

    depth: Count
    name: str
    text: str
    place: Place


class Mishap(Answer):
    """A reason why a text is rejected."""

    message: str
    place: Place
    line: Line
    column: Line


class Rejection(Answer):
    """Why a text is rejected: by the tokens, by the grammar, or as ambiguous. `mistakes` has all
    that were found, the first one exact."""

    by: str
    message: str
    mistakes: list[Mishap]
    trees: list[list[Branch]] | UnsetType = UNSET
    reading: list[str] | UnsetType = UNSET


class Parsed(Answer):
    """embrix parse. What only an option asks for is left out without it."""

    language: str
    tokens: list[Token]
    tree: list[Branch]
    more_rows: Count
    """Rows of the tree beyond those told."""
    rejection: Rejection | UnsetType = UNSET
    derivations: list[list[Covered]] | UnsetType = UNSET
    steps: list[ParseStep] | UnsetType = UNSET
    text: str | UnsetType = UNSET


class ParseStep(Answer):
    """A shift, a reduction, or a step of a descent."""

    stack: str
    rest: str
    action: str


class Stage(Answer):
    """embrix sketch: how far a program gets; the obstacle comes last."""

    stage: str
    told: str


class Conflict(Answer):
    """What has been read, what comes next, and the ways to go on."""

    read: str
    next: str
    ways: list[str]


class TwoTrees(Answer):
    """An ambiguous sentence, its trees in brackets, and where they part."""

    sentence: str
    trees: list[str]
    parting: str


class GrammarKind(Answer):
    """A grammar from a rule: reasons why it is not LL(1) (none where it is), whether it is LALR(1)
    and LR(1) (null: not decided within the bound), a sentence with two trees."""

    rule: str
    nonterminals: Count
    states: Count
    against_ll1: list[str]
    lalr1: bool
    lr1: bool | None
    conflicts: list[Conflict]
    searched_length: Count
    searched_sentences: Count
    ambiguity: TwoTrees | UnsetType = UNSET
    sets: list[str] | UnsetType = UNSET
    items: list[str] | UnsetType = UNSET


class CornerCase(Answer):
    """A case that is easily forgotten, and what the grammar does."""

    question: str
    text: str
    shown: str
    answer: str


class Difference(Answer):
    kind: str
    sentence: str
    first: str
    second: str


class Against(Answer):
    """A grammar against another one, on sentences up to a length."""

    other: str
    length: Count
    tried: Count
    further: Count
    differences: list[Difference]
    touched: list[str]


class Grammar(Answer):
    """One language of embrix grammar, with what the options ask for."""

    language: str
    from_rules: list[GrammarKind] | UnsetType = UNSET
    decisions: list[CornerCase] | UnsetType = UNSET
    cases: str | UnsetType = UNSET
    ebnf: str | UnsetType = UNSET
    against: Against | UnsetType = UNSET


# ---------------------------------------------------------------------- suites


class Question(Answer):
    """A question of a suite: each lane with the label of its answer, and what came."""

    name: str
    program: str
    labels: list[str]
    answers: list[tuple[str, str | None, str]]
    why: str | UnsetType = UNSET


class Choice(Answer):
    """A choice: the ways to decide it, each with a reason, and how each lane does."""

    name: str
    question: str
    ways: dict[str, str]
    default: str
    lanes: dict[str, str]


class Decisions(Answer):
    lanes: list[str]
    questions: list[Question]
    choices: list[Choice]


class ChangedCase(Answer):
    """A case that gives something else when a choice is decided otherwise."""

    case: str
    program: str
    lanes: list[str]
    before: str
    after: str


class ChangedVerdict(Answer):
    """embrix changed: a verdict that the last run of the suites changed."""

    suite: str
    case: str
    lane: str
    before: str
    now: str


class Accepted(Answer):
    """embrix accept: the lines that change in the suite, and whether they have been written."""

    suite: str
    changes: list[str]
    written: bool


class Written(Answer):
    """embrix draw, handout, starter: the files written; a picture as text where none is."""

    files: list[str]
    text: str | UnsetType = UNSET
    left_out: list[str] | UnsetType = UNSET
    """Of a starter: which clauses are to be written."""


ANSWERS: dict[str, Any] = {
    "check": Check, "run": Run | list[Run], "steps": Steps | list[Steps], "compare": Compared,
    "growth": Growth, "hunt": Hunted, "parse": Parsed, "sketch": list[Stage],
    "grammar": list[Grammar], "questions": dict[str, Decisions | list[ChangedCase]],
    "changed": list[ChangedVerdict], "accept": Accepted, "mistakes": list[Mistake],
    "uncovered": list[Uncovered], "differences": list[Change], "allow": list[Allowed],
    "format": list[Formatted], "explain": dict[str, str], "draw": Written, "handout": Written,
    "starter": Written,
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
    return {**head, **made}
