"""What a lesson says."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, TypeAlias

from msgspec import Struct, field

from embrix.text.source import Source, Span

Happening: TypeAlias = Literal[
    "step", "lookup", "binds", "location", "text", "applies", "output", "end"
]
HAPPENINGS: dict[Happening, str] = {
    "step": "the step with a number",
    "lookup": "a name is looked up",
    "binds": "a name is bound to a value, or to another one",
    "location": "a location of the store gets another value",
    "text": "a text stands in a step",
    "applies": "a clause begins to apply, written as in the definition",
    "output": "something is written",
    "end": "the end, or the failure",
}
"""What a step of a run is found by, so that it survives changes of the program."""

Covered: TypeAlias = Literal["result", "next", "names", "store"]
COVERED: dict[Covered, str] = {
    "result": "what the lanes give",
    "next": "the step at which the stop is, and what it gives",
    "names": "what names stand for",
    "store": "what the store holds",
}
"""What may stay covered until the answer is given."""

Shown: TypeAlias = Literal["walk", "steps", "derivation", "environment", "store", "tree", "states"]
SHOWN: dict[Shown, str] = {
    "walk": "the step: its expression, names, store, clause",
    "steps": "the whole reduction sequence, or all conclusions",
    "derivation": "the derivation from that step on",
    "environment": "names and closures as linked boxes",
    "store": "the store over time",
    "tree": "the syntax tree",
    "states": "all states that the program can reach",
}


class Where(Struct, frozen=True):
    """A step of a run: what happens there, and how often it has by then, from one."""

    happening: Happening
    what: str = ""
    time: int = 1

    @property
    def sentence(self) -> str:
        """In words: `rate is looked up, time 2`."""
        words = {
            "step": f"step {self.what}", "lookup": f"{self.what} is looked up",
            "binds": f"{self.what} is bound",
            "location": f"{self.what} gets another value",
            "text": f"“{self.what}” stands in a step", "applies": f"the clause {self.what} applies",
            "output": "something is written", "end": "the end",
        }[self.happening]  # fmt: skip
        return f"{words}, time {self.time}" if self.time > 1 else words


class LessonStop(Struct, frozen=True):
    """A stop: a program on lanes, the first of which is walked, at a step; what is said, what is
    asked, what is covered until it is answered, and what each lane must give."""

    name: str
    program: str
    file: str
    """Where the program stands, or nothing."""
    lanes: tuple[str, ...]
    span: Span
    where: Where | None = None
    shown: Shown = "walk"
    notes: str = ""
    question: str = ""
    covered: tuple[Covered, ...] = ()
    answers: Mapping[str, str] = field(default_factory=dict)
    given: Mapping[str, str] = field(default_factory=dict)
    input: tuple[str, ...] = ()
    ways: tuple[int, ...] = ()


class Lesson(Struct, frozen=True):
    source: Source
    title: str
    language: str
    about: str
    stops: tuple[LessonStop, ...]
