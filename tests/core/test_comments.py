"""Comments in programs, held against what is said of each character."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.text.comments import comments_in, told_apart

places = st.tuples(st.integers(0, 12), st.integers(0, 12)).map(lambda ends: tuple(sorted(ends)))


@given(places, places, st.lists(places, max_size=4))
def test_each_character_is_in_one_piece_and_told_as_what_it_is(
    part: tuple[int, int], marked: tuple[int, int], comments: list[tuple[int, int]]
) -> None:
    at = part[0]
    for first, last, is_marked, in_comment in told_apart(*part, marked, comments):
        assert first == at < last
        for offset in range(first, last):
            assert is_marked == (offset in range(*marked))
            assert in_comment == any(offset in range(*one) for one in comments)
        at = last
    assert at == part[1]


def test_white_space_is_no_comment(lockside: Course) -> None:
    grammar = lockside.languages["Drip"].grammar
    assert grammar is not None
    text = "# over\nlet a = 1 # here\n  in a#"
    found = [text[start:end] for start, end in grammar.tokens.cut(text).comments(text)]
    assert found == ["# over", "# here", "#"]
    assert comments_in(" \n", [(0, 1), (1, 2)]) == []
