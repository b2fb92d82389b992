"""What a suite says."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, TypeAlias

from msgspec import Struct, field

from embrix.text.source import Source, Span

ExpectationKind: TypeAlias = Literal[
    "value", "shows", "error", "rejected", "accepted", "diverges", "outcomes", "may", "confluent",
]  # fmt: skip
Relation: TypeAlias = Literal["exactly", "at most", "at least"]

FIRST_CALLS = 20_000
"""Calls that any case may make, and after which a program that is said to diverge has not ended."""

COSTS = {
    "steps": "steps", "judgements": "judgements", "calls": "calls", "lookups": "lookups",
    "hops": "hops", "depth": "depth", "allocations": "allocations", "reads": "reads",
    "writes": "writes", "made": "suspensions made", "forced": "suspensions forced",
    "reused": "suspensions reused", "substitutions": "substitutions",
    "visited": "nodes visited",
}  # fmt: skip
"""What a case may bound, by the word it is written with; `calls of NAME` besides."""

MAIN_COSTS = (
    "steps", "judgements", "calls", "lookups", "depth", "suspensions forced", "suspensions reused",
    "substitutions", "allocations", "reads", "writes",
)  # fmt: skip
"""The costs that lanes are compared by, in the order in which they are shown."""


def costs_by_spread(lanes: Sequence[Mapping[str, float]]) -> list[str]:
    """The main costs that some of these lanes have, those first that most of them have."""
    having = {name: sum(bool(one.get(name)) for one in lanes) for name in MAIN_COSTS}
    return sorted((name for name in MAIN_COSTS if having[name]), key=lambda name: -having[name])


class Expectation(Struct, frozen=True):
    """`text` is the value as shown or as it is built, the name of the error, what refuses (tokens,
    grammar), or the calls after which a program that diverges has not ended; a program that is
    merely accepted may end in any way. For `outcomes` (these and no others) and `may` (these among
    others) it is one outcome a line.

    `at` is the place in the program as line and column counted from one, or None.
    """

    kind: ExpectationKind
    text: str
    at: tuple[int, int] | None = None
    says: str = ""
    """The sentence of the error, with its payload; empty where it does not matter."""

    @property
    def listed(self) -> str:
        """Several outcomes with commas between them."""
        return ", ".join(self.text.split("\n"))

    @property
    def sentence(self) -> str:
        place = f" “{self.says}”" if self.says else ""
        place += f" at {self.at[0]}:{self.at[1]}" if self.at else ""
        match self.kind:
            case "value":
                word = self.text
            case "shows":
                word = f"shown as {self.text}"
            case "error":
                word = f"error {self.text}"
            case "rejected":
                word = f"rejected by the {self.text}"
            case "outcomes":
                word = f"outcomes {self.listed}"
            case "may":
                word = f"{self.listed} among the outcomes"
            case _:
                word = _OTHER[self.kind]
        return f"{word}{place}"


_OTHER = {
    "accepted": "accepted", "diverges": "no end", "confluent": "one outcome, whichever way",
}  # fmt: skip


class Bound(Struct, frozen=True):
    """How much something may cost."""

    cost: str
    relation: Relation
    number: int

    def holds(self, found: int) -> bool:
        if self.relation == "exactly":
            return found == self.number
        return found <= self.number if self.relation == "at most" else found >= self.number

    @property
    def sentence(self) -> str:
        relation = "" if self.relation == "exactly" else f"{self.relation} "
        return f"{self.cost} {relation}{self.number:,}"


class Steps(Struct, frozen=True):
    """The reduction sequence, or the conclusions in order. A line `...` stands for any number of
    them; `…` inside a line for any text.

    `under` begins with the first term or judgement that reads like this line; `deep` keeps only
    judgements at most so many levels inside each other, counted from there; `only` those of some
    functions. With `renaming` bound names of terms do not matter.
    """

    lines: tuple[str, ...]
    under: str = ""
    deep: int | None = None
    only: tuple[str, ...] = ()
    renaming: bool = False


class Case(Struct, frozen=True):
    """One program with what it must give.

    `expected` holds for every lane that `instead` does not name; `steps` gives for a lane what
    happens on the way. `lanes` limits the case when it is not empty. `input` holds the lines the
    program may read, `output` all that it must write, and `outputs` what single lanes write
    instead; `state` is what must come beside the value. `costs` bounds costs, of all lanes under an
    empty name. `tokens` and `term` say how the program is read.
    """

    name: str
    program: str
    expected: Expectation | None
    instead: dict[str, Expectation] = field(default_factory=dict)
    steps: dict[str, Steps] = field(default_factory=dict)
    lanes: tuple[str, ...] = ()
    given: dict[str, str] = field(default_factory=dict)
    input: tuple[str, ...] = ()
    output: str | None = None
    outputs: dict[str, str] = field(default_factory=dict)
    why: str = ""
    span: Span = Span(0, 0)
    state: tuple[str, ...] | None = None
    states: dict[str, tuple[str, ...]] = field(default_factory=dict)
    costs: dict[str, tuple[Bound, ...]] = field(default_factory=dict)
    tokens: tuple[str, ...] | None = None
    term: str = ""
    grammar: str | None = None
    tags: tuple[str, ...] = ()
    entry: tuple[int, int] = (-1, -1)
    """Where it stands in the file: the number of its case, and of its row in a table, or -1."""
    calls: int = 0
    """How many calls each lane may make; 0: as many as most cases need by far."""

    @property
    def about_reading(self) -> bool:
        """Whether it only says how the program is read, for which no interpreter is needed."""
        rest = (self.instead, self.outputs, self.states, self.costs, self.steps, self.given)
        read = self.expected is None or self.expected.kind in ("rejected", "accepted")
        return read and self.output is None and self.state is None and not any(rest)

    def expectation_for(self, lane: str) -> Expectation | None:
        """What a lane must give; where only its output is stated it must not fail."""
        if lane in self.outputs and self.expected and self.expected.kind not in ("value", "shows"):
            return self.instead.get(lane)
        return self.instead.get(lane, self.expected)

    def typed(self, lane: str) -> str:
        """What a lane must give, as it is typed in place; empty where that takes more than a line
        says."""
        wanted = self.expectation_for(lane)
        plain = wanted is not None and wanted.kind in ("value", "error", "rejected")
        return wanted.sentence if wanted is not None and plain and not wanted.says else ""

    def output_for(self, lane: str) -> str | None:
        """What a lane must write; nothing is asked of a program that is to be refused."""
        refused = lane in self.instead and self.instead[lane].kind == "rejected"
        return self.outputs.get(lane, None if refused else self.output)

    def state_for(self, lane: str) -> tuple[str, ...] | None:
        return self.states.get(lane, None if lane in self.instead else self.state)

    def costs_for(self, lane: str) -> tuple[Bound, ...]:
        return self.costs.get(lane, self.costs.get("", ()))

    def applies_to(self, lane: str) -> bool:
        if self.lanes and not {lane, lane.partition("[")[0]} & set(self.lanes):
            return False
        if "[" in lane and lane not in self.spoken_of:
            return False  # with choices decided otherwise, only where that is asked for
        read = self.tokens is not None or bool(self.term)
        stated = self.expectation_for(lane) is not None or lane in self.steps or read
        counted = bool(self.costs_for(lane)) or self.state_for(lane) is not None
        return stated or counted or self.output_for(lane) is not None

    @property
    def spoken_of(self) -> tuple[str, ...]:
        """The lanes that the case names."""
        named = (self.lanes, self.instead, self.outputs, self.states, self.costs, self.steps)
        return tuple(dict.fromkeys(lane for one in named for lane in one if lane))


class Answer(Struct, frozen=True):
    """One way to end, or what is written, or both."""

    expected: Expectation | None
    output: str | None = None


class Question(Struct, frozen=True):
    """A program with several labelled answers, none of them right or wrong."""

    name: str
    program: str
    answers: dict[str, Answer]
    lanes: tuple[str, ...] = ()
    given: dict[str, str] = field(default_factory=dict)
    input: tuple[str, ...] = ()
    why: str = ""
    span: Span = Span(0, 0)


class Suite(Struct, frozen=True):
    """A suite file that could be read."""

    source: Source
    language: str
    about: str
    cases: tuple[Case, ...]
    questions: tuple[Question, ...] = ()

    @property
    def decided(self) -> tuple[str, ...]:
        """The lanes with choices decided otherwise that some case speaks of."""
        named = [lane for case in self.cases for lane in case.spoken_of if "[" in lane]
        return tuple(dict.fromkeys(named))
