"""Token patterns and the automaton, held against Python's own regular expressions."""

from __future__ import annotations

import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.grammar.automaton import Automaton
from embrix.grammar.pattern import (
    LAST,
    BadPattern,
    complement,
    literal,
    matches_empty,
    read_pattern,
)
from embrix.grammar.tokens import TokenKind, TokenTable
from tests.conftest import Maker

ATOMS = st.sampled_from(["a", "b", "[ab]", "[^a]", ".", "\\d", "(ab|b)", "c"])
PIECES = st.builds(
    lambda atom, sign: atom + sign, ATOMS, st.sampled_from(["", "*", "+", "?", "{1,2}", "{2}"])
)
PATTERNS = st.lists(PIECES, min_size=1, max_size=5).map("".join)
TEXTS = st.text(alphabet="abc1\n", max_size=12)


def longest(pattern: str, text: str) -> int:
    """The end of the longest match at the start, by trying every length."""
    ends = [n for n in range(len(text) + 1) if re.fullmatch(pattern, text[:n])]
    return max(ends, default=-1)


@given(PATTERNS, TEXTS)
def test_the_longest_match_is_found(pattern: str, text: str) -> None:
    """The automaton ends where the longest prefix that the pattern describes ends."""
    automaton = Automaton([read_pattern(pattern)])
    found, end = automaton.match(text, 0, set())
    expected = longest(pattern, text)
    assert (end if found == 0 else 0) == max(expected, 0)
    assert matches_empty(read_pattern(pattern)) == (re.fullmatch(pattern, "") is not None)


@given(PATTERNS, PATTERNS, TEXTS)
def test_among_equally_long_matches_the_first_pattern_wins(a: str, b: str, text: str) -> None:
    automaton = Automaton([read_pattern(a), read_pattern(b)])
    found, end = automaton.match(text, 0, set())
    ends = (longest(a, text), longest(b, text))
    if max(ends) > 0:
        assert end == max(ends)
        assert found == (0 if ends[0] == max(ends) else 1)


@given(st.lists(PATTERNS, min_size=1, max_size=3), TEXTS)
def test_remembering_dead_ends_changes_nothing(patterns: list[str], text: str) -> None:
    """The memo that keeps the whole text linear never changes a match."""
    automaton = Automaton([read_pattern(p) for p in patterns])
    dead: set[tuple[int, int]] = set()
    for at in range(len(text)):
        assert automaton.match(text, at, dead) == automaton.match(text, at, set())


def test_the_work_for_a_text_grows_with_its_length() -> None:
    """/a/ and /a*b/ on aaaa… read each character a bounded number of times."""

    class Counting(str):
        reads = 0

        def __getitem__(self, index: object) -> str:
            Counting.reads += 1
            return super().__getitem__(index)  # type: ignore[index]

    automaton = Automaton([read_pattern("a"), read_pattern("a*b")])
    text = Counting("a" * 4_000)
    dead: set[tuple[int, int]] = set()
    at = 0
    while at < len(text):
        _, at = automaton.match(text, at, dead)
    assert Counting.reads < 5 * len(text)


@pytest.mark.parametrize(
    ("pattern", "at"),
    [("(a", 0), ("a)", 1), ("[a", 0), ("*a", 0), ("a{3,1}", 1), ("a{9999}", 1), ("\\q", 0),
     ("^a", 0), ("(?=a)", 0), ("a\\", 1), ("[b-a]", 2), ("((a{200}){200}){200}", 0)],
)  # fmt: skip
def test_bad_patterns_are_refused_with_their_place(pattern: str, at: int) -> None:
    with pytest.raises(BadPattern) as caught:
        read_pattern(pattern)
    assert caught.value.at == at


def table(*literals: str) -> TokenTable:
    kinds = [
        TokenKind("number", read_pattern("[0-9]+"), "", "Number"),
        TokenKind("name", read_pattern("[a-z]+"), "", "Name"),
        TokenKind("skip", read_pattern(" +"), "", skip=True),
    ]
    return TokenTable(literals, tuple(kinds))


def cut(tokens: TokenTable, text: str) -> list[str]:
    return [
        f"{tokens.describe(t.terminal)} {text[t.start : t.end]}" for t in tokens.cut(text).tokens
    ]


def test_literals_that_look_like_names_are_reserved_words() -> None:
    tokens = table("in", "=", "==")
    assert cut(tokens, "in inn = ===") == [
        "`in` in", "a name inn", "`=` =", "`==` ==", "`=` =",
    ]  # fmt: skip


@given(st.text(alphabet="ab1 $=\u20ac", max_size=20))
def test_tokens_skipped_and_invalid_pieces_cover_the_text(text: str) -> None:
    """Going on one by one, every character lands in exactly one piece, in order."""
    base = table("=")
    tokens = TokenTable(base.literals, base.kinds, "one by one")
    found = tokens.cut(text)
    spans = [(t.start, t.end) for t in (*found.tokens, *found.skipped)]
    spans += [(bad.span.start, bad.span.end) for bad in found.invalid]
    assert "".join(text[a:b] for a, b in sorted(spans)) == text
    assert len(base.cut(text).invalid) <= 1


def test_two_pieces_fuse_when_the_cut_moves() -> None:
    tokens = table("-", "--")
    minus, name = 0, tokens.terminal_of_kind("name")
    assert tokens.fuse("-", "-", (minus, minus))
    assert tokens.fuse("ab", "c", (name, name))
    assert not tokens.fuse("ab", "-", (name, minus))


def test_a_literal_matches_itself_only() -> None:
    automaton = Automaton([literal("a+b")])
    assert automaton.match("a+b", 0, set()) == (0, 3)
    assert automaton.match("aab", 0, set())[0] == -1


def test_literals_are_known_where_the_grammar_cannot_be_used(make_course: Maker) -> None:
    """Without a block of tokens, and with a rule that is missing; and where there is nothing."""
    text = "language Signs\n\nforms Sign\n  Go\n\n"
    course = make_course(a=text + 'grammar\n  start Sign\n  Sign ::= "go" "now" Missing makes Go\n')
    assert course.has_errors
    tokens = course.languages["Signs"].tokens
    assert tokens is not None
    assert set(tokens.literals) == {"go", "now"}
    assert make_course(a=text).languages["Signs"].tokens is None


def test_what_a_set_leaves_out_reaches_from_the_first_character_to_the_last() -> None:
    assert complement(((0, LAST - 1),)) == ((LAST, LAST),)
    assert complement(((1, LAST),)) == ((0, 0),)
    assert complement(((0, LAST),)) == ()
    assert complement(()) == ((0, LAST),)
