"""Verdicts on grammars of known class, from the textbooks; ambiguity with its two trees."""

from __future__ import annotations

import pytest

from embrix.course.load import Course, load_course
from embrix.grammar.difference import compare_grammars
from embrix.grammar.earley import EarleyParser
from embrix.grammar.flatten import flatten
from embrix.grammar.lr import parser_of
from embrix.grammar.model import Alternative, Grammar, Item, Quoted, Rule, Use, fields_of
from embrix.grammar.report import report_on, report_text
from embrix.grammar.tokens import TokenTable
from embrix.terms.node import Constructor
from embrix.terms.signature import Signature
from embrix.text.source import Span
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_syntax import QUAY, language

UNIT = Constructor("Unit", 20, "S", (), (), is_form=True)


def grammar(text: str) -> Grammar:
    """`S: A a | b ; A: c |` — capitals are rules, all else literals; no tree matters here."""
    rules: list[Rule] = []
    literals: dict[str, None] = {}
    for line in text.split(";"):
        name, _, right = line.partition(":")
        alternatives = []
        for option in right.split("|"):
            items = []
            for word in option.split():
                if word[0].isupper():
                    items.append(Item(Use(word)))
                else:
                    literals[word] = None
                    items.append(Item(Quoted(word)))
            alternatives.append(Alternative(tuple(items), fields_of(UNIT), Span(0, 0)))
        rules.append(Rule(name.strip(), "S", tuple(alternatives), Span(0, 0)))
    tokens = TokenTable(tuple(literals), ())
    return flatten(tokens, Signature((UNIT,)), "integer", (rules[0].name,), rules)


TEXTBOOK = [
    # name, grammar, LL(1), LALR(1), LR(1), a shortest ambiguous sentence
    ("LL(1) and more", "S: a S b | c", True, True, True, ""),
    ("left recursion", "S: S a | b", False, True, True, ""),
    ("LL(1), not LALR(1)",
     "S: ( X | E ] | F ) ; X: E ) | F ] ; E: A ; F: A ; A: ", True, False, True, ""),
    ("LR(1), not LALR(1)",
     "S: a E a | b E b | a F b | b F a ; E: e ; F: e", False, False, True, ""),
    ("LR(2), not LR(1)", "S: A b c | B b d ; A: a ; B: a", False, False, False, ""),
    ("not LR(k), unambiguous", "S: a S a | b S b | c S c | a | b | c | ",
     False, False, False, ""),
    ("dangling else", "S: i S | i S e S | x", False, False, False, "i i x e x"),
    ("doubled operator", "S: S + S | a", False, False, False, "a + a + a"),
    ("inherently ambiguous",
     "S: E C | A F ; E: a E b | ; C: c C | ; A: a A | ; F: b F c | ",
     False, False, False, "(nothing)"),
    ("space in two places", "S: W a W | a ; W: _ | ", False, False, False, "a"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "text", "ll1", "lalr1", "lr1", "ambiguous"), TEXTBOOK)
def test_verdicts_are_those_of_the_textbooks(
    name: str, text: str, ll1: bool, lalr1: bool, lr1: bool, ambiguous: str
) -> None:
    report = report_on(grammar(text), length=7)
    assert (not report.ll1, report.lalr1, report.lr1) == (ll1, lalr1, lr1), name
    if ambiguous:
        assert report.ambiguity, name
        assert report.ambiguity[0] == ambiguous
        assert report.ambiguity[1] != report.ambiguity[2]
    else:
        assert not report.ambiguity
    assert (report.conflicts == ()) == lalr1


def test_an_unambiguous_grammar_is_never_called_ambiguous() -> None:
    """Palindromes of odd length are not LR(k) for any k; the search says how far it looked."""
    report = report_on(grammar("S: a S a | b S b | c"), length=9)
    assert not report.ambiguity
    odd = report_on(grammar("S: a S a | b S b | a | b"), length=9)
    assert not odd.ambiguity
    assert odd.search.length == 9
    assert any("none found up to length 9" in line for line in report_text(odd))


def test_a_conflict_is_told_by_an_example() -> None:
    """What was read, what comes next, and what each choice would mean."""
    loose = language(QUAY.replace(" greedy", "       ")).grammar
    assert loose is not None
    report = report_on(loose, "Stmt", length=6)
    (story,) = report.conflicts
    assert (story.read, story.next) == ("when a do skip", "else")
    assert story.choices == (
        "read on: Stmt → `when` Expr `do` Stmt • Else?",
        "end here: Else? → nothing",
    )
    sentence, first, second, where = report.ambiguity
    assert sentence == "when a do when a do skip else skip"
    assert {first, second} == {
        "[when a do [when a do skip] [else skip]]",
        "[when a do [when a do skip [else skip]]]",
    }
    assert "Stmt takes in when a do skip" in where


