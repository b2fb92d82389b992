"""Compiling clauses: tests on tags, bindings of fields, guards; first match from the top."""

from __future__ import annotations

import ast
from collections.abc import Sequence
from typing import TypeAlias

from embrix.brix.core import Among, Bind, CoreClause, CorePattern, Equals, Named, Shape, parts_of
from embrix.machine.calling import CallEmitter
from embrix.machine.emitter import Target
from embrix.machine.events import ClauseChosen, Counted
from embrix.machine.pycode import assign, compare, const, item, load, when
from embrix.terms.node import FIELDS

LEAVE = "leave the loop"
"""In place of a flag: the clauses stand in a loop, which a result leaves."""

_Step: TypeAlias = ast.expr | ast.stmt
"""A test that must hold, or an assignment."""


class Matching:
    """Puts the statements of clauses into a function body.

    What falls out of the statements of one clause without a result goes on with the next. With
    `bare` the results are returned as they are (nothing is counted or traced).
    """

    def __init__(self, body: CallEmitter, *, bare: bool = False) -> None:
        self.body = body
        self.bare = bare

    def irrefutable(self, clause: CoreClause) -> bool:
        """Whether a clause takes everything."""
        return clause.guard is None and all(map(_takes_all, clause.patterns))

    def clauses(
        self,
        subjects: Sequence[ast.expr],
        clauses: Sequence[CoreClause],
        target: Target,
        done: str | None = None,
    ) -> None:
        """All clauses in order, runs of them with different tags by a search over the tags."""
        at = 0
        while at < len(clauses):
            end = at
            while end < len(clauses) and _tag(clauses[end]) is not None:
                end += 1
            tags = {_tag(clause) for clause in clauses[at:end]}
            if len(tags) > 2:
                self.dispatch(subjects, clauses, range(at, end), target, done)
                at = end
                continue
            for number in range(at, max(end, at + 1)):
                self.clause(subjects, clauses[number], number, target, done, known=False)
            at = max(end, at + 1)

    def dispatch(
        self,
        subjects: Sequence[ast.expr],
        clauses: Sequence[CoreClause],
        numbers: range,
        target: Target,
        done: str | None,
    ) -> None:
        groups: dict[int, list[ast.stmt]] = {}
        for number in numbers:
            tag = _tag(clauses[number])
            assert tag is not None
            outer, self.body.out = self.body.out, groups.setdefault(tag, [])
            self.clause(subjects, clauses[number], number, target, done, known=True)
            self.body.out = outer
        name = self.body.temporary()
        self.body.out.append(assign(name, item(subjects[0], 0)))
        self.body.out += _search(name, sorted(groups.items()))

    def clause(
        self,
        subjects: Sequence[ast.expr],
        clause: CoreClause,
        number: int,
        target: Target,
        done: str | None,
        *,
        known: bool,
    ) -> None:
        steps: list[_Step] = []
        temporaries = self.body.temporaries
        for index, (subject, pattern) in enumerate(zip(subjects, clause.patterns, strict=True)):
            self.pattern(subject, pattern, steps, known=known and index == 0)
        outer, self.body.out = self.body.out, []
        if clause.guard is not None:
            guard = self.body.value(clause.guard)
            before, self.body.out = self.body.out, []
            self.result(clause, number, target, done)
            inner = [*before, when(guard, self.body.out)]
        else:
            self.result(clause, number, target, done)
            inner = self.body.out
        for step in reversed(steps):
            inner = [when(step, inner)] if isinstance(step, ast.expr) else [step, *inner]
        self.body.out = outer
        self.body.out += inner
        if target is None:
            # Nothing of this clause is needed by the next one.
            self.body.temporaries = temporaries

    def roles(self, clause: CoreClause) -> list[str]:
        """What is counted when a clause takes its subjects: suspended things that are forced,
        settled ones that are used again."""
        found: list[str] = []
        if not self.body.unit.roles:
            return found
        for part in parts_of(clause.patterns):
            if isinstance(part, Shape):
                role = self.body.unit.roles.get(part.tag, "")
                found += {"suspended": ["forced"], "settled": ["reused"]}.get(role, [])
        return found

    def result(self, clause: CoreClause, number: int, target: Target, done: str | None) -> None:
        body = self.body
        if self.bare:
            body.give(body.value(clause.body), target, bare=True)
            return
        if any(clause is one for one in body.own):
            if body.judged:
                body.out.append(ClauseChosen(number))
            body.out += body.marked(number)
        body.out += [Counted(name) for name in self.roles(clause)]
        body.into(clause.body, target)
        if done == LEAVE:
            body.out.append(ast.Break())
        elif done is not None:
            body.out.append(assign(done, const(True)))

    def pattern(
        self, subject: ast.expr, pattern: CorePattern, steps: list[_Step], *, known: bool = False
    ) -> None:
        match pattern:
            case Bind(None):
                return
            case Bind(slot):
                steps.append(assign(f"s{slot}", subject))
            case Named(inner, slot):
                steps.append(assign(f"s{slot}", subject))
                self.pattern(load(f"s{slot}"), inner, steps, known=known)
            case Among(tags, inner):
                if not isinstance(subject, ast.Name):
                    name = self.body.temporary()
                    steps.append(assign(name, subject))
                    subject = load(name)
                numbers = ast.Tuple([const(tag) for tag in sorted(tags)], ast.Load())
                steps.append(compare(item(subject, 0), ast.In(), numbers))
                self.pattern(subject, inner, steps)
            case Equals(value):
                constant = self.body.unit.constant(value)
                operator = ast.Is() if isinstance(value, bool) else ast.Eq()
                steps.append(compare(subject, operator, constant))
            case Shape(tag, fields, wide):
                if not isinstance(subject, ast.Name):
                    name = self.body.temporary()
                    steps.append(assign(name, subject))
                    subject = load(name)
                if wide and not known:
                    steps.append(compare(item(subject, 0), ast.Eq(), const(tag)))
                for index, field in enumerate(fields):
                    self.pattern(item(subject, FIELDS + index), field, steps)


def _takes_all(pattern: CorePattern) -> bool:
    match pattern:
        case Bind():
            return True
        case Named(inner, _):
            return _takes_all(inner)
        case Shape(_, fields, wide):
            return not wide and all(map(_takes_all, fields))
        case _:
            return False


def _tag(clause: CoreClause) -> int | None:
    """The tag that a clause demands of its first subject, if it demands one."""
    pattern = clause.patterns[0]
    while isinstance(pattern, Named):
        pattern = pattern.inner
    return pattern.tag if isinstance(pattern, Shape) and pattern.wide else None


def _search(name: str, groups: list[tuple[int, list[ast.stmt]]]) -> list[ast.stmt]:
    """A search over tags by halving."""
    if len(groups) <= 2:
        result: list[ast.stmt] = []
        for tag, inner in reversed(groups):
            result = [when(compare(load(name), ast.Eq(), const(tag)), inner, result)]
        return result
    middle = len(groups) // 2
    test = compare(load(name), ast.Lt(), const(groups[middle][0]))
    return [when(test, _search(name, groups[:middle]), _search(name, groups[middle:]))]
