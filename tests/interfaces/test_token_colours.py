"""Colours of tokens line by line, held against what covers each character of the text."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from embrix.tui.token_colours import TokenColours


@given(
    st.lists(st.text("ab ", max_size=6), min_size=1, max_size=6),
    st.lists(st.tuples(st.integers(0, 3), st.integers(1, 9), st.booleans()), max_size=12),
)
def test_a_character_has_the_colour_of_the_token_that_covers_it(
    rest: list[str], widths: list[tuple[int, int, bool]]
) -> None:
    """Lines are made different by a digit each; tokens may go over several lines."""
    lines = [f"{number}{line}" for number, line in enumerate(rest)]
    text = "\n".join(lines)
    covered: list[str | None] = [None] * len(text)
    tokens, skipped, at = [], [], 0
    for number, (gap, width, skip) in enumerate(widths):
        start = at + gap
        at = min(start + width, len(text))
        if start >= at:
            break
        kind = "skip" if skip else f"kind{number}"
        covered[start:at] = [kind] * (at - start)
        if skip:
            skipped.append((start, at))
        else:
            tokens.append((start, at, kind))
    colours = TokenColours(text, tokens, skipped)
    offset = 0
    for line in lines:
        told: list[str | None] = [None] * len(line)
        for first, last, kind in colours.of(line):
            assert 0 <= first <= last <= len(line)
            told[first:last] = [kind] * (last - first)
        assert told == covered[offset : offset + len(line)]
        offset += len(line) + 1


def test_a_line_that_is_not_in_the_text_has_no_colours() -> None:
    assert TokenColours("let a", [(0, 3, "word")]).of("let b") == ()


def test_a_line_end_of_two_characters_belongs_to_no_line() -> None:
    colours = TokenColours("let a\r\nin b", [(0, 3, "word"), (7, 9, "word")])
    assert colours.of("let a") == ((0, 3, "word"),)
    assert colours.of("in b") == ((0, 2, "word"),)


def test_comments_are_those_of_the_text_that_was_cut() -> None:
    colours = TokenColours("let a # b", [(0, 3, "word"), (4, 5, "name")], [(3, 4), (6, 9)])
    assert colours.comments("let a # b") == [(6, 9)]
    assert colours.comments("let ab # b") == []
