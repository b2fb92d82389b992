"""What is known at one stop of a walk, and the records that stops are made from."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import Literal, TypeAlias

from msgspec import Struct

from embrix.machine.recorder import Recorder
from embrix.terms.node import Place
from embrix.terms.substitution_details import SubstitutionDetails
from embrix.text.fitting import Piece, joined_within
from embrix.text.source import Span
from embrix.trace.frames import Origin
from embrix.trace.substitution_marks import TermMark

StepKind: TypeAlias = Literal["term", "enter", "leave", "end"]
ROW = 100
"""Columns of a row of ordinary length."""


class Binding(Struct, frozen=True):
    """A name in an environment and what it stands for; shadowed ones cannot be reached by name."""

    name: str
    value: str
    shadowed: bool
    origin: Origin = "around"


class Held(Struct, frozen=True):
    """What a store holds at a location. `role` is `suspended`, `forcing` or `settled` for what
    waits to be evaluated, is just being evaluated, and has been; `reused` says how often its value
    has been used again so far."""

    location: str
    value: str
    role: str
    reused: int = 0


class Put(Struct, frozen=True):
    """A substitution: what was put, and what became of the name."""

    value: str
    details: SubstitutionDetails


class WalkStep(Struct, frozen=True):
    """One stop of a walk, fit to be shown.

    `text` is the term or judgement, `focus` the part of it that is active, `place` the active part
    of the program, `clause` the place in the definition of the clause that applies.
    """

    number: int
    kind: StepKind
    text: str
    focus: Span | None
    place: Place | None
    depth: int
    bindings: tuple[Binding, ...]
    clause: Span | None
    note: str = ""
    store: tuple[Held, ...] = ()
    row: tuple[Piece, ...] = ()
    """The judgement in pieces, with what matters of its environments and stores; empty where the
    whole `text` stands for it."""
    changed: tuple[str, ...] = ()
    """Locations whose contents are not what they were when the judgement was entered."""
    refused: tuple[Span, ...] = ()
    """Clauses before the one that applies which take the same form, and were not taken."""
    stack: tuple[str, ...] = ()
    """The judgements around this one, the nearest first."""
    renewed: Span | None = None
    """The part of a term that the step before has made."""
    written: str = ""
    """The end of what has been written so far."""
    put: tuple[Put, ...] = ()
    """The substitutions that take place at this step, or right after this event."""
    marks: tuple[TermMark, ...] = ()
    """Places in a term at which these do something, and values that the step before has put in."""

    @property
    def brief(self) -> str:
        """The step in a row of ordinary length."""
        return joined_within(self.row, ROW) if self.row else self.text


class RecordView:
    """A record, or a part of one, with the number of its first event."""

    def __init__(self, recorder: Recorder, first: int) -> None:
        self.recorder = recorder
        self.first = first

    @cached_property
    def depths(self) -> list[int]:
        """How deep in others the judgement of each event is."""
        recorder = self.recorder
        depth = 0
        if recorder.events:
            begin = recorder.events[0]
            at = recorder.parents[~begin if begin < 0 else begin]
            depth = 1 if begin < 0 else 0
            while at >= 0:
                depth, at = depth + 1, recorder.parents[at]
        depths = []
        for event in recorder.events:
            if event < 0:
                depth -= 1
            depths.append(depth)
            if event >= 0:
                depth += 1
        return depths

    @cached_property
    def last_called(self) -> dict[int, int]:
        """The last judgement that each instance with a tail call has called."""
        tails, parents = self.recorder.tails, self.recorder.parents
        numbered = parents.items() if isinstance(parents, Mapping) else enumerate(parents)
        return {parent: number for number, parent in numbered if parent in tails}
