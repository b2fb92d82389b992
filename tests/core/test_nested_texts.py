"""Texts inside the braces of a text."""

from __future__ import annotations

import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.brix.lexer import TEXT, lex
from embrix.brix.said import said
from embrix.lanes.session import Session
from embrix.text.diagnostic import Findings
from embrix.text.source import Source, Span
from tests.conftest import TINY_LANGUAGE, Maker

LANE = """\
interpreter lane for Tiny
value Said
  Text(text: Text)  shown "{text}"
error Odd(n: Number)  "{n} of {joined(["one", "two"], " or ")}"
main run
define run(e: Expr) -> Said by e
  Lit(n) => if n == 13 then fail Odd(n) else Text(TEXT)
  _ => Text("more")
"""


@pytest.mark.parametrize(
    ("body", "shown"),
    [
        ('Text("{joined(["a", "b"], ", ")}")', "a, b"),
        # 7, then 77 between, then b}.
        ('Text("<{joined(["{n}", "b}"], "{n}{n}")}> {n}")', "<777b}> 7"),
        ('Text("{if n > 5 then "large" else "small"}")', "large"),
        ('Text("{joined(["\\"", "#"], "\\}")}") # said', '"}#'),
        ('Text(joined(["\\{", "a", "\\}"], ""))', "{a}"),
        ('Text("{n}") # "{n}', "7"),
    ],
)
def test_texts_stand_in_braces(make_course: Maker, body: str, shown: str) -> None:
    lines = LANE.replace("if n == 13 then fail Odd(n) else Text(TEXT)", body)
    course = make_course(tiny=TINY_LANGUAGE, lane=lines)
    assert [one.message for one in course.diagnostics] == []
    outcome = Session(course.folder).lane("Tiny", "lane").run("7").outcome
    assert (outcome.kind, outcome.text) == ("value", shown)


def test_a_sentence_of_an_error_has_them(make_course: Maker) -> None:
    course = make_course(tiny=TINY_LANGUAGE, lane=LANE.replace("TEXT", '"x"'))
    outcome = Session(course.folder).lane("Tiny", "lane").run("13").outcome
    assert (outcome.name, outcome.text) == ("Odd", "13 of one or two")


def test_what_is_wrong_in_them_has_its_place(make_course: Maker) -> None:
    wrong = LANE.replace("TEXT", '"{joined(["a", nn], ", ")}"')
    course = make_course(tiny=TINY_LANGUAGE, lane=wrong)
    (found,) = course.diagnostics
    assert found.code == "unknown_name"
    assert wrong[found.span.start : found.span.end] == "nn"


def kinds(text: str) -> list[tuple[str, str]]:
    return [(one.kind, one.text) for one in
            lex(Source("", text), Span(0, len(text)), Findings(), patterns=True)]  # fmt: skip


def test_braces_in_quotes_of_a_grammar_are_literals() -> None:
    assert kinds('"{" body "}"') == [("text", "{"), ("name", "body"), ("text", "}")]
    assert kinds('"}" "{" | "{{" x') == [
        ("text", "}"), ("text", "{"), ("symbol", "|"), ("text", "{{"), ("name", "x"),
    ]  # fmt: skip


PIECES = st.lists(st.sampled_from(['"', "{", "}", "a", "\\", "#", ", ", "f(", ")", " "]))


@given(PIECES)
@settings(max_examples=300, deadline=None)
def test_what_was_a_text_without_texts_in_it_still_is(pieces: list[str]) -> None:
    """Where the parts in braces hold no quotes nothing has changed."""
    line = "".join(pieces)
    plain = re.match(r'"(?:[^"\\\n]|\\[^\n])*"', line)
    now = re.match(TEXT, line)
    if plain is not None:
        assert now is not None
        assert now[0].startswith(plain[0][:-1])
        if now[0] != plain[0]:
            assert re.search(r"\{[^\"}]", plain[0])
            assert now[0].count('"') % 2 == 0 or "\\" in now[0]


@given(PIECES)
@settings(max_examples=300, deadline=None)
def test_only_a_comment_is_left_out_of_what_a_line_says(pieces: list[str]) -> None:
    line = "say " + "".join(pieces)
    kept = said(line)
    assert line.startswith(kept)
    assert kinds_anywhere(kept) == kinds_anywhere(line)


def kinds_anywhere(text: str) -> list[tuple[str, str]]:
    found = Findings()
    tokens = lex(Source("", text), Span(0, len(text)), found)
    return [(one.kind, one.text) for one in tokens]
