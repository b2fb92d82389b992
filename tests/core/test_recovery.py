"""All mistakes of one text: the first one as the parser tells it, the others where they are."""

from __future__ import annotations

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.grammar.earley import EarleyParser
from embrix.grammar.lr import parser_of
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Refused
from embrix.grammar.recovery import MOST_MISTAKES, Mishap, mishaps
from embrix.text.source import Source, Span
from tests.conftest import Maker


def grammar_of(course: Course, language: str) -> Grammar:
    grammar = course.languages[language].grammar
    assert grammar is not None
    return grammar


def told(grammar: Grammar, text: str, fuel: int | None = None) -> tuple[Mishap, ...]:
    refused = parser_of(grammar).parse(text)
    assert isinstance(refused, Refused), text
    return mishaps(grammar, text, refused, **({} if fuel is None else {"fuel": fuel}))


# Written down by hand: where a reader of the program sees something wrong.
PLANTED = [
    ("Drip", "1 + (2 * 3", ["1:11"]),
    ("Drip", "let a = in a + * 2", ["1:9", "1:16"]),
    ("Drip", "let a 1 in let b = 2 in (a + b) )", ["1:7", "1:33"]),
    ("Drip", "1 § 2 + 3 ? 4", ["1:3", "1:11"]),
    ("Drip", "1 + $$$ 2", ["1:5"]),
    ("Drip", "1 + + $ 2", ["1:7", "1:5"]),
    ("Drip", "1 2 $ 3", ["1:5", "1:3"]),
    ("Drip", "", ["1:1"]),
    ("Weir", "new x := ;\nnew y := 2;\nshow x +;\nx := 3;\nwhile x < do x := 2",
     ["1:10", "3:9", "5:11"]),
    ("Weir", "new x = 1;\nshow x;\nnew y = 2;\nshow y;\nnew z = 3;\nshow z", ["1:7", "3:7", "5:7"]),
    ("Rill", "let f of x = when x the 1 else 2 in f)", ["1:27", "1:38"]),
]  # fmt: skip


@pytest.mark.parametrize(("language", "text", "places"), PLANTED)
def test_planted_mistakes_are_found(
    lockside: Course, language: str, text: str, places: list[str]
) -> None:
    source = Source("", text)
    found = told(grammar_of(lockside, language), text)
    assert ["{}:{}".format(*source.position(one.span.start)) for one in found] == places


def test_each_broken_line_is_one_mistake(lockside: Course) -> None:
    """Thirty broken assignments among sound ones: the first twenty are told, each at its sign."""
    lines = [f"new a{n} {'=' if n % 3 == 0 else ':='} {n};" for n in range(90)]
    text = "\n".join([*lines, "show 1"])
    found = told(grammar_of(lockside, "Weir"), text)
    source = Source("", text)
    assert len(found) == MOST_MISTAKES
    assert [source.position(one.span.start)[0] for one in found] == [
        1 + 3 * n for n in range(MOST_MISTAKES)
    ]


WORDS = {
    "Drip": ["let", "in", "(", ")", "+", "-", "*", "/", "=", "x", "1"],
    "Rill": ["let", "of", "in", "when", "then", "else", "given", ":", "(", ")", "+", "<", "f", "1"],
    "Weir": ["new", ":=", ";", "show", "while", "do", "{", "}", "x", "1", "+", "[", "]"],
}


@pytest.mark.parametrize("language", WORDS)
def test_the_first_mistake_is_where_the_parser_stops(lockside: Course, language: str) -> None:
    """The recovery reads by items of its own; without the parser's answer it must come to the same
    place with the same words."""
    grammar = grammar_of(lockside, language)
    chance = random.Random(f"{language} 7")
    refusals = 0
    for _ in range(150):
        text = " ".join(chance.choices(WORDS[language], k=chance.randrange(1, 12)))
        parsed = EarleyParser(grammar).parse(text)
        if not isinstance(parsed, Refused) or parsed.by == "tokens":
            continue
        refusals += 1
        # Another first answer is handed in, so that the own one is told as well.
        elsewhere = Refused("grammar", "", Span(-1, -1), parsed.tokens)
        others = mishaps(grammar, text, elsewhere, fuel=3_000)[1:]
        assert (others[0].message, others[0].span) == (parsed.message, parsed.span), text
    assert refusals > 60


