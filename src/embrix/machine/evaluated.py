"""What comes of a run by the reference interpreter."""

from __future__ import annotations

from collections import Counter

from msgspec import Struct, field

from embrix.machine.outcome import Outcome
from embrix.terms.node import Value, same


class Knotted(Struct):
    """The name of a frame whose value mentions the environment, and the value, once it is made."""

    name: Value
    value: Value = None


class Judged(Struct):
    """A judgement that was entered: the function, its arguments, the clause that took them, and
    what it gave, if it came to an end."""

    function: str
    arguments: tuple[Value, ...]
    clause: int = -1
    result: Value = None


class Evaluated(Struct):
    """What came of a run: an outcome (without text), output, the final state, counts, and the
    judgements in the order in which they were entered."""

    kind: str = "value"
    name: str = ""
    value: Value = None
    place: tuple[int, int] | None = None
    output: list[str] = field(default_factory=list)
    state: tuple[Value, ...] = ()
    counts: Counter[str] = field(default_factory=Counter)
    judged: list[Judged] = field(default_factory=list)

    def agrees(self, outcome: Outcome) -> bool:
        """Whether it is an outcome, as far as can be seen here."""
        if (self.kind, self.name, self.place) != (outcome.kind, outcome.name, outcome.place):
            return False
        return self.kind != "value" or same(self.value, outcome.value)