def test_greedy_and_operator_tables_decide_conflicts() -> None:
    tight = language(QUAY).grammar
    assert tight is not None
    report = report_on(tight, "Stmt")
    assert report.lalr1
    assert not report.conflicts


def test_invisible_characters_are_made_visible() -> None:
    """White space that is matched in two places: the trees are told apart by their rules."""
    text = """language Blank
tokens
  letter  /[a-z]/
  space   / +/
forms S
  Pair(left: S, right: S)
  One
grammar
  start S
  S ::= left:T right:T makes Pair
  T : S ::= letter space makes One | space letter makes One | letter makes One
"""
    from embrix.brix.language import check_language
    from embrix.brix.reader import read_definition
    from embrix.brix.syntax import LanguageSyntax
    from embrix.text.diagnostic import Findings
    from embrix.text.source import Source

    findings = Findings()
    syntax = read_definition(Source("blank", text), findings)
    assert isinstance(syntax, LanguageSyntax)
    checked = check_language(syntax, findings)
    assert checked.grammar is not None
    report = report_on(checked.grammar)
    sentence, first, second, where = report.ambiguity
    assert sentence == "a · a"
    assert {first, second} == {"[[a ·] a]", "[a [· a]]"}
    assert "T takes in a, or a ·" in where or "T takes in a ·, or a" in where


TABLE = """language Table
tokens
  number  /[0-9]+/  as Number
  skip    / +/
forms E
  Lit(n: Number)
  Add(left: E, right: E)
  Mul(left: E, right: E)
  Neg(arg: E)
grammar
  start E
  operators E
    left    "+" makes Add
    left    "*" makes Mul
    prefix  "-" makes Neg
    operand A
  A : E ::= n:number makes Lit | "(" E ")"
"""

LAYERS = (
    TABLE[: TABLE.index("  operators E")]
    + """\
  E ::= left:E "+" right:T makes Add | T
  T : E ::= left:T "*" right:F makes Mul | F
  F : E ::= "-" arg:F makes Neg | A
  A : E ::= n:number makes Lit | "(" E ")"
"""
)


def side(text: str) -> tuple[Grammar, EarleyParser, str]:
    checked = language(text).grammar
    assert checked is not None
    return checked, EarleyParser(checked), "E"


def test_layers_and_an_operator_table_read_alike() -> None:
    """The textbook's layers and the table give the same trees on all sentences up to length 7."""
    found = compare_grammars(side(TABLE), side(LAYERS), length=7)
    assert found.differences == ()
    assert found.length == 7
    assert found.tried > 200


CHANGES = [
    ('left    "+"', 'right   "+"', ("another tree", "1 + 1 + 1")),
    ('left    "*"', 'nonassociative "*"', ("only the first", "1 * 1 * 1")),
    ('"*" makes Mul', '"*" makes Mul "/" makes Mul', ("only the second", "1 / 1")),
    ('| "(" E ")"', '| "(" E ")" | "(" ")" makes Lit(0)', ("only the second", "( )")),
]


@pytest.mark.parametrize(("right", "wrong", "expected"), CHANGES)
def test_the_shortest_sentence_that_tells_two_versions_apart(
    right: str, wrong: str, expected: tuple[str, str]
) -> None:
    found = compare_grammars(side(TABLE), side(TABLE.replace(right, wrong)), length=5)
    first = found.differences[0]
    assert (first.kind, first.sentence) == expected


def test_a_difference_beyond_the_sentences_that_can_all_be_tried(lockside: Course) -> None:
    """`or` to the right in Rill: the shortest sentence that shows it has five tokens, and there
    are too many of those to try each of them."""
    rill = lockside.languages["Rill"]
    path = rill.source.path
    assert path is not None
    text = rill.source.text.replace('left            "or"', 'right           "or"')
    changed = load_course(lockside.folder, {path: text}).languages["Rill"]
    sides = [
        (grammar, parser_of(grammar), "Expr")
        for language in (rill, changed)
        if (grammar := language.grammar) is not None
    ]
    comparison = compare_grammars(sides[0], sides[1], 5)
    assert comparison.length < comparison.further == 5
    assert {d.kind for d in comparison.differences} == {"another tree"}
    assert any(d.sentence.split()[1::2] == ["or", "or"] for d in comparison.differences)


def test_what_is_still_to_be_written_stands_as_dots(make_course: Maker) -> None:
    """An alternative that is not all there conflicts in what can be read of it."""
    atom = 'Atom : Expr ::= n:number makes Lit | x:name makes Var | "(" Expr ")"'
    assert atom in TINY_LANGUAGE
    course = make_course(tiny=TINY_LANGUAGE.replace(atom, f'{atom} | Expr "?" Expr todo "more"'))
    made = course.languages["Tiny"].grammar
    assert made is not None
    stories = report_on(made).conflicts
    choices = [choice for story in stories for choice in story.choices]
    assert any(choice.endswith("Atom → Expr • `?` Expr …") for choice in choices)
    assert not any("todo" in choice for choice in choices)
