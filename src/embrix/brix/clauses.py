"""Missing and unreachable clauses of a function, in the author's terms."""

from __future__ import annotations

import functools
import itertools
from collections.abc import Sequence

from embrix.brix.core import (
    Among,
    Bind,
    Build,
    CoreClause,
    CorePattern,
    Decided,
    Function,
    IsFinal,
    Match,
    Named,
    Shape,
    known_guard,
    parts_of,
)
from embrix.brix.exhaustiveness import ANY, Coverage, Head, Pat, Row, show_pattern
from embrix.brix.patterns import simplify
from embrix.brix.world import World
from embrix.terms.types import UNKNOWN, Con, Type, settle
from embrix.text.source import Span

MOST_DECISIONS = 32
"""Combinations of choices for which the clauses of one function are looked at."""


def report_coverage(
    world: World,
    function: Function,
    absent: Sequence[tuple[CorePattern, ...]] = (),
    widened: str = "",
    replacing: Sequence[Span] = (),
) -> None:
    """Warn about shapes that no clause takes and about clauses that are never reached.

    Guards that ask for choices count exactly: every way to decide them is looked at. A clause is
    unreachable when no way reaches it, and a shape is missing when some way misses it.
    """
    named = sorted(
        {node.choice for c in (*function.clauses, *function.finals) for node in parts_of(c.guard)
         if isinstance(node, Decided)}
    )  # fmt: skip
    ways = itertools.product(*(world.choices[name].alternatives for name in named))
    reached: set[int] = set()
    before: set[int] = set()
    """What was reached before these clauses were put in front."""
    missing: list[Row] = []
    own = [
        number
        for number, clause in enumerate(function.clauses)
        if clause.span.source is function.span.source and clause.span not in replacing
    ]
    for way in itertools.islice(ways, MOST_DECISIONS):
        decided = dict(zip(named, way, strict=True))
        found = _Ways(world, function, decided).look(absent)
        reached |= found[0]
        if widened == "extend":
            before |= _Ways(world, function, decided, frozenset(own)).look(absent)[0]
        missing = missing or found[1]
    reported: set[int] = set()
    for number, clause in enumerate(function.clauses):
        same = [n for n, other in enumerate(function.clauses) if other.span is clause.span]
        if reached.isdisjoint(same) and id(clause.span) not in reported and number == same[0]:
            reported.add(id(clause.span))
            if widened and clause.span.source is not function.span.source:
                if widened == "extend" and number in before:
                    line, _ = (clause.span.source or world.source).position(clause.span.start)
                    world.error(
                        "hides_base", f"these clauses of {function.name} hide one of the base "
                        f"(line {line} of {(clause.span.source or world.source).name})",
                        function.span, f"write: replace {function.name}(…)",
                    )  # fmt: skip
                continue
            world.warning(
                "unreachable_clause",
                "unreachable: earlier clauses match everything that this one matches", clause.span,
                "remove it, or move it up",
            )  # fmt: skip
    if missing:
        _report_missing(world, function, missing)


def report_match(world: World, word: str, match: Match, types: Sequence[Type]) -> None:
    """The same of the clauses of a `match` or a `let … else`."""
    subjects = tuple(range(len(types)))
    params = tuple(f"subject {number}" for number in subjects)
    report_coverage(
        world,
        Function(
            f"this `{word}`", params, (), tuple(types), UNKNOWN, None, subjects, match.clauses,
            None, (), None, match.span,
        ),
    )  # fmt: skip


def hidden_clauses(world: World, function: Function) -> list[CoreClause]:
    """The clauses that are never reached: those of a base in whose place others stand."""
    reached, _ = _Ways(world, function, {}).look(())
    return [one for number, one in enumerate(function.clauses) if number not in reached]


