"""`P | Q` in a clause: the clause stands for one clause for each of its patterns."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from typing import TypeVar

from msgspec.structs import replace

from embrix.brix import syntax as s

Row = TypeVar("Row", bound=s.Clause | s.NoClause | s.Final)
MOST_CLAUSES = 64
"""Clauses that one may stand for."""


def each_clause(rows: Sequence[Row]) -> Iterator[Row]:
    """Rows without alternatives, in their order; those that come of one keep its place."""
    for row in rows:
        ways = itertools.product(*map(options, row.patterns))
        for patterns in itertools.islice(ways, MOST_CLAUSES):
            yield row if patterns == row.patterns else replace(row, patterns=patterns)


def options(pattern: s.Pattern) -> list[s.Pattern]:
    """The patterns without alternatives that a pattern stands for."""
    match pattern:
        case s.PEither(several):
            return [way for one in several for way in options(one)]
        case s.PAs(inner) | s.PContext(_, inner):
            return [replace(pattern, inner=way) for way in options(inner)]
        case s.PMake(_, args, _, None):
            return [replace(pattern, args=way) for way in _ways(args)]
        case s.PMake(_, _, _, named) if named is not None:
            inside = _ways(tuple(one for _, one, _ in named))
            return [
                replace(pattern, fields=tuple(
                    (name, one, span) for (name, _, span), one in zip(named, way, strict=True)
                ))
                for way in inside
            ]  # fmt: skip
        case s.PTuple(items):
            return [replace(pattern, items=way) for way in _ways(items)]
        case s.PList(items, rest):
            tails: list[s.Pattern | None] = [None] if rest is None else [*options(rest)]
            return [
                replace(pattern, items=way, rest=tail) for way in _ways(items) for tail in tails
            ]
    return [pattern]


def _ways(patterns: tuple[s.Pattern, ...]) -> list[tuple[s.Pattern, ...]]:
    """One of the patterns for each place; the very ones where there are no others."""
    ways = list(itertools.islice(itertools.product(*map(options, patterns)), MOST_CLAUSES))
    return ways if len(ways) > 1 else [patterns]
