"""Which branches inside clauses a run takes.

Every branch is made to write a mark before it goes on; the marks are read off what was written. So
nothing has to be known of how definitions are carried out.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix import core as k
from embrix.machine.lane import BadBinding, Lane
from embrix.machine.limits import Limits
from embrix.text.source import Source, Span

SIGN = "\0branch "
LIMITS = Limits(calls=200_000, depth=60_000, output=20_000_000)


class Branch(Struct, frozen=True):
    """A branch of a clause: `what` it is (then, else, otherwise, a clause, a handler)."""

    file: str
    start: int
    what: str
    function: str

    @property
    def key(self) -> tuple[str, int, str]:
        return self.file, self.start, self.what


class Marked:
    """A lane whose branches tell when they are taken."""

    def __init__(self, lane: Lane) -> None:
        self.branches: list[Branch] = []
        self._source = lane.interpreter.source
        interpreter = lane.interpreter
        run = interpreter.reached
        functions = {
            name: replace(
                target,
                body=self._inside(target.body, name, target.span) if target.body else None,
                clauses=tuple(self._clause(one, name, target) for one in target.clauses),
            )
            if name in run and not target.helper else target
            for name, target in interpreter.functions.items()
        }  # fmt: skip
        self.lane = Lane(
            replace(interpreter, functions=functions, meaning=k.Meaning()), lane.parser
        )

    def taken(
        self,
        program: str,
        given: dict[str, str] | None = None,
        lines: Sequence[str] = (),
        limits: Limits = LIMITS,
        ways: Sequence[int] = (),
    ) -> set[tuple[str, int, str]]:
        """The branches that a run takes, by place and kind."""
        try:
            result = self.lane.run(
                program, given or {}, limits=limits, variant="plain", given_input=lines, ways=ways
            )
        except BadBinding:
            return set()
        numbers = {int(text[len(SIGN) :]) for text in result.output if text.startswith(SIGN)}
        return {self.branches[number].key for number in numbers}

    # ---------------------------------------------------------------- marking

    def _clause(self, clause: k.CoreClause, name: str, target: k.Function) -> k.CoreClause:
        """The record has the clauses of functions that judge already."""
        body = self._inside(clause.body, name, clause.span)
        if target.judgement is None and not target.finals and len(target.clauses) > 1:
            body = self._mark(body, "clause", name, clause.span)
        guard = self._inside(clause.guard, name, clause.span) if clause.guard else None
        return replace(clause, body=body, guard=guard)

    def _mark(self, node: Any, what: str, name: str, span: Span) -> Any:
        source: Source = span.source or self._source
        self.branches.append(Branch(source.name, span.start, what, name))
        return k.Emit(k.Const(f"{SIGN}{len(self.branches) - 1}"), node)

    def _branch(self, node: Any, what: str, name: str, around: Span) -> Any:
        span = _first_span(node) or around
        return self._mark(self._inside(node, name, span), what, name, span)

    def _inside(self, node: Any, name: str, around: Span) -> Any:
        if isinstance(node, tuple):
            return tuple(self._inside(part, name, around) for part in node)
        match node:
            case k.Test(k.Decided() as test, yes, no):
                inner = (self._inside(yes, name, around), self._inside(no, name, around))
                return k.Test(test, *inner)
            case k.Test(test, yes, no) if not any(
                isinstance(one, k.Const) and isinstance(one.value, bool) for one in (yes, no)
            ):
                span = _first_span(test) or around
                return k.Test(
                    self._inside(test, name, around), self._branch(yes, "then", name, span),
                    self._branch(no, "else", name, span),
                )  # fmt: skip
            case k.Match(subjects, slots, clauses, span) if len(clauses) > 1:
                made = tuple(
                    replace(
                        one,
                        body=self._mark(self._inside(one.body, name, one.span), "clause", name,
                                        one.span),
                        guard=self._inside(one.guard, name, one.span) if one.guard else None,
                    )
                    for one in clauses
                )  # fmt: skip
                return k.Match(self._inside(subjects, name, around), slots, made, span)
            case k.Lookup() | k.Fetch() if node.instead is not None:
                instead = self._branch(node.instead, "otherwise", name, node.span)
                kept = replace(node, instead=None)
                return replace(self._plain(kept, name, around), instead=instead)
            case k.Handler():
                body = self._branch(node.body, "handler", name, around)
                return replace(node, body=body)
        return self._plain(node, name, around)

    def _plain(self, node: Any, name: str, around: Span) -> Any:
        if not isinstance(node, k.PARTS):
            return node
        own = getattr(node, "span", None) or around
        parts = {one: getattr(node, one) for one in node.__struct_fields__}
        made = {key: self._inside(part, name, own) for key, part in parts.items()
                if key not in _PLAIN}  # fmt: skip
        changed = {key: part for key, part in made.items() if part is not parts[key]}
        return replace(node, **changed) if changed else node


_PLAIN = ("constructor", "error", "type", "span", "slots", "slot", "patterns")


def _first_span(node: Any) -> Span | None:
    """The place at which an expression begins, as far as its parts know."""
    found = [span for span in _spans(node) if span.end > span.start]
    return min(found, key=lambda span: span.start, default=None)


def _spans(node: Any) -> Iterator[Span]:
    for part in k.parts_of(node):
        span = getattr(part, "span", None)
        if isinstance(span, Span):
            yield span