def report_let(world: World, match: Match, kind: Type) -> None:
    """Warn about a `let` without `else` whose pattern does not take everything. Of one that was
    taken over from a base, what the base has is a matter of the base; what is declared here is
    not."""
    function = Function("", ("subject",), (), (kind,), UNKNOWN, None, (0,), match.clauses, None,
                        (), None, match.span)  # fmt: skip
    _, missing = _Ways(world, function, {}).look(())
    source = match.span.source or world.source
    if source is not world.source:
        if isinstance(match.subjects[0], Build):
            return  # it is what it is made as
        line, _ = source.position(match.span.start)
        declared = {
            name: row for row in missing
            if (name := show_pattern(row[0]).partition("(")[0]) in world.own_constructors
        }  # fmt: skip
        if declared:
            world.warning(
                "partial_let", f"the `let` taken over from {source.name}:{line} does not match "
                f"{_examples([*declared.values()])}: a run gets stuck there",
                world.own_constructors[next(iter(declared))],
                "write its clause anew, behind replace",
            )  # fmt: skip
    elif missing:
        world.warning(
            "partial_let",
            f"this `let` does not match {_examples(missing)}: a run gets stuck there", match.span,
            'add: else _ => todo "…"',
        )  # fmt: skip


class _Ways:
    """The clauses of a function under one way to decide the choices."""

    def __init__(
        self,
        world: World,
        function: Function,
        decided: dict[str, str],
        without: frozenset[int] = frozenset(),
    ) -> None:
        self.without = without
        self.world = world
        self.function = function
        self.decided = decided
        self.names = {c.tag: c.name for c in world.constructors.values()}
        self.by_tag = {c.tag: c for c in world.constructors.values()}

    def look(self, absent: Sequence[tuple[CorePattern, ...]]) -> tuple[set[int], list[Row]]:
        """The numbers of the clauses that are reached, and examples of what is missing."""
        world, function = self.world, self.function

        @functools.cache
        def constructors(name: str) -> Sequence[tuple[str, tuple[Type, ...]]] | None:
            return [(c.name, c.types) for c in world.of_type(name)] or None

        coverage = Coverage(constructors)
        types = [function.types[n] for n in function.subjects]
        # Each row once: many lines may say the same of a form.
        rows: dict[Row, None] = {}
        perhaps: dict[Row, None] = {}
        """What may be covered as well: no warning rests on what is not known."""
        for final in function.finals:
            known = known_guard(final.guard, self.decided.__getitem__)
            if known is not False:
                row = tuple(simplify(pattern, self.names) for pattern in final.patterns)
                (rows if known else perhaps)[row] = None
        reached: set[int] = set()
        for number, clause in enumerate(function.clauses):
            guard = known_guard(clause.guard, self.decided.__getitem__)
            if guard is False or number in self.without:
                continue
            own = self.rows(clause)
            if any(coverage.useful(list(rows), row, types) for row in own):
                reached.add(number)
            if guard is True:
                rows.update(dict.fromkeys(own))
            elif clause.steps:
                relation = self.stepped(clause)
                for row in own:
                    at = function.control_place
                    covered, open_ = _while_stepping(world, clause, relation, row, at, self.names)
                    rows.update(dict.fromkeys(covered))
                    perhaps.update(dict.fromkeys(open_))
        rows.update(dict.fromkeys(tuple(simplify(p, self.names) for p in row) for row in absent))
        return reached, coverage.missing([*rows, *perhaps], types)

    def rows(self, clause: CoreClause) -> list[Row]:
        """What a clause takes; one that stands for some forms only takes each of them."""
        rest = tuple(simplify(pattern, self.names) for pattern in clause.patterns[1:])
        first = clause.patterns[0]
        if not isinstance(first, Among):
            return [(simplify(first, self.names), *rest)]
        tags = [tag for tag in sorted(first.tags) if tag in self.by_tag]
        return [
            (Head(self.names[tag], (ANY,) * len(self.by_tag[tag].fields)), *rest) for tag in tags
        ]

    def stepped(self, clause: CoreClause) -> Function | None:
        """The relation that takes steps in the parts of an `order` clause; None where that is not
        known."""
        asked = [part for part in parts_of(clause.guard) if isinstance(part, IsFinal)]
        relations = {part.function for part in asked}
        if len(relations) != 1 or any(part.listed for part in asked):
            return None
        (relation,) = relations
        own = relation == self.function.name
        return self.function if own else self.world.checked.get(relation)


