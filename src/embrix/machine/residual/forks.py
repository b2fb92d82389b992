"""Choosing between clauses and branches: at once where enough is known, else by a statement."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Sequence
from functools import partial
from typing import TypeAlias

from embrix.brix import core as k
from embrix.machine.residual.knowledge import (
    Knowledge,
    KnownValue,
    MadeValue,
    NotResidual,
    RunValue,
)
from embrix.machine.residual.known_patterns import Binding, matches
from embrix.machine.residual.opened_values import (
    Opened,
    Opening,
    Path,
    left_of_choice,
    put_at,
    undecided,
)
from embrix.machine.residual.statements import (
    Atom,
    Beforehand,
    Field,
    Fork,
    LeftOfChoice,
    Origin,
    ResidualTest,
    Statement,
)
from embrix.machine.residual.writer import Dead, Slots
from embrix.terms.types import Type

Remembered: TypeAlias = tuple[dict[str, int], dict[int, tuple[Knowledge, Atom]]]
"""What has been tested on a branch, and what has been made there."""


class Branches(Opening):
    """Ways to go on, and what is known where two come together."""

    @abstractmethod
    def value(self, node: k.Core, slots: Slots, here: Knowledge | None) -> Knowledge: ...

    @abstractmethod
    def value_or_last(
        self, node: k.Core, slots: Slots, here: Knowledge | None, last: bool
    ) -> Knowledge | None: ...

    def choose(
        self, subjects: Sequence[Knowledge], clauses: Sequence[k.CoreClause], slots: Slots,
        here: Knowledge | None, last: bool,
        *,
        kind: Type,
        own: bool = False,
        end: str = "",
    ) -> Knowledge | None:  # fmt: skip
        """What the first clause gives that takes the subjects, of a type: one of the `own` clauses
        of a function, or of a match. `end` is what happens where none does."""
        tag = _tag(subjects[0])
        for number, clause in enumerate(clauses):
            first = clause.patterns[0]
            if tag is not None and isinstance(first, k.Shape) and first.tag != tag:
                continue
            rest = clauses[number + 1 :]

            def others(rest: Sequence[k.CoreClause] = rest, end: str = end) -> Knowledge | None:
                return self.choose(subjects, rest, slots, here, last, kind=kind, own=own, end=end)

            asked = undecided(clause.patterns, subjects) if self.two_seen else None
            if asked is not None:
                (path, two), left = asked, clauses[number:]

                def with_(
                    one: Knowledge, path: Path = path, left: Sequence[k.CoreClause] = left,
                    end: str = end,
                ) -> Knowledge | None:  # fmt: skip
                    found = put_at(subjects, path, one)
                    return self.choose(found, left, slots, here, last, kind=kind, own=own, end=end)

                yes, no = partial(with_, two.yes), partial(with_, two.no)
                return self.fork([ResidualTest("true", two.test)], yes, no, last)
            opened = self.opened(clause, subjects)
            if opened is not None:
                tests = self.tests_to_open(opened)
                if tests is None:
                    continue
                choice = left_of_choice(clauses[number:], slots, kind, own=own, end=end)

                def inside(
                    opened: Opened = opened, choice: LeftOfChoice = choice
                ) -> Knowledge | None:
                    return self.inside(choice, opened, subjects, slots, here, last)

                return self.fork(tests, inside, others, last) if tests else inside()
            conditions: list[ResidualTest] = []
            bound: list[Binding] = []
            if not all(
                matches(self, pattern, subject, conditions, bound)
                for pattern, subject in zip(clause.patterns, subjects, strict=True)
            ):
                continue
            if conditions and _fails(clause) and all(
                _fails(other) or _apart(clause, other) for other in rest
            ):  # fmt: skip
                # What no clause takes fails as well.
                end = end or _reason(clause)
                continue

            def taken(
                clause: k.CoreClause = clause, bound: list[Binding] = bound,
                conditions: list[ResidualTest] = conditions,
                others: Callable[[], Knowledge | None] = others,
            ) -> Knowledge | None:  # fmt: skip
                before = self.origin
                if own:
                    self.origin = Origin(before.place, clause.span)
                if own and not conditions and self.open and self.open[-1][1] is not None:
                    self.out.append(Beforehand(self.open[-1][0], self.origin))
                self.bind(bound, slots)
                try:
                    if clause.guard is None:
                        return self.value_or_last(clause.body, slots, here, last)
                    return self.test(
                        clause.guard, slots, here,
                        lambda: self.value_or_last(clause.body, slots, here, last), others, last,
                    )  # fmt: skip
                finally:
                    self.origin = before

            if not conditions:
                return taken()
            return self.fork(conditions, taken, others, last)
        raise self.give_up(end or "no clause takes this")

    def bind(self, bound: Sequence[Binding], slots: Slots) -> None:
        for slot, one in bound:
            if isinstance(one, RunValue) and isinstance(one.atom, Field):
                name = self.let("field", (one.atom.of,), one.atom.number)[0]
                one = RunValue(name, one.type)
            slots[slot] = one

    def test(
        self, node: k.Core, slots: Slots, here: Knowledge | None,
        yes: Callable[[], Knowledge | None], no: Callable[[], Knowledge | None], last: bool,
    ) -> Knowledge | None:  # fmt: skip
        match node:
            case k.Test(inner, k.Const(False), k.Const(True)):  # that it does not hold
                return self.test(inner, slots, here, no, yes, last)
        match self.value(node, slots, here):
            case KnownValue(bool() as known):
                return yes() if known else no()
            case RunValue(atom):
                return self.fork([ResidualTest("true", atom)], yes, no, last)
        raise NotResidual("a test of something else than a truth value")

    def fork(
        self, conditions: Sequence[ResidualTest], yes: Callable[[], Knowledge | None],
        no: Callable[[], Knowledge | None], last: bool,
    ) -> Knowledge | None:  # fmt: skip
        """Two ways to go on. One that never comes to an end stands alone; what follows the other
        one needs no branch then."""
        self.flush()
        outer, facts, lowered = self.out, self.facts, self.lowered
        learned = {c.of: c.about for c in conditions if c.test == "tag" and isinstance(c.of, str)}

        def branch(
            way: Callable[[], Knowledge | None], more: dict[str, int]
        ) -> tuple[list[Statement], Knowledge | None, bool, Remembered]:
            self.out, self.facts, self.lowered = [], {**facts, **more}, dict(lowered)
            found, alive = None, True
            try:
                found = way()
                if not last:
                    self.flush()
            except Dead:
                alive = False
            return self.out, found, alive, (self.facts, self.lowered)

        try:
            first, one, goes_on, known = branch(yes, learned)
            second, other, also, known_too = branch(no, {})
        finally:
            self.out, self.facts, self.lowered, self.calls = outer, facts, lowered, 0
        tests = tuple(conditions)
        if goes_on and also:
            if not last:
                assert one is not None
                assert other is not None
                joined = self.join(one, other, first, second)
                self.put(Fork(tests, first, second, self.origin))
                return joined
            self.put(Fork(tests, first, second, self.origin))
            return None
        if not goes_on and not also:
            self.put(Fork(tests, first, second, self.origin))
            raise Dead
        if goes_on:
            self.put(Fork(tests, [], second, self.origin))
            self.out += first
            self.facts, self.lowered = known
            return one
        self.put(Fork(tests, first, [], self.origin))
        self.out += second
        self.facts, self.lowered = known_too
        return other


def _tag(one: Knowledge) -> int | None:
    """The constructor of a node, where it is known."""
    match one:
        case KnownValue(tuple() as value):
            return int(value[0])
        case MadeValue(tag):
            return tag
    return None


def _reason(clause: k.CoreClause) -> str:
    return reason_of(clause.body)


def _fails(clause: k.CoreClause) -> bool:
    return clause.guard is None and isinstance(clause.body, k.Fail | k.Todo)


def _apart(one: k.CoreClause, other: k.CoreClause) -> bool:
    """Whether no subjects are taken by both of two clauses, by their constructors alone."""
    return any(
        isinstance(a, k.Shape) and isinstance(b, k.Shape) and a.tag != b.tag
        for a, b in zip(map(_bare, one.patterns), map(_bare, other.patterns), strict=True)
    )


def reason_of(node: k.Core) -> str:
    if isinstance(node, k.Fail):
        return f"error {node.error.name}"
    return "something is still to be written"


def _bare(pattern: k.CorePattern) -> k.CorePattern:
    while isinstance(pattern, k.Named):
        pattern = pattern.inner
    return pattern
