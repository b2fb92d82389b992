"""Walking through a recorded run.

A walk is a row of stations. For a small-step interpreter a station is a term on its way, with the
redex of the next step; for any other it is a moment: a judgement entered or left. Stations are made
when they are looked at; the record itself stays in columns.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, TypeAlias, TypeVar

from embrix.brix.core import Function
from embrix.grammar.printing import Path, Printed
from embrix.machine.lane import Lane, Traced
from embrix.machine.recorder import NOT_LEFT
from embrix.terms.node import FIELDS, Node, Place, Value, bindings, entries
from embrix.terms.node import size as term_size
from embrix.terms.types import Con, Tup, Type, settle
from embrix.text.source import Span

StationKind: TypeAlias = Literal["term", "enter", "leave", "end"]

MOST_BINDINGS = 60
BRIEF = 18
"""Characters of an environment or store in a list of judgements."""
MOST_SEARCHED = 400
"""Nodes in which the place of a step is looked for."""

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Binding:
    """A name in an environment and what it stands for; shadowed ones cannot be reached by name."""

    name: str
    value: str
    shadowed: bool


@dataclass(frozen=True, slots=True)
class Held:
    """What a store holds at a location. `role` is `suspended` or `settled` for what waits to be
    evaluated and what has been."""

    location: str
    value: str
    role: str


@dataclass(frozen=True, slots=True)
class Station:
    """One stop of a walk, fit to be shown.

    `text` is the term or judgement, `focus` the part of it that is active, `place` the active part
    of the program, `clause` the place in the definition of the clause that applies.
    """

    number: int
    kind: StationKind
    text: str
    focus: Span | None
    place: Place | None
    depth: int
    bindings: tuple[Binding, ...]
    clause: Span | None
    note: str = ""
    store: tuple[Held, ...] = ()
    brief: str = ""
    """The judgement with its environments and stores cut short; empty for the whole `text`."""


class Walk:
    """The stations of one traced run."""

    def __init__(self, lane: Lane, traced: Traced) -> None:
        self.lane = lane
        self.traced = traced
        self._recorder = traced.recorder
        self._machine = lane.machine
        self.relation = lane.interpreter.steps
        self._functions = list(lane.interpreter.functions.values())

    @property
    def style(self) -> Literal["steps", "moments"]:
        return "steps" if self.relation is not None else "moments"

    def __len__(self) -> int:
        """The number of stations."""
        if self.traced.term is None:
            return 1
        if self.relation is not None:
            return len(self._terms) + (self.traced.result.outcome.kind != "value")
        return len(self._recorder.moments) + 1

    def station(self, number: int) -> Station:
        """The station with a number, counted from zero. Raises IndexError."""
        if not 0 <= number < len(self):
            raise IndexError(number)
        outcome = self.traced.result.outcome
        if number == len(self) - 1 and (self.relation is None or outcome.kind != "value"):
            return self._end(number)
        return self._term(number) if self.relation is not None else self._moment(number)

    def lines(self) -> list[str]:
        """The reduction sequence, or the conclusions in the order in which they were reached."""
        if self.traced.term is None:
            return []
        if self.relation is not None:
            return [self._print(term).text for term, _ in self._terms]
        return [self._judgement(~moment, True) for moment in self._recorder.moments if moment < 0]

    def numbered(
        self,
        *,
        only: frozenset[str] = frozenset(),
        deep: int | None = None,
        begins: Callable[[str], bool] | None = None,
    ) -> list[tuple[int, str]]:
        """The lines with the numbers of their stations.

        `only` keeps judgements of some functions; `begins` starts at the first line, or judgement
        entered, that it takes; `deep` keeps judgements at most so many levels inside that one.
        """
        if self.traced.term is None:
            return []
        if self.relation is not None:
            found = list(enumerate(self._print(term).text for term, _ in self._terms))
            starts = (n for n, line in found if begins is None or begins(line))
            first = next(starts, len(found))
            return found[first:]
        recorder = self._recorder
        first, root = (0, -1) if begins is None else self._first(begins)
        base = self._depths[first] if root >= 0 else 0
        lines = []
        for number in range(first, len(recorder.moments)):
            moment = recorder.moments[number]
            if moment >= 0:
                continue
            named = not only or self._function(~moment).name in only
            if named and (deep is None or self._depths[number] - base <= deep):
                lines.append((number, self._judgement(~moment, True)))
            if ~moment == root:
                break
        return lines

    def _first(self, begins: Callable[[str], bool]) -> tuple[int, int]:
        """The moment at which the first judgement is entered that is taken, with its instance."""
        for number, moment in enumerate(self._recorder.moments):
            if moment >= 0 and begins(self._judgement(moment, False)):
                return number, moment
        return len(self._recorder.moments), -1

    def levels(self, most: int = 400) -> list[int]:
        """The height of the run over time at up to `most` points: how deep judgements are nested,
        or how large the term is."""
        if self.traced.term is None:
            return []
        if self.relation is not None:
            heights = [term_size(term, 10_000) for term, _ in _spread(self._terms, most)]
        else:
            heights = _spread(self._depths, most)
        return heights or [0]

    # ---------------------------------------------------------------- terms

    @cached_property
    def _terms(self) -> list[tuple[Node, int]]:
        """Each term of the reduction sequence with the step instance that took it, or -1."""
        assert self.relation is not None
        assert self.traced.term is not None
        recorder = self._recorder
        own = self._functions.index(self.relation)
        subject = self.relation.subjects[0]
        found: list[tuple[Node, int]] = []
        last: Value = NOT_LEFT
        for instance, function in enumerate(recorder.functions):
            parent = recorder.parents[instance]
            if function == own and (parent < 0 or recorder.functions[parent] != own):
                found.append((recorder.arguments[instance][subject], instance))
                last = recorder.results[instance]
        if not found:
            return [(self.traced.term, -1)]
        if last is not NOT_LEFT:
            tupled = isinstance(settle(self.relation.result), Tup)
            found.append((last[FIELDS] if tupled else last, -1))
        return found

    def _term(self, number: int) -> Station:
        term, instance = self._terms[number]
        if instance < 0:
            printed = self._print(term)
            return Station(number, "term", printed.text, None, None, 0, (), None, "final")
        path, innermost = self._redex(instance)
        redex = self._subject(innermost)
        printed = self._print(term, path)
        clause = self._clause(innermost)
        return Station(
            number, "term", printed.text, printed.focus, redex[1] if redex else None, 0, (),
            clause, store=self._store(instance, left=False),
        )  # fmt: skip

    def _redex(self, instance: int) -> tuple[Path, int]:
        """The way to the part that a step rewrites, and the step instance that does it."""
        recorder = self._recorder
        path: list[int] = []
        at = instance
        number = instance + 1
        while number < len(recorder.functions) and recorder.parents[number] >= instance:
            own = self._functions[recorder.functions[number]]
            if recorder.parents[number] == at and own.finals:
                path += self._way(at, number)
                at = number
            number += 1
        return tuple(path), at

    def _way(self, outer: int, inner: int) -> list[int]:
        """The way from the outer subject to the part in which the inner step takes place."""
        recorder = self._recorder
        function = self._function(outer)
        whole = recorder.arguments[outer][function.subjects[0]]
        part = recorder.arguments[inner][self._function(inner).subjects[0]]
        clause = recorder.clauses[outer]
        if clause >= 0:
            index = function.clauses[clause].steps
            if index is not None and whole[FIELDS + index] is part:
                return [index]
        pending: list[tuple[Node, list[int]]] = [(whole, [])]
        for node, way in pending[:MOST_SEARCHED]:
            for index, field in enumerate(node[FIELDS:]):
                if field is part:
                    return [*way, index]
                if isinstance(field, tuple) and len(pending) < MOST_SEARCHED:
                    pending.append((field, [*way, index]))
        return [-1]

    def _print(self, term: Node, path: Path | None = None) -> Printed:
        printer = self._machine.printer
        if printer is None or not isinstance(term, tuple):
            return Printed(self._machine.display.show(term))
        if term[0] not in self.lane.interpreter.language.signature.by_tag:
            return Printed(self._machine.display.show(term))
        return printer.show(term, focus=path, most=4_000)

    # ---------------------------------------------------------------- moments

    @cached_property
    def _depths(self) -> list[int]:
        depths = []
        depth = 0
        for moment in self._recorder.moments:
            if moment < 0:
                depth -= 1
            depths.append(depth)
            if moment >= 0:
                depth += 1
        return depths

    def _moment(self, number: int) -> Station:
        moment = self._recorder.moments[number]
        left = moment < 0
        instance = ~moment if left else moment
        subject = self._subject(instance)
        return Station(
            number, "leave" if left else "enter", self._judgement(instance, left), None,
            subject[1] if subject else None, self._depths[number], self._bindings(instance),
            self._clause(instance), store=self._store(instance, left=left),
            note="tail call" if not left and self.takes_over(instance) else "",
            brief=self._judgement(instance, left, BRIEF),
        )  # fmt: skip

    def takes_over(self, instance: int) -> bool:
        """Whether a judgement was called in tail position: its result is that of its caller."""
        parent = self._recorder.parents[instance]
        return parent in self._recorder.tails and self._last_called.get(parent) == instance

    @cached_property
    def _last_called(self) -> dict[int, int]:
        """The last judgement that each instance with a tail call has called."""
        tails = self._recorder.tails
        parents = self._recorder.parents
        return {parent: number for number, parent in enumerate(parents) if parent in tails}

    def _store(self, instance: int, *, left: bool) -> tuple[Held, ...]:
        """What is at each location: in the store that a judgement was given, or when it has been
        left in the one that it gave back."""
        function = self._function(instance)
        recorder = self._recorder
        kinds: Sequence[Type] = function.types
        values: Sequence[Value] = recorder.arguments[instance]
        result = settle(function.result)
        if left and isinstance(result, Tup) and recorder.results[instance] is not NOT_LEFT:
            kinds = (*result.items, *kinds)
            values = (*recorder.results[instance][FIELDS:], *values)
        for kind, value in zip(kinds, values, strict=True):
            settled = settle(kind)
            if isinstance(settled, Con) and settled.name == "Store":
                return tuple(self._held(number, held) for number, held in entries(value))
        return ()

    def _held(self, number: int, value: Value) -> Held:
        constructor = None
        if isinstance(value, tuple):
            constructor = self.lane.interpreter.constructors.get(value[0])
        role = constructor.role if constructor is not None else ""
        return Held(f"@{number}", self._machine.display.show(value), role)

    def _judgement(self, instance: int, left: bool, room: int | None = None) -> str:
        """A judgement as its template says; the result of one still open is a sign. `room` keeps
        environments and stores short."""
        recorder = self._recorder
        function = self._functions[recorder.functions[instance]]
        results = recorder.results[instance] if left else NOT_LEFT
        arguments = recorder.arguments[instance]
        template = function.judgement
        if template is None:
            shown = ", ".join(map(self._machine.display.show, arguments))
            result = self._machine.display.show(results) if results is not NOT_LEFT else "…"
            return f"{function.name}({shown}) → {result}"
        return self._machine.fill(template, arguments, results, room)

    def _end(self, number: int) -> Station:
        outcome = self.traced.result.outcome
        current = self._recorder.current
        known = self._bindings(current) if current >= 0 else ()
        clause = self._clause(current) if current >= 0 else None
        return Station(
            number, "end", outcome.sentence, None, outcome.place, 0, known, clause, outcome.kind
        )

    # ---------------------------------------------------------------- parts

    def _function(self, instance: int) -> Function:
        return self._functions[self._recorder.functions[instance]]

    def _subject(self, instance: int) -> Node | None:
        function = self._function(instance)
        if function.subject is None:
            return None
        node: Node = self._recorder.arguments[instance][function.subject]
        return node

    def _clause(self, instance: int) -> Span | None:
        number = self._recorder.clauses[instance]
        clauses = self._function(instance).clauses
        return clauses[number].span if 0 <= number < len(clauses) else None

    def _has_environment(self, instance: int) -> bool:
        kinds = map(settle, self._function(instance).types)
        return any(isinstance(kind, Con) and kind.name == "Env" for kind in kinds)

    def _bindings(self, instance: int) -> tuple[Binding, ...]:
        """The environment among the arguments of a judgement (or of the nearest one around it that
        has any), the innermost binding first; a location with what it holds."""
        parents = self._recorder.parents
        while not self._has_environment(instance) and parents[instance] >= 0:
            instance = parents[instance]
        function = self._function(instance)
        held = {one.location: one.value for one in self._store(instance, left=False)}
        found: list[Binding] = []
        seen: set[str] = set()
        for kind, value in zip(function.types, self._recorder.arguments[instance], strict=True):
            settled = settle(kind)
            if not (isinstance(settled, Con) and settled.name == "Env"):
                continue
            for name, bound in bindings(value):
                if len(found) >= MOST_BINDINGS:
                    break
                shown = self._machine.display.show(bound)
                if shown in held:
                    shown = f"{shown} ↦ {held[shown]}"
                found.append(Binding(name, shown, name in seen))
                seen.add(name)
        return tuple(found)


def _spread(items: list[T], most: int) -> list[T]:
    """At most `most` items, evenly picked, the first and the last among them."""
    if len(items) <= most:
        return items
    return [items[number * (len(items) - 1) // (most - 1)] for number in range(most)]
