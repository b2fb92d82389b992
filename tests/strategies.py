"""Generators shared by the tests."""

from __future__ import annotations

from hypothesis import strategies as st

from embrix.terms.generate import Generator
from embrix.terms.node import Value
from embrix.terms.signature import Signature


@st.composite
def terms(
    draw: st.DrawFn, signature: Signature, sort: str, depth: int = 5, scope: tuple[str, ...] = ()
) -> Value:
    """Well-scoped terms of a sort; free names come from `scope`."""

    def choose(count: int) -> int:
        return draw(st.integers(0, count - 1))

    return Generator(signature, choose).term(sort, depth, scope)
