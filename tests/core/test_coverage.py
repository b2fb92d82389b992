"""Missing and unreachable clauses, held against trying every small value by hand."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

from hypothesis import given
from hypothesis import strategies as st

from embrix.brix.exhaustiveness import ANY, Coverage, Head, Pat, Row, show_pattern
from embrix.terms.types import BOOL, NUMBER, Con, Tup, Type, listing, maybe

TREE: dict[str, list[tuple[str, tuple[Type, ...]]]] = {
    "Gate": [("Open", ()), ("Shut", ())],
    "Tree": [("Leaf", (Con("Gate"),)), ("Node", (Con("Tree"), Con("Tree"))), ("Nil", ())],
}
COVERAGE = Coverage(lambda name: TREE.get(name))


def values(kind: Type, depth: int) -> list[Head]:
    """All values of a type up to a depth, written as patterns without wildcards."""
    heads = COVERAGE.alternatives(kind)
    assert heads is not None
    found = []
    for name, fields in heads:
        if fields and depth == 0:
            continue
        for parts in itertools.product(*(values(field, depth - 1) for field in fields)):
            found.append(Head(name, tuple(parts)))
    return found


def matches(pattern: Pat, value: Head) -> bool:
    if not isinstance(pattern, Head):
        return True
    return pattern.name == value.name and all(
        isinstance(v, Head) and matches(p, v) for p, v in zip(pattern.args, value.args, strict=True)
    )


@st.composite
def patterns(draw: st.DrawFn, kind: Type, depth: int = 2) -> Pat:
    heads = COVERAGE.alternatives(kind)
    if depth == 0 or heads is None or draw(st.integers(0, 2)) == 0:
        return ANY
    name, fields = draw(st.sampled_from(list(heads)))
    return Head(name, tuple(draw(patterns(field, depth - 1)) for field in fields))


TYPES = st.sampled_from(
    [Con("Tree"), Con("Gate"), BOOL, maybe(Con("Gate")), Tup((BOOL, Con("Gate")))]
)


def columns(data: st.DataObject) -> tuple[list[Type], list[Row]]:
    types = data.draw(st.lists(TYPES, min_size=1, max_size=2))
    count = data.draw(st.integers(0, 5))
    rows = [tuple(data.draw(patterns(kind)) for kind in types) for _ in range(count)]
    return types, rows


def all_rows(types: Sequence[Type]) -> Iterator[tuple[Head, ...]]:
    return itertools.product(*(values(kind, 2) for kind in types))


def taken(rows: Sequence[Row], row: Sequence[Head]) -> bool:
    return any(all(matches(p, v) for p, v in zip(r, row, strict=True)) for r in rows)


@given(st.data())
def test_what_is_missing_is_what_no_row_takes(data: st.DataObject) -> None:
    """Nothing is called missing that some row takes, and something is whenever a value slips
    through; the examples are themselves not taken."""
    types, rows = columns(data)
    missing = COVERAGE.missing(rows, types)
    uncovered = [row for row in all_rows(types) if not taken(rows, row)]
    assert bool(missing) == bool(uncovered)
    for example in missing:
        assert all(
            taken([example], row) is False or not taken(rows, row) for row in all_rows(types)
        )


@given(st.data())
def test_a_row_is_useful_when_it_takes_something_new(data: st.DataObject) -> None:
    types, rows = columns(data)
    row = tuple(data.draw(patterns(kind)) for kind in types)
    fresh = any(taken([row], v) and not taken(rows, v) for v in all_rows(types))
    assert COVERAGE.useful(rows, row, types) == fresh


def test_types_with_endlessly_many_values_need_a_wildcard() -> None:
    one, two = Head(1, ()), Head(2, ())
    assert COVERAGE.missing([(one,), (two,)], [NUMBER]) == [(ANY,)]
    assert COVERAGE.missing([(one,), (ANY,)], [NUMBER]) == []
    assert not COVERAGE.useful([(ANY,)], (one,), [NUMBER])
    assert COVERAGE.useful([(one,)], (two,), [NUMBER])


def test_lists_and_examples_are_shown_as_they_are_written() -> None:
    kind = listing(Con("Gate"))
    rows: list[Row] = [(Head("[]", ()),), (Head("::", (Head("Open", ()), ANY)),)]
    (example,) = COVERAGE.missing(rows, [kind])
    assert show_pattern(example[0]) == "[Shut, .._]"
    assert show_pattern(Head("Node", (ANY, Head("Nil", ())))) == "Node(_, Nil)"
    assert show_pattern(Head("()", (Head(True, ()), ANY))) == "(true, _)"
