"""The rows of a walk: what matters of each judgement, fitted to a width."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.lanes.session import Session
from embrix.text.fitting import STAGES, fitted, indented, shortened
from embrix.text.visible import width
from embrix.trace.walk import Walk


def rows(course: Course, language: str, lane: str, program: str) -> list[str]:
    chosen = Session(course.folder).lane(language, lane)
    walk = Walk(chosen, chosen.trace(program))
    steps = [walk.step(number) for number in range(len(walk))]
    return ["".join(text for _, text in one.row) for one in steps if one.row]


# Worked out by hand. `╪` marks a name that is new there, `…` that there is more.
EXPECTED = {
    ("Drip", "environment", "let a = 2 in let b = 3 in a + 1"): [
        "∅ ⊢ let a = 2 in let b = 3 in a + 1 ⇓ …",
        "∅ ⊢ 2 ⇓ …",
        "∅ ⊢ 2 ⇓ 2",
        "a ╪ 2 ⊢ let b = 3 in a + 1 ⇓ …",
        "… ⊢ 3 ⇓ …",
        "… ⊢ 3 ⇓ 3",
        "a = 2, b ╪ 3 ⊢ a + 1 ⇓ …",
        "a = 2, … ⊢ a ⇓ …",
        "a = 2, … ⊢ a ⇓ 2",
        "… ⊢ 1 ⇓ …",
        "… ⊢ 1 ⇓ 1",
        "a = 2, … ⊢ a + 1 ⇓ 3",
        "a = 2 ⊢ let b = 3 in a + 1 ⇓ 3",
        "∅ ⊢ let a = 2 in let b = 3 in a + 1 ⇓ 3",
    ],
    # A name that the expression binds itself is none that it mentions; a shadowed one is no more.
    ("Drip", "environment", "let a = 2 in let a = 3 in a"): [
        "∅ ⊢ let a = 2 in let a = 3 in a ⇓ …",
        "∅ ⊢ 2 ⇓ …",
        "∅ ⊢ 2 ⇓ 2",
        "a ╪ 2 ⊢ let a = 3 in a ⇓ …",
        "… ⊢ 3 ⇓ …",
        "… ⊢ 3 ⇓ 3",
        "a ╪ 3 ⊢ a ⇓ …",
        "a = 3 ⊢ a ⇓ 3",
        "… ⊢ let a = 3 in a ⇓ 3",
        "∅ ⊢ let a = 2 in let a = 3 in a ⇓ 3",
    ],
    # Of a store what has changed; what a name stands for is not told a second time.
    ("Weir", "store_passing", "new a := 1; a := a + 4"): [
        "⟨new a := 1; a := a + 4, ∅, ∅⟩ ⇒ ⟨…, …⟩",
        "⟨new a := 1, ∅, …⟩ ⇒ ⟨…, …⟩",
        "∅, … ⊢ 1 ⇓ …, …",
        "∅, … ⊢ 1 ⇓ 1, …",
        "⟨new a := 1, ∅, …⟩ ⇒ ⟨a ╪ @0, @0 ↦ 1⟩",
        "⟨a := a + 4, a = @0 ↦ 1, …⟩ ⇒ ⟨…, …⟩",
        "a = @0 ↦ 1, … ⊢ a + 4 ⇓ …, …",
        "a = @0 ↦ 1, … ⊢ a ⇓ …, …",
        "a = @0 ↦ 1, … ⊢ a ⇓ 1, …",
        "…, … ⊢ 4 ⇓ …, …",
        "…, … ⊢ 4 ⇓ 4, …",
        "a = @0 ↦ 1, … ⊢ a + 4 ⇓ 5, …",
        "⟨a := a + 4, a = @0 ↦ 5, …⟩ ⇒ ⟨…, @0 ↦ 5⟩",
        "⟨new a := 1; a := a + 4, ∅, …⟩ ⇒ ⟨∅, …⟩",
    ],
}


@pytest.mark.parametrize(("language", "lane", "program"), EXPECTED)
def test_rows_show_what_matters(lockside: Course, language: str, lane: str, program: str) -> None:
    found = rows(lockside, language, lane, program)
    assert found == EXPECTED[language, lane, program]


def test_what_a_suspension_has_kept_is_not_new(lockside: Course) -> None:
    """The environment of what waits in the store is an old one, wherever it is evaluated."""
    program = "let a = 2 in let f = given x: x + 1 in f (a + a)"
    found = [row for row in rows(lockside, "Rill", "by_need", program) if "⊢ a + a ⇓" in row]
    assert found
    assert all("╪" not in row for row in found)


KINDS = ("sign", "names", "store", "other", "term", "result")
PIECES = st.lists(st.tuples(st.sampled_from(KINDS), st.text("ab ,…═世", max_size=60)), max_size=9)


@given(PIECES, st.integers(0, 12), st.booleans())
def test_a_row_fits_and_loses_what_matters_least(
    pieces: list[tuple[str, str]], some: int, near: bool
) -> None:
    whole = sum(width(text) for _, text in pieces)
    room = max(0, whole - some) if near else some * 12
    found = fitted(pieces, room)
    assert [kind for kind, _ in found] == [kind for kind, _ in pieces]
    assert [text for kind, text in found if kind == "sign"] == [
        text for kind, text in pieces if kind == "sign"
    ]
    before, now = (sum(width(text) for _, text in row) for row in (pieces, found))
    assert now <= max(room, before)
    least = {kind: min(n for kinds, n in STAGES if kind in kinds) for kind in KINDS[1:]}
    if before <= room:
        assert found == pieces
    elif now > room:  # then nothing that may be cut is longer than it may become
        assert all(width(text) <= least[kind] for kind, text in found if kind != "sign")
    cut = {
        kind for (kind, old), (_, new) in zip(pieces, found, strict=True) if width(new) < width(old)
    }
    if "result" in cut:
        around = [text for kind, text in found if kind in ("names", "store", "other")]
        assert all(width(text) <= 1 for text in around)


@given(st.text("ab世…, ", max_size=40), st.integers(1, 40), st.sampled_from(KINDS))
def test_what_is_shortened_is_short_and_says_so(text: str, room: int, kind: str) -> None:
    found = shortened(kind, text, room)
    assert width(found) <= room
    assert found == text or found.endswith("…")


def test_names_go_as_a_whole() -> None:
    assert shortened("names", "rate = 3, level = 12, x = 1", 22) == "rate = 3, …"
    assert shortened("names", "rate = 3, level = 12, …", 23) == "rate = 3, level = 12, …"
    assert shortened("names", "rate = <function>", 9) == "rate = <…"
    assert shortened("names", "rate = <function>", 7) == "…"  # a piece of a name says nothing


def test_depth_is_shown_otherwise_where_it_is_great() -> None:
    assert indented(2) == "│ │ "
    assert len(indented(8)) == len(indented(9)) == len(indented(1_000)) == 16
    assert "1000" in indented(1_000)


def test_what_a_name_stands_for_is_not_told_again(lockside: Course) -> None:
    program = "let long = given first: first + first + first in long 1"
    found = next(row for row in rows(lockside, "Rill", "by_need", program) if "╪" in row)
    assert found.startswith("long ╪ @0 ↦ given first: f…, … ⊢ long 1")
