"""What inference rules are made of: judgements asked for or concluded, and conditions beside them.

All parts are texts in the notation, with the names of the rule.
"""

from __future__ import annotations

import re
from typing import Literal, TypeAlias

from msgspec import Struct

from embrix.brix.core import RESULT, Function
from embrix.terms.types import Tup, settle
from embrix.text.source import Span

ConditionKind: TypeAlias = Literal[
    "holds",
    "refuted",
    "equal",
    "unlike",
    "absent",
    "fails",
    "recursive",
    "written",
    "final",
    "done",
    "otherwise",
]


_ARROW = re.compile("[→⇒⟶⟹⇝↝]")
ERROR = "error "
"""Before the name of an error in the place of a result."""


class Said(Struct, frozen=True):
    """A judgement with what it is about and what it gives, by component."""

    function: Function
    args: tuple[str, ...]
    results: tuple[str, ...]
    many: bool = False
    """Whether it takes steps until none is left."""

    @property
    def text(self) -> str:
        """As its template says it; in the plainest form where it has none. A star stands behind the
        sign of a step where it takes many."""
        function = self.function
        if function.judgement is None:
            sign = "→*" if self.many else "→"
            return f"{function.name}({', '.join(self.args)}) {sign} {', '.join(self.results)}"
        pieces: list[str] = []
        for part in function.judgement:
            if isinstance(part, str):
                pieces.append(_ARROW.sub(r"\g<0>*", part) if self.many else part)
            elif part >= 0:
                pieces.append(self.args[part] if part < len(self.args) else function.params[part])
            elif failed(self.results):
                if pieces:  # nothing else is given, so nothing else is in brackets
                    pieces[-1] = pieces[-1].rstrip("⟨([{")
                return "".join((*pieces, self.results[0]))
            else:
                pieces.append(self._given(part))
        return "".join(pieces)

    @property
    def unsaid(self) -> list[tuple[int, str]]:
        """The parameters that it is about and that its template does not say, by number."""
        function = self.function
        named = enumerate(function.params[: len(self.args)])
        return [pair for pair in named if pair[0] not in (function.judgement or (pair[0],))]

    def _given(self, part: int) -> str:
        if part == RESULT:
            whole = ", ".join(self.results)
            return whole if len(self.results) == 1 else f"({whole})"
        number = RESULT - part - 1
        return self.results[number] if number < len(self.results) else "…"


class Condition(Struct, frozen=True):
    """What has to hold beside the premises: that something is true or not, that two things are
    equal or one is not of the form of the other (of several pairs one is not), that there is
    nothing, that something fails with an error, is tied to itself, is written, takes no more steps,
    has been worked out (that is said nowhere, but it may fail), or that clauses above leave it."""

    kind: ConditionKind
    parts: tuple[str, ...]

    @property
    def text(self) -> str:
        first, last = self.parts[0], self.parts[-1]
        match self.kind:
            case "holds":
                return first
            case "refuted":
                return _not(first)
            case "equal":
                return f"{first} = {last}"
            case "unlike":
                pairs = zip(self.parts[::2], self.parts[1::2], strict=True)
                return " or ".join(f"{name} is not {form}" for name, form in pairs)
            case "absent":
                return f"there is no {first}"
            case "fails":
                return f"{first} fails with {last}"
            case "recursive":
                return f"{first} = {last}, recursively"
            case "written":
                return f"{first} is written"
            case "final":
                return f"{first} is final"
            case "done":
                return f"{first} is worked out"
            case "otherwise":
                return "no clause above applies"


class RuleParts(Struct, frozen=True):
    """A rule by its parts."""

    name: str
    premises: tuple[Said, ...]
    conditions: tuple[Condition, ...]
    conclusion: Said
    place: Span


def components(function: Function, *, apart: bool = False) -> int:
    """How many things a judgement gives that are named one by one: where its template does that, or
    where they stay `apart` without one."""
    kind = settle(function.result)
    apart = apart or any(
        isinstance(part, int) and part < RESULT for part in function.judgement or ()
    )
    return len(kind.items) if apart and isinstance(kind, Tup) else 1


def failed(results: tuple[str, ...]) -> bool:
    """Whether results are a failure."""
    return len(results) == 1 and results[0].startswith(ERROR)


def _not(condition: str) -> str:
    plain = condition.replace("_", "").isalnum()
    call = condition.endswith(")") and condition.split("(")[0].replace("_", "").isalnum()
    return f"not {condition}" if plain or call else f"not ({condition})"