GREEDY = """\
language Greedy
tokens
  name /[a-z]+/ as Name
  skip / +/
forms S
  Row(xs: List[Name])
  Two(a: S, b: S)
grammar
  start S
  S ::= "[" xs:name* "]" makes Row | a:S b:S makes Two | "(" S ")"
"""


ELSES = """\
language Elses
tokens
  name /[a-z]+/ as Name
  skip / +/
forms S
  Name(x: Name)
  If(x: Name, yes: S, no: Maybe[S])
  Else(x: Name)
grammar
  start S
  S ::= "if" x:name yes:S no:Part? greedy makes If | x:name makes Name
  Part : S ::= "else" x:name makes Else
"""


def test_greedy_parts_end_where_the_parser_ends_them(make_course: Maker) -> None:
    """An `else` that the inner `if` takes is not there for the outer one."""
    grammar = grammar_of(make_course(a=ELSES), "Elses")
    chance = random.Random(11)
    refusals = 0
    for _ in range(200):
        text = " ".join(chance.choices(["if", "else", "a"], k=chance.randrange(1, 9)))
        parsed = EarleyParser(grammar).parse(text)
        if isinstance(parsed, Refused):
            refusals += 1
            elsewhere = Refused("grammar", "", Span(-1, -1), parsed.tokens)
            first = mishaps(grammar, text, elsewhere, fuel=3_000)[1]
            assert (first.message, first.span) == (parsed.message, parsed.span), text
    assert refusals > 100


TWO_STARTS = """\
language Starts
tokens
  name /[a-z]+/ as Name
  skip / +/
forms S
  Name(x: Name)
  Set(x: Name, to: S)
  Put(x: Name, to: S)
grammar
  start Short, Long
  Short : S ::= x:name makes Name
  Long : S ::= "set" x:name "to" to:Short ";" makes Set | "put" x:name "to" to:Long makes Put
"""


def test_mistakes_are_those_from_the_start_that_reads_furthest(make_course: Maker) -> None:
    """A text that can begin with `set` is no name with something behind it."""
    grammar = grammar_of(make_course(a=TWO_STARTS), "Starts")
    text = "put a to to put a to put a to set c to to b ;"
    refused = EarleyParser(grammar).parse(text)
    assert isinstance(refused, Refused)
    source = Source("", text)
    found = [source.position(one.span.start)[1] for one in mishaps(grammar, text, refused)]
    assert found == [10, 40]


@given(st.lists(st.sampled_from(["[", "]", "(", ")", "a"]), max_size=14))
def test_recovery_ends_and_stays_inside_the_text(make_course: Maker, words: list[str]) -> None:
    grammar = grammar_of(make_course(a=GREEDY), "Greedy")
    text = " ".join(words)
    refused = EarleyParser(grammar).parse(text)
    if not isinstance(refused, Refused):
        return
    found = mishaps(grammar, text, refused)
    assert found[0] == Mishap(refused.message, refused.span)
    starts = [one.span.start for one in found]
    assert len(set(starts)) == len(starts) <= MOST_MISTAKES
    assert starts == sorted(starts)
    assert all(0 <= one.span.start <= one.span.end <= max(1, len(text)) for one in found)


def test_one_edit_of_a_sound_text_is_mostly_one_mistake(lockside: Course) -> None:
    """One token of a sound program left out, doubled or replaced is mostly one place where reading
    stops; seldom do a few others follow from it."""
    grammar = grammar_of(lockside, "Rill")
    parser = parser_of(grammar)
    text = "let f of x = when x < 2 then 1 else x * f (x - 1) in let y = f 5 in (y + 1) * 2"
    tokens = [text[t.start : t.end] for t in grammar.tokens.cut(text).tokens]
    counts: dict[int, int] = {}
    for at in range(len(tokens)):
        for instead in ([], [tokens[at]] * 2, [")"]):
            made = " ".join([*tokens[:at], *instead, *tokens[at + 1 :]])
            refused = parser.parse(made)
            if isinstance(refused, Refused):
                many = len(mishaps(grammar, made, refused))
                counts[many] = counts.get(many, 0) + 1
    assert sum(counts.values()) > 40
    assert counts[1] >= 0.85 * sum(counts.values())
    assert max(counts) <= 4


def test_fuel_ends_the_search_and_keeps_the_first_mistake(lockside: Course) -> None:
    grammar = grammar_of(lockside, "Weir")
    text = "new x = 1; " * 400 + "show x"
    assert len(told(grammar, text, fuel=50)) == 1
    assert len(told(grammar, text)) == MOST_MISTAKES
