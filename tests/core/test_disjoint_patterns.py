"""Patterns that take different things, held against matching all small terms by hand."""

from __future__ import annotations

from itertools import product
from typing import TypeAlias

from hypothesis import example, given, settings
from hypothesis import strategies as st

from embrix.brix import syntax as s
from embrix.brix.pattern_parts import disjoint
from embrix.text.source import Span

AT = Span(0, 0)
Term: TypeAlias = int | tuple["Term", ...] | list["Term"]
"""A number, a form (its name is its length) or a list."""

leaves = st.one_of(
    st.just(s.PAny(AT)), st.just(s.PVar("x", AT)), st.integers(0, 1).map(lambda n: s.PConst(n, AT))
)


def made(inner: st.SearchStrategy[s.Pattern]) -> st.SearchStrategy[s.Pattern]:
    some = st.lists(inner, min_size=1, max_size=2).map(tuple)
    return st.one_of(
        some.map(lambda parts: s.PMake(f"F{len(parts)}", parts, AT)),
        st.tuples(some, st.booleans()).map(
            lambda pair: s.PList(pair[0], s.PAny(AT) if pair[1] else None, AT)
        ),
        inner.map(lambda one: s.PAs(one, "y", AT)),
    )


patterns = st.recursive(leaves, made, max_leaves=4)

ROOTS: list[Term] = [0, 1, 2]
FIRST: list[Term] = [*ROOTS, *((one,) for one in ROOTS), *product(ROOTS, repeat=2),
                     *([one] for one in ROOTS), [0, 1], [1, 0], [0, 0], [2, 2, 2]]  # fmt: skip
TERMS: list[Term] = [
    *FIRST, *((one,) for one in FIRST), *product(FIRST, repeat=2), *([one] for one in FIRST),
    *(list(pair) for pair in product(FIRST, repeat=2)),
]  # fmt: skip


def takes(pattern: s.Pattern, term: Term) -> bool:
    match pattern:
        case s.PAs(inner):
            return takes(inner, term)
        case s.PConst(value):
            return term == value
        case s.PMake(_, args):
            same = isinstance(term, tuple) and len(term) == len(args)
            return same and all(map(takes, args, term))  # type: ignore[arg-type]
        case s.PList(items, rest):
            if not isinstance(term, list) or len(term) < len(items):
                return False
            return (rest is not None or len(term) == len(items)) and all(map(takes, items, term))
    return True


PAIR = s.PList((s.PAny(AT), s.PAny(AT)), None, AT)
LONGER = s.PList((s.PAny(AT),), s.PAny(AT), AT)


@given(patterns, patterns)
@example(PAIR, LONGER)
@example(LONGER, PAIR)
@settings(max_examples=300, deadline=None)
def test_what_is_told_to_be_disjoint_is(one: s.Pattern, other: s.Pattern) -> None:
    both = any(takes(one, term) and takes(other, term) for term in TERMS)
    assert not (disjoint(one, other) and both)
    kinds = {type(part) for part in (one, other)}
    if kinds == {s.PConst} or kinds == {s.PMake}:
        assert disjoint(one, other) or both
