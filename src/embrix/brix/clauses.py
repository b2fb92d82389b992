"""Missing and unreachable clauses of a function, in the author's terms."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix.core import Bind, CoreClause, CorePattern, Function, Shape
from embrix.brix.coverage import ANY, Coverage, Head, Pat, Row, show_pattern
from embrix.brix.patterns import simplify
from embrix.brix.world import World
from embrix.terms.types import Con, Type, settle


def report_coverage(world: World, function: Function) -> None:
    """Warn about shapes that no clause takes and about clauses that are never reached."""
    names = {c.tag: c.name for c in world.constructors.values()}

    def constructors(name: str) -> Sequence[tuple[str, tuple[Type, ...]]] | None:
        return [(c.name, c.types) for c in world.of_type(name)] or None

    coverage = Coverage(constructors)
    types = [function.types[n] for n in function.subjects]
    rows: list[Row] = [(simplify(final, names),) for final in function.finals]
    reported: set[int] = set()
    for clause in function.clauses:
        row = tuple(simplify(pattern, names) for pattern in clause.patterns)
        if not coverage.useful(rows, row, types) and id(clause.span) not in reported:
            reported.add(id(clause.span))
            world.warning(
                "unreachable_clause", "no term gets here: what this clause takes is taken above",
                clause.span, "remove it, or move it up",
            )  # fmt: skip
        if clause.guard is None:
            rows.append(row)
        elif clause.steps is not None:
            rows += _while_stepping(clause, function, row, names, constructors_of(world, function))
    missing = coverage.missing(rows, types)
    if missing:
        _report_missing(world, function, missing)


def constructors_of(world: World, function: Function) -> list[tuple[str, int]]:
    kind = settle(function.types[function.subjects[0]])
    assert isinstance(kind, Con)
    return [(c.name, len(c.fields)) for c in world.of_type(kind.name)]


def _while_stepping(
    clause: CoreClause,
    function: Function,
    row: Row,
    names: dict[int, str],
    forms: Sequence[tuple[str, int]],
) -> list[Row]:
    """The rows that an `order` clause covers: its part is of a form that is never final.

    With final patterns that look deeper than one form this is not known exactly, and the whole
    pattern counts as covered.
    """
    head = row[0]
    if clause.steps is None or not isinstance(head, Head):
        return []
    if not all(_shallow(final) for final in function.finals):
        return [row]
    final_names = {names[f.tag] for f in function.finals if isinstance(f, Shape)}
    rows: list[Row] = []
    for name, count in forms:
        if name not in final_names:
            args: list[Pat] = list(head.args)
            args[clause.steps] = Head(name, (ANY,) * count)
            rows.append((Head(head.name, tuple(args)),))
    return rows


def _shallow(pattern: CorePattern) -> bool:
    return isinstance(pattern, Shape) and all(isinstance(f, Bind) for f in pattern.fields)


def _report_missing(world: World, function: Function, missing: list[Row]) -> None:
    """One warning that names the forms without a clause, with an example of each."""
    examples = [", ".join(map(show_pattern, row)) for row in missing]
    shown = ", ".join(examples[:6]) + (f" and {len(examples) - 6} more" if examples[6:] else "")
    skeleton = _skeleton(world, missing[0])
    world.warning(
        "missing_clause", f"{function.name} has no clause for {shown}", function.span,
        f"add: {skeleton} => todo \"…\"",
    )  # fmt: skip


def _skeleton(world: World, row: Row) -> str:
    """A clause ready to paste: field names stand for what the example leaves open."""

    def written(pattern: Pat, field: str) -> str:
        if isinstance(pattern, Head) and isinstance(pattern.name, str):
            constructor = world.constructors.get(pattern.name)
            if constructor is not None and constructor.fields:
                inside = [
                    written(arg, name)
                    for arg, name in zip(pattern.args, constructor.fields, strict=True)
                ]
                return f"{pattern.name}({', '.join(inside)})"
        return field if pattern == ANY else show_pattern(pattern)

    return ", ".join(written(pattern, "_") for pattern in row)
