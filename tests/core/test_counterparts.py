"""The counterparts of the benchmarks do what they are measured for, errors and places included."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from bench.by_hand import closures, rill
from embrix.course.load import Course
from tests.strategies import terms


def ends(work: Callable[[], Any]) -> tuple[object, ...]:
    """What comes of a program: its value as shown, or its error with the place."""
    try:
        value = work()
    except rill.RillError as error:
        return error.name, error.place
    if isinstance(value, bool):
        return ("true" if value else "false",)
    return ("<function>" if callable(value) else rill.shown(value) if not_plain(value)
            else str(value),)  # fmt: skip


def not_plain(value: object) -> bool:
    return isinstance(value, rill.Num | rill.Truth | rill.Closure)


WAYS: dict[str, tuple[Callable[[Any], Any], Callable[[Any], Any]]] = {
    "direct": (lambda tree: rill.evaluate(tree, None), lambda tree: closures.direct(tree)(None)),
    "bouncing": (
        lambda tree: rill.evaluate(tree, None), lambda tree: closures.bouncing(tree)(None),
    ),
    "lazy": (
        lambda tree: rill.need(tree, None, rill.EMPTY)[0], lambda tree: closures.lazy(tree)(None),
    ),
    "passing": (
        lambda tree: rill.evaluate(tree, None),
        lambda tree: closures.passing(tree)(None, closures.EMPTY)[0],
    ),
}  # fmt: skip


@pytest.mark.parametrize("way", WAYS)
@given(data=st.data())
def test_closures_do_what_the_tree_walker_does(
    lockside: Course, way: str, data: st.DataObject
) -> None:
    signature = lockside.languages["Rill"].signature
    term = data.draw(terms(signature, "Expr", 5, ()))
    tree = rill.from_node(signature, term)
    walked, made = WAYS[way]
    try:
        expected = ends(lambda: walked(tree))
    except RecursionError:
        return  # it may not end
    assert ends(lambda: made(tree)) == expected
