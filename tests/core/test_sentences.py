"""Short sentences, derivations, parse steps and standard notations, held against the parser."""

from __future__ import annotations

import itertools

import pytest

from embrix.course.load import Course
from embrix.grammar.earley import EarleyParser
from embrix.grammar.ebnf import export
from embrix.grammar.forest import Forest
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Parsed, Refused
from embrix.grammar.pattern import read_pattern
from embrix.grammar.sentences import (
    Sentences,
    alike_terminals,
    bracketed,
    sample,
    sentence_text,
    shortest,
    yields,
)
from embrix.grammar.sets import sets_of
from embrix.grammar.steps import descent, shift_reduce
from tests.core.test_report import LAYERS, TABLE, grammar
from tests.core.test_syntax import QUAY, language


@pytest.fixture(scope="module")
def table() -> Grammar:
    found = language(TABLE).grammar
    assert found is not None
    return found


def test_the_sentences_of_a_length_are_those_that_the_parser_accepts(table: Grammar) -> None:
    """All rows of five terminals, tried one by one."""
    parser = EarleyParser(table)
    start = table.entry["E"]
    made = Sentences(table, apart=True).of(start, 5)
    assert made is not None
    terminals = [*range(len(table.tokens.literals)), table.tokens.terminal_of_kind("number")]
    accepted = {
        row
        for row in itertools.product(terminals, repeat=5)
        if not isinstance(parser.parse(sentence_text(table, row)), Refused)
    }
    assert made == accepted
    assert len(made) > 20


def test_every_sentence_of_an_unambiguous_grammar_has_one_tree(table: Grammar) -> None:
    sets, start = sets_of(table), table.entry["E"]
    for length in range(1, 6):
        for sentence in Sentences(table).of(start, length) or ():
            (tree,) = Forest(table, sets, start, sentence).derivations(2)
            assert yields(tree) == sentence


def test_trees_are_counted_as_catalan_numbers() -> None:
    """A doubled operator without rank: n operators have Catalan(n) trees."""
    doubled = grammar("S: S + S | a")
    sets, start = sets_of(doubled), doubled.entry["S"]
    plus, a = doubled.tokens.terminal_of_literal("+"), doubled.tokens.terminal_of_literal("a")
    for operators, expected in enumerate([1, 1, 2, 5, 14]):
        sentence = (a, *(plus, a) * operators)
        found = Forest(doubled, sets, start, sentence).derivations(100)
        assert len(found) == expected
        assert len({bracketed(doubled, tree) for tree in found}) == expected


def test_terminals_used_alike_stand_for_each_other() -> None:
    pair = grammar("S: S + S | S - S | a | b S b")
    alike = alike_terminals(pair)
    of = pair.tokens.terminal_of_literal
    assert alike[of("+")] == alike[of("-")]
    assert alike[of("a")] != alike[of("b")]


def test_shortest_sentences_are_shortest(table: Grammar) -> None:
    best = shortest(table)
    for left, sentence in best.items():
        for length in range(len(sentence)):
            assert not Sentences(table).of(left, length)


@pytest.mark.parametrize("pattern", ["[a-z]+", "\\d+(\\.\\d+)?", "(ab|c){2}", "[^a]", "x{3,5}"])
def test_a_sample_is_matched_by_its_pattern(pattern: str) -> None:
    import re

    assert re.fullmatch(pattern, sample(read_pattern(pattern)))


@pytest.mark.parametrize(
    "text", ["1", "1 + 1 * 1", "- (1 + - 1)", "( ( 1 ) )", "1 +", ") 1", "", "1 1"]
)
def test_shifts_and_reductions_agree_with_the_parser(table: Grammar, text: str) -> None:
    """The last step says accepted or refused as the parser does, and every token is read once."""
    steps = shift_reduce(table, text, "E")
    accepted = isinstance(EarleyParser(table).parse(text), Parsed)
    assert (steps[-1].action == "accepted") == accepted
    reads = [step.action.removeprefix("read ") for step in steps if step.action.startswith("read")]
    tokens = [text[t.start : t.end] for t in table.tokens.cut(text).tokens]
    assert reads == tokens[: len(reads)]
    if accepted:
        assert reads == tokens
        assert steps[-1].stack == "E"


def test_a_descent_takes_the_alternative_that_the_next_token_picks() -> None:
    """LL(1): worked out by hand on paper."""
    simple = grammar("S: ( S ) S | x ; T: x")
    steps = descent(simple, "(x)x", "S")
    assert steps is not None
    assert [step.action for step in steps] == [
        "take S → `(` S `)` S", "read (", "take S → `x`", "read x", "read )", "take S → `x`",
        "read x", "accepted",
    ]  # fmt: skip
    refused = descent(simple, "()", "S")
    assert refused is not None
    assert refused[-1].action == "refused: S is wanted here"
    assert descent(grammar("S: S a | b"), "b") is None


def test_layers_are_exported_as_they_are_written() -> None:
    layers = language(LAYERS).grammar
    assert layers is not None
    assert export(layers, "iso") == [
        'E = E, "+", T | T ;',
        'T = T, "*", F | F ;',
        'F = "-", F | A ;',
        'A = number | "(", E, ")" ;',
        "number = ? /[0-9]+/ ? ;",
        "(* skipped between tokens:  + *)",
    ]


def test_lists_and_options_are_exported_where_they_stand() -> None:
    quay = language(QUAY).grammar
    assert quay is not None
    iso, w3c = "\n".join(export(quay, "iso")), "\n".join(export(quay, "w3c"))
    assert '"say", Expr, { ",", Expr }' in iso
    assert '"say" Expr ("," Expr)*' in w3c
    assert '"take", name, [ number ], [ From ]' in iso
    assert '"take" name number? From?' in w3c
    assert 'Body ::= (Stmt (";" Stmt)*)?' in w3c


def test_the_shipped_language_is_what_its_report_says(lockside: Course) -> None:
    found = lockside.languages["Drip"].grammar
    assert found is not None
    sets = sets_of(found)
    names = {found.tokens.describe(t) for t in sets.first[found.entry["Expr"]]}
    assert names == {"`let`", "`-`", "`(`", "a number", "a name"}
    behind = {found.describe(t) for t in sets.follow[found.entry["Expr"]]}
    assert behind == {"`in`", "`)`", "the end of the program"}
