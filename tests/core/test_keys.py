"""Values of any kind as keys of maps and members of sets."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from embrix.lanes.session import Session
from embrix.terms.keys import Key, entries, key_of, members
from embrix.terms.node import MAP, Node, Value, make_list, same, tuple_of
from tests.conftest import TINY_LANGUAGE, Maker

leaves = st.one_of(st.booleans(), st.integers(-3, 3), st.text("ab", max_size=2), st.floats())
nodes: st.SearchStrategy[Value] = st.recursive(
    leaves,
    lambda inner: st.one_of(
        st.lists(inner, max_size=3).map(make_list),
        st.lists(inner, max_size=3).map(lambda parts: tuple_of(*parts)),
        inner.map(lambda part: (77, (1, 2), part)),
        st.lists(inner, max_size=3).map(lambda parts: frozenset(map(key_of, parts))),
    ),
    max_leaves=6,
)


def alike(left: Value, right: Value) -> bool:
    """Equality of keys, said by recursion: places do not count, NaN equals itself, and what is true
    is no number."""
    if isinstance(left, frozenset) and isinstance(right, frozenset):
        ones, others = members(left), members(right)
        return len(ones) == len(others) and all(map(alike, ones, others))
    if isinstance(left, tuple) and isinstance(right, tuple):
        return (left[0], len(left)) == (right[0], len(right)) and all(
            alike(a, b) for a, b in zip(left[2:], right[2:], strict=True)
        )
    if isinstance(left, bool) != isinstance(right, bool):
        return False
    if left != left and right != right:
        return True
    if isinstance(left, tuple | frozenset) or isinstance(right, tuple | frozenset):
        return False
    return bool(left == right)


@given(nodes, nodes)
def test_keys_are_equal_where_values_are(left: Value, right: Value) -> None:
    one, other = key_of(left), key_of(right)
    if isinstance(one, Key) or isinstance(other, Key):
        assert (one == other) == alike(left, right)
        assert one != other or hash(one) == hash(other)


@given(st.lists(nodes.filter(lambda one: isinstance(one, tuple))))
def test_members_of_a_set_stand_in_one_order(values: list[Node]) -> None:
    shown = members(frozenset(map(key_of, values)))
    again = members(frozenset(map(key_of, reversed(values))))
    assert all(alike(a, b) for a, b in zip(shown, again, strict=True))


def test_deep_values_are_keys_too() -> None:
    """Python itself would run out of its stack when it hashes such a tuple."""
    deep: Node = (77, None, 1)
    for _ in range(100_000):
        deep = (77, None, deep)
    assert key_of(deep) == key_of((77, None, deep[2]))


SETS = """\
interpreter sets for Tiny
value V
  D(n: Number)
  E
  All(s: Set[V], m: Map[V, Set[Expr]], t: Set[(Number, V)], e: Set[Expr])
main run
define run(p: Expr) -> V
  let s = added(added(added(added(empty, D(2)), E), D(1)), D(2))
  let m = start(empty) with D(2) = added(empty, p)
  let again = m with D(2) = if has(s, D(1)) then m[D(2)] else empty
  All(s, again, added(added(empty, (2, E)), (1, E)), added(added(empty, Lit(1)), p))
define start(m: Map[V, Set[Expr]]) -> Map[V, Set[Expr]]
  m
"""


def test_sets_and_maps_of_what_has_parts(make_course: Maker) -> None:
    """By hand: in the order of the constructors, `D(2)` and the two `1` once each."""
    course = make_course(tiny=TINY_LANGUAGE, sets=SETS)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    outcome = Session(course.folder).lane("Tiny", "sets").run("1").outcome
    assert outcome.text == "All({D(1), D(2), E}, D(2) ↦ {Lit(1)}, {(1, E), (2, E)}, {Lit(1)})"


def test_functions_are_no_members(make_course: Maker) -> None:
    text = SETS.replace("added(empty, (2, E))", "added(empty, fn(x) => 1)")
    course = make_course(tiny=TINY_LANGUAGE, sets=text)
    assert any("functions cannot be compared" in d.message for d in course.diagnostics)


def test_entries_of_a_map_stand_in_the_order_of_its_keys() -> None:
    import immutables

    keys = [tuple_of(2, True), tuple_of(1, False), tuple_of(1, True)]
    held = immutables.Map({key_of(key): number for number, key in enumerate(keys)})
    assert [value for _, value in entries((MAP, None, held))] == [1, 2, 0]
    assert same((MAP, None, held), (MAP, None, immutables.Map(held)))
