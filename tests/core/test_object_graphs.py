"""Objects that are written as plain data come back as they were, shared parts shared."""

from __future__ import annotations

import marshal
import math
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec import Struct

from embrix.brix.expression_syntax import Apply, Ref
from embrix.grammar.tokens import Token, TokenTable
from embrix.terms.types import NAME, UNKNOWN, Con, Fn, Hole, Tup
from embrix.text.object_graphs import WORKED_OUT, CannotWrite, Objects, read, written
from embrix.text.source import Span
from tests.core.same_graph import difference

LEAVES = st.one_of(
    st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=3), st.binary(max_size=3)
)


@st.composite
def graphs(draw: st.DrawFn) -> list[Any]:
    """Some objects, each made of earlier ones: the last one reaches many of them."""
    made: list[Any] = [draw(LEAVES), Span(0, 1), NAME]
    for _ in range(draw(st.integers(1, 12))):
        inside = draw(st.lists(st.sampled_from(range(len(made))), max_size=4))
        parts = [made[at] for at in inside]
        one, other = (parts * 2)[:2] if parts else (None, 0)
        keys = [str(at) for at in range(len(parts))]
        made.append(
            draw(
                st.sampled_from(
                    [
                        tuple(parts), parts, dict(zip(keys, parts, strict=True)), Hole(one),
                        Con("List", (one, other)), Fn((one,), other), Fraction(len(parts), 7),
                        Ref(one, other), Token(1, one, other), set(keys), frozenset(keys),
                        draw(LEAVES), Tup(tuple(parts)), Apply(one, tuple(parts), other),
                    ]
                )
            )
        )  # fmt: skip
    made.append(tuple(made))
    return made


def there_and_back(root: object, parts: list[Objects] | None = None, **left_out: Any) -> Any:
    content, _ = written(root, parts or [], left_out.get("left_out", {}))
    return read(marshal.loads(marshal.dumps(content)), parts or [])[0]


@given(graphs())
def test_what_comes_back_is_what_was_written(made: list[Any]) -> None:
    assert difference(made[-1], there_and_back(made[-1])) == ""


@given(graphs(), st.data())
def test_what_belongs_to_a_part_is_the_very_object(made: list[Any], data: st.DataObject) -> None:
    """A second process has read the part, and names its objects by where they stand."""
    inner = data.draw(st.sampled_from(range(len(made) - 1)))
    content, mine = written(made[inner], [], {})
    there, theirs = read(marshal.loads(marshal.dumps(content)), [])
    outer, _ = written((made[inner], made[-1]), [mine], {})
    found = read(marshal.loads(marshal.dumps(outer)), [theirs])[0]
    assert difference((made[inner], made[-1]), found) == ""
    if isinstance(made[inner], Struct | list | dict):
        assert found[0] is there or found[0] is NAME


def test_one_object_stays_one() -> None:
    hole = Hole(None)
    first, (second, third) = there_and_back((hole, [hole, Hole(None)]))
    assert first is second
    assert first is not third


def test_numbers_and_truth_values_are_told_apart() -> None:
    found = there_and_back((1, True, 1.0, 0.0, -0.0, math.nan, 0, False))
    assert [type(one) for one in found] == [int, bool, float, float, float, float, int, bool]
    assert [math.copysign(1, one) for one in found[3:5]] == [1, -1]
    assert math.isnan(found[5])


def test_constants_of_modules_are_those_of_the_process() -> None:
    name, unknown = there_and_back((NAME, UNKNOWN))
    assert name is NAME
    assert unknown is UNKNOWN


def test_fields_that_are_left_out_are_worked_out_or_stand_for_something() -> None:
    table = TokenTable(("+",), ())
    worked_out = ("_patterns", "_automata", "_spaced", "_shifts")
    left_out = {TokenTable: dict.fromkeys(worked_out, WORKED_OUT), Hole: {"found": None}}
    found, hole = there_and_back((table, Hole(NAME)), left_out=left_out)
    assert [token.terminal for token in found.cut("+ +").tokens] == [0]
    assert hole.found is None
    with pytest.raises(CannotWrite):
        written(table, [], {})  # with automata


def test_what_contains_itself_is_not_written() -> None:
    hole = Hole(None)
    hole.found = Con("List", (hole,))
    with pytest.raises(CannotWrite, match="contains itself"):
        written(hole, [], {})


def test_what_is_nested_too_deeply_is_not_written() -> None:
    deep: object = ()
    for _ in range(100_000):
        deep = (deep,)
    with pytest.raises(CannotWrite, match="too deeply"):
        written(deep, [], {})


class Stranger(Struct):
    """Not of our packages."""


@pytest.mark.parametrize("one", [Stranger(), print, Span, object(), lambda: 0, range(3)])
def test_what_is_not_ours_is_not_written(one: object) -> None:
    with pytest.raises(CannotWrite, match="no way"):
        written((one,), [], {})


@pytest.mark.parametrize("name", [("os", "system"), ("embrix.text", "os"), ("builtins", "eval")])
def test_nothing_but_our_classes_is_ever_made(name: tuple[str, str]) -> None:
    for content in [((name,), ()), ((), ((1, name),))]:
        with pytest.raises(ValueError, match="nothing that may be made"):
            read(content, [])