def constructors_of(world: World, function: Function) -> list[tuple[str, int]]:
    kind = settle(function.types[function.control])
    if not isinstance(kind, Con):
        return []
    return [(c.name, len(c.fields)) for c in world.of_type(kind.name)]


def _while_stepping(
    world: World,
    clause: CoreClause,
    relation: Function | None,
    row: Row,
    at: int,
    names: dict[int, str],
) -> tuple[list[Row], list[Row]]:
    """The rows that an `order` clause covers, because its part is of a form that is never final;
    and those that it may cover: a guard, another subject, or a pattern that looks deeper than one
    form, says when that form is final. The part is in the pattern `at` of the row."""
    head = row[at]
    if relation is None or not clause.steps or not isinstance(head, Head):
        return [], []
    forms = constructors_of(world, relation)
    always: set[str] = set()
    perhaps: set[str] = set()
    place = relation.control_place
    for final in relation.finals:
        pattern = final.patterns[place]
        while isinstance(pattern, Named):
            pattern = pattern.inner
        taken = {names[pattern.tag]} if isinstance(pattern, Shape) else {name for name, _ in forms}
        alone = all(isinstance(one, Bind) for n, one in enumerate(final.patterns) if n != place)
        plain = alone and (isinstance(pattern, Bind) or _shallow(pattern))
        (always if final.guard is None and plain else perhaps).update(taken)
    covered: list[Row] = []
    open_: list[Row] = []
    for name, count in forms:
        if name in always:
            continue
        for part in clause.steps:
            args: list[Pat] = list(head.args)
            args[part] = Head(name, (ANY,) * count)
            taken_row = (*row[:at], Head(head.name, tuple(args)), *row[at + 1 :])
            (open_ if name in perhaps else covered).append(taken_row)
    return covered, open_


def _shallow(pattern: CorePattern) -> bool:
    return isinstance(pattern, Shape) and all(isinstance(f, Bind) for f in pattern.fields)


def _report_missing(world: World, function: Function, missing: list[Row]) -> None:
    """One warning that names the forms without a clause, with an example of each."""
    skeleton = _skeleton(world, missing[0])
    world.warning(
        "missing_clause", f"{function.name} has no clause for {_examples(missing)}", function.span,
        f"add: {skeleton} => todo \"…\"",
    )  # fmt: skip


def _examples(missing: list[Row]) -> str:
    examples = [", ".join(map(show_pattern, row)) for row in missing]
    between = "; " if len(missing[0]) > 1 else ", "
    return between.join(examples[:6]) + (f" and {len(examples) - 6} more" if examples[6:] else "")


def _skeleton(world: World, row: Row) -> str:
    """A clause ready to paste: field names stand for what the example leaves open."""

    used: set[str] = set()

    def named(field: str) -> str:
        """A variable for a field: no name stands twice in a clause."""
        numbers = itertools.chain([""], itertools.count(2))
        name = next(name for n in numbers if (name := f"{field}{n}") not in used)
        used.add(name)
        return name

    def written(pattern: Pat, field: str) -> str:
        if isinstance(pattern, Head) and isinstance(pattern.name, str):
            constructor = world.constructors.get(pattern.name)
            if constructor is not None and constructor.fields:
                inside = [
                    written(arg, name)
                    for arg, name in zip(pattern.args, constructor.fields, strict=True)
                ]
                return f"{pattern.name}({', '.join(inside)})"
        if pattern == ANY:
            return field if field == "_" else named(field)
        return show_pattern(pattern)

    return ", ".join(written(pattern, "_") for pattern in row)
