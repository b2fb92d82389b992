"""Generators shared by the tests."""

from __future__ import annotations

from hypothesis import strategies as st

from embrix.terms.generate import NAMES, Generator, Words
from embrix.terms.node import Value
from embrix.terms.signature import Signature


@st.composite
def terms(
    draw: st.DrawFn,
    signature: Signature,
    sort: str,
    depth: int = 5,
    scope: tuple[str, ...] = (),
    names: tuple[str, ...] = NAMES,
) -> Value:
    """Well-scoped terms of a sort; free names come from `scope`, binders from `names`."""

    def choose(count: int) -> int:
        return draw(st.integers(0, count - 1))

    return Generator(signature, choose, Words(names=names)).term(sort, depth, scope)
