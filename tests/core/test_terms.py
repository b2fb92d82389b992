"""Free names, substitution and equality up to renaming, by properties."""

from __future__ import annotations

import random
from fractions import Fraction
from unittest.mock import patch

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from bench.by_hand import drip
from embrix.course.load import Course
from embrix.machine.lane import Lane
from embrix.terms import simple_scopes
from embrix.terms.binding import (
    alike,
    free_anywhere,
    free_names,
    fresh,
    put_anywhere,
    substitute,
)
from embrix.terms.generate import Generator
from embrix.terms.node import FIELDS, Node, same, size, without_places
from embrix.terms.numbers import read_number, write_number
from embrix.terms.putting import put_uncaptured
from tests.strategies import terms

OPEN = ("x", "y")


def names_by_hand(node: Node, forms: dict[int, str]) -> set[str]:
    """Free names of a Drip term, by the textbook definition written out."""
    name, fields = forms[node[0]], node[FIELDS:]
    if name == "Var":
        return {fields[0]}
    if name == "Let":
        x, bound, body = fields
        return names_by_hand(bound, forms) | (names_by_hand(body, forms) - {x})
    return set().union(*(names_by_hand(f, forms) for f in fields if isinstance(f, tuple)))


@given(data=st.data())
def test_free_names_are_those_of_the_textbook(lockside: Course, data: st.DataObject) -> None:
    signature = lockside.languages["Drip"].signature
    forms = {tag: form.name for tag, form in signature.by_tag.items()}
    term = data.draw(terms(signature, "Expr", 5, OPEN))
    assert free_names(signature, term) == names_by_hand(term, forms)


@given(data=st.data())
def test_substitution_replaces_exactly_the_free_occurrences(
    lockside: Course, data: st.DataObject
) -> None:
    """The free names change as they must, whatever the binders are called."""
    signature = lockside.languages["Drip"].signature
    term = data.draw(terms(signature, "Expr", 5, OPEN))
    value = data.draw(terms(signature, "Expr", 2, ("y", "rate")))
    result = substitute(signature, value, "x", term)
    before = free_names(signature, term)
    expected = (before - {"x"}) | (free_names(signature, value) if "x" in before else frozenset())
    assert free_names(signature, result) == expected


@pytest.mark.parametrize("language", ["Drip", "Rill", "Mere", "Race", "Eddy"])
@given(data=st.data())
def test_the_simple_way_does_what_the_general_way_does(
    lockside: Course, language: str, data: st.DataObject
) -> None:
    """The same names and the same term, with the same parts shared and the same work told; also
    where most of a term lies too deep for calls of Python."""
    with patch.object(simple_scopes, "DEEPEST", data.draw(st.sampled_from([1, 3, 150]))):
        _check_both_ways(lockside, language, data)


def _check_both_ways(lockside: Course, language: str, data: st.DataObject) -> None:
    signature = lockside.languages[language].signature
    scopes = signature.scopes
    assert scopes is not None
    sort = signature.sorts[0]
    term = data.draw(terms(signature, sort, 6, (*OPEN, "gates")))
    free = free_anywhere(signature, term, lambda _: None)
    assert free_names(signature, term) == free
    value = data.draw(terms(signature, sort, 3, ()))
    name = data.draw(st.sampled_from([*sorted(free), "x"]))
    told: tuple[list[int], list[int]] = ([], [])
    quick = put_uncaptured(signature, value, name, term, told[0].append)
    general = put_anywhere(
        signature, value, name, term, lambda _: True, told[1].append, frozenset()
    )
    assert quick == general
    assert sum(told[0]) == sum(told[1])
    kept = {id(part) for part in parts_of(term)} | {id(part) for part in parts_of(value)}
    pairs = zip(parts_of(quick), parts_of(general), strict=True)
    assert all((one is other) == (id(one) in kept) for one, other in pairs)


def test_a_deep_term_is_walked_to_its_end(lockside: Course) -> None:
    signature = lockside.languages["Drip"].signature
    forms = {form.name: form.tag for form in signature.forms}
    deep: Node = (forms["Var"], None, "x")
    for number in range(20_000):
        deep = (forms["Add"], None, (forms["Lit"], None, number), deep)
    assert free_names(signature, deep) == {"x"}
    put = substitute(signature, (forms["Lit"], None, 7), "x", deep)
    assert free_names(signature, put) == frozenset()
    assert isinstance(put, tuple)
    assert sum(part[0] == forms["Lit"] for part in parts_of(put)) == 20_001


