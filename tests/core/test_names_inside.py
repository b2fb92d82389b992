"""Substitutions in the same terms again and again, with what stands in nodes remembered."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from unittest.mock import patch

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.course.load import Course, load_course
from embrix.terms import binding, names_inside, simple_scopes
from embrix.terms.binding import free_anywhere, free_names, put_anywhere, substitute
from embrix.terms.names_inside import NamesInside
from embrix.terms.node import FIELDS, Node, Value, make_list, same
from embrix.terms.signature import Signature
from tests.strategies import terms

BASIN = """\
language Basin
  "Names that are bound alone and by the list, and used alone and beside other fields."

forms Expr
  Var(x: Name)                       uses x
  Lit(n: Number)
  Add(left: Expr, right: Expr)
  Let(x: Name, bound: Expr, body: Expr)      binds x in body
  Many(xs: List[Name], body: Expr)   binds xs in body
  Set(x: Name, value: Expr)          uses x
  Bump(x: Name, by: Number)          uses x
  Do(parts: List[Expr])
"""
ODD = (
    BASIN.replace("Basin", "Odd")
    + """\
  Turn(x: Name, body: Expr)          uses x   binds x in body
"""
)
LANGUAGES = ("Basin", "Odd", "Rill", "Eddy", "Mere", "Race")


@pytest.fixture(scope="module")
def signatures(tmp_path_factory: pytest.TempPathFactory, lockside: Course) -> dict[str, Signature]:
    folder = tmp_path_factory.mktemp("basin")
    (folder / "course.toml").write_text('title = "made up"\n')
    (folder / "basin.brix").write_text(BASIN)
    (folder / "odd.brix").write_text(ODD)
    course = load_course(folder)
    assert [d.message for d in course.diagnostics if d.severity == "error"] == []
    own = {name: language.signature for name, language in course.languages.items()}
    shipped = {name: language.signature for name, language in lockside.languages.items()}
    return {**shipped, **own}


def in_order(root: Value) -> list[Value]:
    found, pending = [], [root]
    while pending:
        node = pending.pop()
        found.append(node)
        if isinstance(node, tuple):
            pending += node[FIELDS:]
    return found


def told_by_the_textbook(
    signature: Signature, value: Value, name: str, term: Value
) -> tuple[Value, int]:
    """Substitution by the walk that looks at everything, and the work that it tells."""
    told: list[int] = []
    endangered = free_anywhere(signature, value, told.append)
    put = put_anywhere(signature, value, name, term, str.isidentifier, told.append, endangered)
    return put, sum(told)


@pytest.mark.parametrize("language", LANGUAGES)
@given(data=st.data())
def test_what_is_remembered_changes_no_substitution(
    signatures: dict[str, Signature], language: str, data: st.DataObject
) -> None:
    """The same terms, with the same parts shared and the same work told, whether little or much is
    remembered; each term is made of those before it."""
    signature = signatures[language]
    assert signature.scopes is not None
    sort = signature.sorts[0]
    with (
        patch.object(simple_scopes, "DEEPEST", data.draw(st.sampled_from([1, 2, 150]))),
        patch.object(names_inside, "REMEMBERED", data.draw(st.sampled_from([3, 5_000]))),
        patch.object(names_inside, "AHEAD", data.draw(st.sampled_from([20, 100_000]))),
    ):
        names = NamesInside(signature)
        known = [data.draw(terms(signature, sort, 4, ("x", "y", "gates"), ("x", "y", "z")))]
        for _ in range(4):
            term = data.draw(st.sampled_from(known))
            fresh = terms(signature, sort, 2, data.draw(st.sampled_from([(), ("x", "y")])))
            value = data.draw(st.sampled_from(known) | fresh)
            name = data.draw(st.sampled_from(["x", "y", "gates"]))
            told: list[int] = []
            put = substitute(signature, value, name, term, str.isidentifier, told.append, names)
            plain, work = told_by_the_textbook(signature, value, name, term)
            assert put == plain
            assert sum(told) == work
            kept = {id(part) for part in (*in_order(term), *in_order(value))}
            for one, other in zip(in_order(put), in_order(plain), strict=True):
                assert (one is other) == (id(one) in kept) or not isinstance(one, tuple)
            free = free_anywhere(signature, put, lambda _: None)
            assert free_names(signature, put, told.append, names) == free
            known.append(put)


def node(signature: Signature, form: str, *fields: Value) -> Node:
    return (signature.by_name[form].tag, None, *fields)


def test_a_name_beside_other_fields_is_renamed(signatures: dict[str, Signature]) -> None:
    basin = signatures["Basin"]
    bump = node(basin, "Bump", "x", 1)
    term = node(basin, "Do", make_list([bump, node(basin, "Set", "x", bump), bump]))
    wanted = node(basin, "Bump", "q", 1)
    for names, deepest in ((None, 150), (NamesInside(basin), 150), (NamesInside(basin), 1)):
        with patch.object(simple_scopes, "DEEPEST", deepest):
            put = substitute(basin, node(basin, "Var", "q"), "x", term, names=names)
            assert put == node(
                basin, "Do", make_list([wanted, node(basin, "Set", "q", wanted), wanted])
            )
            assert substitute(basin, node(basin, "Lit", 1), "x", term, names=names) is term


def test_a_name_put_in_for_itself_captures_nothing(signatures: dict[str, Signature]) -> None:
    """So the general way, which looks at everything, is not needed."""
    rill = signatures["Rill"]
    x = node(rill, "Var", "x")
    term = node(rill, "Add", x, node(rill, "Let", "x", x, x))
    with patch.object(binding, "put_anywhere", side_effect=AssertionError):
        put = substitute(rill, x, "x", term, names=NamesInside(rill))
    assert put == term


def test_a_binder_of_the_value_is_renamed_all_the_same(signatures: dict[str, Signature]) -> None:
    basin = signatures["Basin"]
    x, y = node(basin, "Var", "x"), node(basin, "Var", "y")
    term = node(basin, "Let", "y", y, node(basin, "Add", x, y))
    put = substitute(basin, y, "x", term, names=NamesInside(basin))
    assert put == node(basin, "Let", "y1", y, node(basin, "Add", y, node(basin, "Var", "y1")))


def test_what_a_binder_uses_as_well_is_renamed(signatures: dict[str, Signature]) -> None:
    """Where a name is used by the node that binds it, the new name is bound, and captures."""
    odd = signatures["Odd"]
    x, y = node(odd, "Var", "x"), node(odd, "Var", "y")
    term = node(odd, "Turn", "x", node(odd, "Add", x, y))
    plain, _ = told_by_the_textbook(odd, y, "x", term)
    assert substitute(odd, y, "x", term, str.isidentifier, names=NamesInside(odd)) == plain


def rows(signature: Signature, count: int) -> Node:
    """So many numbers in a sum."""
    term = node(signature, "Var", "x")
    for number in range(count):
        term = node(signature, "Add", node(signature, "Lit", number), term)
    return term


def test_great_terms_are_looked_at_once(signatures: dict[str, Signature]) -> None:
    """More is remembered where one term needs it; what a walk through a great value tells stays."""
    rill = signatures["Rill"]
    with (
        patch.object(names_inside, "REMEMBERED", 100), patch.object(names_inside, "AHEAD", 1_200),
    ):  # fmt: skip
        names = NamesInside(rill)
        value = node(rill, "Fun", "x", rows(rill, 500))
        for term in (node(rill, "Var", "z"), rows(rill, 2_000)) * 3:
            told: list[int] = []
            put = substitute(rill, value, "x", term, str.isidentifier, told.append, names)
            plain, work = told_by_the_textbook(rill, value, "x", term)
            assert same(put, plain)
            assert sum(told) == work
            assert names.done == 1_002
        assert names.begin()
        looked(names, [(node(rill, "Neg", node(rill, "Lit", n)), "z", value) for n in range(300)])
        assert names.begin()


def sums(signature: Signature, count: int) -> Node:
    """A sum of itself, so often that no walk goes through all of it."""
    term = node(signature, "Lit", 1)
    for _ in range(count):
        term = node(signature, "Add", term, term)
    return term


class OutOfWork(Exception):
    pass


def bounded(most: int, told: list[int]) -> Callable[[int], None]:
    def meter(nodes: int) -> None:
        told.append(nodes)
        if sum(told) > most:
            raise OutOfWork

    return meter


def test_a_part_that_is_passed_is_paid_for(signatures: dict[str, Signature]) -> None:
    """A sum with 2⁶¹ − 1 nodes is shared as it is, but that a walk would not end is told."""
    rill = signatures["Rill"]
    great = sums(rill, 60)
    names = NamesInside(rill)
    assert names.of(great).size == 2**61 - 1
    told: list[int] = []
    with pytest.raises(OutOfWork):
        substitute(
            rill, node(rill, "Lit", 7), "x", node(rill, "Add", great, node(rill, "Var", "x")),
            meter=bounded(100_000, told), names=names,
        )  # fmt: skip
    assert sum(told) == 100_096 // 256 * 256


def looked(names: NamesInside, work: Sequence[tuple[Value, str, Value]]) -> int:
    for value, name, term in work:
        substitute(names.signature, value, name, term, names=names)
    return names.done


def test_looking_for_nothing_is_given_up(signatures: dict[str, Signature]) -> None:
    """Great values that are put in nowhere: nobody pays for looking at them, so that it ends."""
    rill = signatures["Rill"]
    one = node(rill, "Lit", 1)
    with patch.object(names_inside, "AHEAD", 1_000):
        names = NamesInside(rill)
        work = []
        for number in range(200):
            value = node(rill, "Lit", number)
            for _ in range(99):
                value = node(rill, "Neg", value)
            work.append((value, "x", one))
        assert looked(names, work) < 2_500
        assert not names.begin()


def test_what_is_remembered_is_bounded(signatures: dict[str, Signature]) -> None:
    rill = signatures["Rill"]
    names = NamesInside(rill)
    body = node(rill, "Add", node(rill, "Var", "x"), node(rill, "Lit", 1))
    for number in range(3_000):
        value = node(rill, "Fun", f"p{number}", node(rill, "Neg", node(rill, "Lit", number)))
        substitute(rill, value, "x", body, names=names)
        assert len(names.known) <= names_inside.REMEMBERED + 10
