"""Answers about lanes beside each other, costs and hunts."""

from __future__ import annotations

from typing import TypeAlias

from embrix.messages.reply import Packed, Reply

Place: TypeAlias = tuple[int, int]
TokenSlice: TypeAlias = tuple[int, int, str]
"""Where a token begins and ends, and its kind."""


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
    """Where a lane parts from the first one, in words, and the steps of both walks."""

    sentence: str
    more: list[str]
    steps: list[int | None]


class LaneComparison(Reply):
    lanes: list[LaneResult]
    left_out: int
    partings: dict[str, PartingText]
    first: str


class AlignedStop(Packed):
    step: int
    depth: int
    row: list[tuple[str, str]]
    """What it says in pieces, each with its kind, as in `StepData`."""
    place: Place | None


class EveryPartHeld(Reply):
    """Whether two lanes agree on every part of a program, in a sentence; the step on the first lane
    of the first part that differs (-1 where none does), and how many parts were not compared, by
    the reason."""

    sentence: str
    step: int
    left_out: dict[str, int]


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
    """A judgement of a derivation: how deep, what is concluded in pieces of a kind, the form of its
    clause, the numbers of the steps at which it is entered and left (-1: never), how many premises
    it has."""

    depth: int
    row: list[tuple[str, str]]
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
    learning: bool = False
    sentence: str = ""
    distribution: str = ""
    asked: int = 0
    occurring: str = ""
    program: str = ""
    nodes: int = 0
    ends: list[str] = []


class ReachedOutcome(Reply):
    """An outcome that a program can come to, and the ways that lead there; the number of the state
    from which its last step begins, or -1."""

    kind: str
    sentence: str
    output: str
    left: list[str]
    ways: list[int]
    state: int


class StateStep(Reply):
    """To which state a step leads, and by which ways."""

    to: int
    ways: list[int]


class StateRow(Reply):
    """A state: the term, what is beside it, what has been written; its steps, and the numbers of
    the outcomes that it may come to at once."""

    text: str
    beside: list[str]
    output: str
    steps: list[StateStep]
    ends: list[int]


class ResidualRow(Packed):
    """A line of a residual program: how far it is set in, its place in the program, the file and
    line of the clause that it comes from, and the text of that. `decided` where it is a note
    on what was decided beforehand."""

    text: str
    inset: int = 0
    place: tuple[int, int] | None = None
    file: str = ""
    line: int = 0
    clause: str = ""
    decided: bool = False


class ResidualShown(Reply):
    """What is left of an interpreter when the program is known, in words as well; or why it cannot
    be specialised."""

    rows: list[ResidualRow] = []
    summary: str = ""
    refused: str = ""
    ran: str = ""
    """What a run of it takes beside one of the interpreter, where that is asked for."""
    costs: dict[str, int] = {}
    """The same as numbers."""


class WaysFound(Reply):
    """Everything that a program can come to. `whole` where no bound cut the search short, `endless`
    where some run never ends, `several` where the definition leaves several ways open."""

    outcomes: list[ReachedOutcome] = []
    states: list[StateRow] = []
    runs: int = 0
    whole: bool = True
    endless: bool = False
    several: bool = False
    refused: str = ""