def parts_of(root: Node) -> list[Node]:
    """All nodes of a term from the outside in."""
    found, pending = [], [root]
    while pending:
        node = pending.pop()
        found.append(node)
        pending += [part for part in node[FIELDS:] if isinstance(part, tuple)]
    return found


@given(data=st.data())
def test_a_name_for_itself_changes_nothing(lockside: Course, data: st.DataObject) -> None:
    signature = lockside.languages["Drip"].signature
    term = data.draw(terms(signature, "Expr", 5, OPEN))
    itself = (signature.by_name["Var"].tag, None, "x")
    assert alike(signature, substitute(signature, itself, "x", term), term)


def test_a_binder_that_would_capture_is_renamed(lockside: Course) -> None:
    """(let y = 1 in x + y)[x := y] keeps the two meanings of y apart."""
    signature = lockside.languages["Drip"].signature
    tag = {name: form.tag for name, form in signature.by_name.items()}
    var = lambda name: (tag["Var"], None, name)  # noqa: E731
    one = (tag["Lit"], None, 1)
    term = (tag["Let"], None, "y", one, (tag["Add"], None, var("x"), var("y")))
    result = substitute(signature, var("y"), "x", term)
    binder = result[2]
    assert binder != "y"
    expected = (tag["Let"], None, binder, one, (tag["Add"], None, var("y"), var(binder)))
    assert same(result, expected)
    assert not alike(signature, result, (tag["Let"], None, "y", one, result[4]))


@given(data=st.data())
def test_renaming_a_binder_keeps_a_term_alike(lockside: Course, data: st.DataObject) -> None:
    """Equality up to renaming holds after renaming, structural equality only without it."""
    signature = lockside.languages["Drip"].signature
    let, var = signature.by_name["Let"].tag, signature.by_name["Var"].tag
    body = data.draw(terms(signature, "Expr", 4, OPEN))
    assume("x" in free_names(signature, body))
    one = (signature.by_name["Lit"].tag, None, 1)
    other = fresh("x", free_names(signature, body) | {"x", "y", "rate"})
    renamed = (let, None, other, one, substitute(signature, (var, None, other), "x", body))
    assert alike(signature, (let, None, "x", one, body), renamed)
    assert not same((let, None, "x", one, body), renamed)


def test_generated_programs_are_closed_and_shadow(lockside: Course) -> None:
    """The generator makes well-scoped programs, and reuses names on purpose."""
    signature = lockside.languages["Drip"].signature
    let = signature.by_name["Let"].tag
    chance = random.Random(3)
    generator = Generator(signature, chance.randrange)
    shadowing = 0
    for _ in range(300):
        term = generator.term("Expr", 5)
        assert free_names(signature, term) == frozenset()
        stack = [(term, frozenset[str]())]
        while stack:
            node, above = stack.pop()
            if node[0] == let:
                shadowing += node[2] in above
                above = above | {node[2]}
            stack.extend((c, above) for c in node[FIELDS:] if isinstance(c, tuple))
    assert shadowing > 20


def test_walks_over_terms_need_no_recursion() -> None:
    """Equality, size and copying work at any depth, and shared parts are not walked twice."""
    deep: Node = (20, (0, 1), 1)
    for _ in range(200_000):
        deep = (21, (0, 1), deep)
    assert same(deep, without_places(deep))
    doubled: Node = (20, None, 1)
    for _ in range(60):
        doubled = (22, None, doubled, doubled)
    assert size(doubled, limit=10**30) == 2**60 * 3 - 1


@given(st.fractions(max_denominator=10**6))
def test_a_number_written_in_decimals_is_read_back(number: Fraction) -> None:
    """What looks like a decimal literal is exact; anything else is written as a fraction."""
    text = write_number(number)
    if "/" in text:
        top, bottom = text.split("/")
        assert Fraction(int(top), int(bottom)) == number
    else:
        assert read_number(text, "rational") == number


@given(data=st.data())
def test_all_lanes_agree_with_exact_arithmetic_by_hand(
    drip_lanes: dict[str, Lane], lockside: Course, data: st.DataObject
) -> None:
    """`rewriting`, `environment` and `by_name` give what a hand-written evaluator gives, except
    that a failing binding nobody uses does no harm by name."""
    signature = lockside.languages["Drip"].signature
    term = data.draw(terms(signature, "Expr", 5))
    expected = drip.outcome(drip.from_node(signature, term))
    for name in ("rewriting", "environment"):
        outcome = drip_lanes[name].machine.run(term).outcome
        got = outcome.text if outcome.kind == "value" else outcome.name
        assert got == expected, name
    if expected != "DivisionByZero":
        assert drip_lanes["by_name"].machine.run(term).outcome.text == expected
