"""What a suite says."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, TypeAlias

from embrix.text.source import Source, Span

ExpectationKind: TypeAlias = Literal["value", "error", "rejected", "accepted"]


@dataclass(frozen=True, slots=True)
class Expectation:
    """`text` is the value as shown, the name of the error, or what refuses (tokens, grammar);
    a program that is merely accepted may end in any way.

    `at` is the place in the program as line and column counted from one, or None.
    """

    kind: ExpectationKind
    text: str
    at: tuple[int, int] | None = None
    says: str = ""
    """The sentence of the error, with its payload; empty where it does not matter."""

    @property
    def sentence(self) -> str:
        place = f" “{self.says}”" if self.says else ""
        place += f" at {self.at[0]}:{self.at[1]}" if self.at else ""
        word = {
            "value": "", "error": "error ", "rejected": "rejected by the ", "accepted": "accepted",
        }[self.kind]  # fmt: skip
        return f"{word}{self.text}{place}"


@dataclass(frozen=True, slots=True)
class Case:
    """One program with what it must give.

    `expected` holds for every lane that `instead` does not name; `steps` gives for a lane the
    reduction sequence or the conclusions in order. `lanes` limits the case when it is not empty.
    `input` holds the lines the program may read, `output` all that it must write, and `outputs`
    what single lanes write instead.
    """

    name: str
    program: str
    expected: Expectation | None
    instead: dict[str, Expectation] = field(default_factory=dict)
    steps: dict[str, tuple[str, ...]] = field(default_factory=dict)
    lanes: tuple[str, ...] = ()
    given: dict[str, str] = field(default_factory=dict)
    input: tuple[str, ...] = ()
    output: str | None = None
    outputs: dict[str, str] = field(default_factory=dict)
    why: str = ""
    span: Span = field(default=Span(0, 0), compare=False)

    def expectation_for(self, lane: str) -> Expectation | None:
        """What a lane must give; where only its output is stated it must not fail."""
        if lane in self.outputs and self.expected and self.expected.kind != "value":
            return self.instead.get(lane)
        return self.instead.get(lane, self.expected)

    def output_for(self, lane: str) -> str | None:
        """What a lane must write; nothing is asked of a program that is to be refused."""
        refused = lane in self.instead and self.instead[lane].kind == "rejected"
        return self.outputs.get(lane, None if refused else self.output)

    def applies_to(self, lane: str) -> bool:
        if self.lanes and lane not in self.lanes:
            return False
        if "[" in lane and lane not in self.spoken_of:
            return False  # with choices decided otherwise, only where that is asked for
        stated = self.expectation_for(lane) is not None or lane in self.steps
        return stated or self.output_for(lane) is not None

    @property
    def spoken_of(self) -> tuple[str, ...]:
        """The lanes that the case names."""
        return tuple(dict.fromkeys((*self.lanes, *self.instead, *self.outputs, *self.steps)))


@dataclass(frozen=True, slots=True)
class Suite:
    """A suite file that could be read."""

    source: Source
    language: str
    about: str
    cases: tuple[Case, ...]

    @property
    def decided(self) -> tuple[str, ...]:
        """The lanes with choices decided otherwise that some case speaks of."""
        named = (lane for case in self.cases for lane in case.spoken_of if "[" in lane)
        return tuple(dict.fromkeys(named))
