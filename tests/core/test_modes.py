"""Tokens that depend on what stands around them, words in any case, separators of any kind, and
classes of Unicode."""

from __future__ import annotations

import unicodedata
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from embrix.brix.core import Language
from embrix.grammar.ebnf import export
from embrix.grammar.lr import parser_of
from embrix.grammar.parser import Parsed, Refused
from embrix.grammar.pattern import BadPattern, contains, only_text, read_pattern
from embrix.grammar.printing import Printer
from embrix.grammar.unicode_classes import CLASSES
from embrix.terms.node import same
from tests.conftest import Maker
from tests.core.test_groups import grammar_of, plain

NOTICE = """\
language Notice
  extension "notice"
tokens
  words in any case
  skip    /[ \\n]+/
  skip    /\\(\\*/        enters comment
  number  /[0-9]+/      as Number
  name    /\\p{letter}+/ as Name
  open    /"/           enters quoted
  back    /\\}/          leaves
tokens in comment
  skip    /\\(\\*/        enters comment
  skip    /\\*\\)/        leaves
  skip    /[^(*]+|\\(|\\*/
tokens in quoted
  piece   /[^"{]+/
  splice  /\\{/          enters plain
  close   /"/           leaves
forms Board
  Rows(rows: List[Expr])
forms Expr
  Lit(n: Number)
  Var(x: Name)
  Add(left: Expr, right: Expr)
  Joined(parts: List[Part])
forms Part
  Chunk(t: Text)
  Inserted(e: Expr)
grammar
  start Board
  Board ::= "post" rows:list1(Expr, Break) "done"   makes Rows
  Break : Text ::= ";" | "then"
  operators Expr
    left "+" makes Add
    operand Atom
  Atom : Expr ::=
    | n:number               makes Lit
    | x:name                 makes Var
    | open parts:Part* close makes Joined
    | "(" Expr ")"
  Part ::= t:piece makes Chunk | splice e:Expr back makes Inserted
"""


@pytest.fixture
def notice(make_course: Maker) -> Language:
    course = make_course(notice=NOTICE)
    assert course.diagnostics == ()
    return course.languages["Notice"]


def read(language: Language, text: str) -> Any:
    parsed = parser_of(grammar_of(language)).parse(text)
    return plain(language, parsed.term) if isinstance(parsed, Parsed) else parsed


ONE, TWO = ("Lit", 1), ("Lit", 2)


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("post 1 done", [ONE]),
        ("POST 1 THEN 2 ; 1 Done", [ONE, TWO, ONE]),
        ("post (* a (* nested *) done *) 1 done", [ONE]),
        ("post (***) 1 (*(**)*) done", [ONE]),
        ('post "" done', [("Joined", [])]),
        ('post " a  (* b " done', [("Joined", [("Chunk", " a  (* b ")])]),
        ('post "{1}" done', [("Joined", [("Inserted", ONE)])]),
        (
            'post "gate {x + "in{ 2 }"} ok" + 1 done',
            [
                (
                    "Add",
                    (
                        "Joined",
                        [
                            ("Chunk", "gate "),
                            (
                                "Inserted",
                                (
                                    "Add",
                                    ("Var", "x"),
                                    ("Joined", [("Chunk", "in"), ("Inserted", TWO)]),
                                ),
                            ),
                            ("Chunk", " ok"),
                        ],
                    ),
                    ONE,
                )
            ],
        ),
        ("post størrelse + донный done", [("Add", ("Var", "størrelse"), ("Var", "донный"))]),
    ],
)
def test_what_a_text_means_depends_on_the_mode(
    notice: Language, text: str, rows: list[object]
) -> None:
    """Trees worked out by hand."""
    assert read(notice, text) == ("Rows", rows)


@pytest.mark.parametrize(
    ("text", "at", "piece"),
    [
        ("post 1 done (* a (* b *)", 12, "(*"),
        ("post (* (* done", 8, "(*"),
        ('post "abc done', 5, '"'),
        ('post "a{1 done', 7, "{"),
        ('post "a{1 + "b" done', 7, "{"),
    ],
)
def test_what_is_not_closed_is_told_where_it_begins(
    notice: Language, text: str, at: int, piece: str
) -> None:
    refused = read(notice, text)
    assert isinstance(refused, Refused)
    assert refused.by == "tokens"
    assert refused.span.start == at
    assert refused.message == f"`{piece}` is not closed before the end of the text"


def test_a_sign_that_leaves_where_nothing_was_entered_is_left_to_the_grammar(
    notice: Language,
) -> None:
    refused = read(notice, "post 1 } done")
    assert isinstance(refused, Refused)
    assert (refused.by, refused.span.start) == ("grammar", 7)


def test_every_character_is_in_one_piece(notice: Language) -> None:
    """Tokens and what is skipped cover a text, whatever the modes."""
    text = 'post (*a(*b*)*) "x { 1 + "y" } z" done'
    found = grammar_of(notice).tokens.cut(text)
    spans = sorted((t.start, t.end) for t in (*found.tokens, *found.skipped))
    assert "".join(text[start:end] for start, end in spans) == text
    assert not found.invalid


def quoted(expr: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    """Texts with expressions inserted: no two pieces stand side by side."""
    chunk = st.text(alphabet="ab (*)}\n;", min_size=1, max_size=6)
    inserted = expr.map(lambda inner: "{" + inner + "}")
    pairs = st.lists(st.tuples(st.one_of(st.just(""), chunk), inserted), max_size=3)
    return st.builds(
        lambda parts, last: '"' + "".join(a + b for a, b in parts) + last + '"',
        pairs, st.one_of(st.just(""), chunk),
    )  # fmt: skip


EXPRS = st.recursive(
    st.sampled_from(["1", "20", "x", "(* 1 *) y"]),
    lambda inner: st.one_of(quoted(inner), st.tuples(inner, inner).map(" + ".join)),
    max_leaves=8,
)


@settings(max_examples=80, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(rows=st.lists(EXPRS, min_size=1, max_size=3), width=st.sampled_from([None, 12, 30]))
def test_what_is_printed_is_read_as_the_same_term(
    notice: Language, rows: list[str], width: int | None
) -> None:
    """Nothing is put between the pieces of a quoted text, at any width."""
    parser = parser_of(grammar_of(notice))
    parsed = parser.parse(f"post {'; '.join(rows)} done")
    assert isinstance(parsed, Parsed)
    again = parser.parse(Printer(grammar_of(notice)).show(parsed.term, width=width).text)
    assert isinstance(again, Parsed)
    assert same(parsed.term, again.term)


def test_words_are_printed_as_the_grammar_writes_them(notice: Language) -> None:
    parsed = parser_of(grammar_of(notice)).parse('POST 1 Then "a{ 2 }" DONE')
    assert isinstance(parsed, Parsed)
    assert Printer(grammar_of(notice)).show(parsed.term).text == 'post 1; "a{2}" done'


def test_a_literal_that_is_captured_gives_the_text_of_the_grammar(make_course: Maker) -> None:
    course = make_course(
        gate="language Gate\ntokens\n  words in any case\n  skip / /\n"
        "forms Sign\n  Go(way: Text)\n"
        'grammar\n  start Sign\n  Sign ::= way:("up" | "down") makes Go\n'
    )
    assert course.diagnostics == ()
    assert read(course.languages["Gate"], "DoWn") == ("Go", "down")


def test_separators_may_be_line_ends_and_groups(make_course: Maker) -> None:
    course = make_course(
        a="language Slips\ntokens\n  number /[0-9]+/ as Number\n  skip /[ \\n]+/\n  lines newline\n"
        "forms Sheet\n  Sheet(rows: List[Row])\nforms Row\n  Row(parts: List[Number])\n"
        "grammar\n  start Sheet\n  Sheet ::= rows:list1(Row, newline) newline makes Sheet\n"
        '  Row ::= parts:list1(number, ("," | "and" "also")) makes Row\n'
    )
    assert course.diagnostics == ()
    language = course.languages["Slips"]
    text = "1, 2 and also 3\n4\n"
    assert read(language, text) == ("Sheet", [("Row", [1, 2, 3]), ("Row", [4])])
    parsed = parser_of(grammar_of(language)).parse(text)
    assert isinstance(parsed, Parsed)
    assert Printer(grammar_of(language)).show(parsed.term).text == "1, 2, 3\n4"
    rows = export(grammar_of(language), "w3c")
    assert any('number (( "," | "and" "also" ) number)*' in row for row in rows)


@pytest.mark.parametrize(
    ("old", "new", "code", "message"),
    [
        ("enters quoted", "enters quotd", "unknown_mode", "there are no tokens in quotd"),
        ("/\\(\\*/        enters comment\n  number", "/#/\n  number", "unused_mode",
         "no token enters comment, so its tokens are never read"),
        ("skip    /\\*\\)/        leaves", "skip    /\\*\\)/", "unused_mode",
         "no token leaves comment: it goes on to the end of the text"),
        ("tokens in quoted", "tokens quoted", "unreadable",
         "`in` stands before the name of a mode"),
        ("tokens in quoted", "tokens in plain", "unreadable",
         "tokens outside all modes are declared under `tokens` alone"),
        ("tokens in quoted", "tokens in quoted\n  invalid one by one", "unreadable",
         "`invalid` is said for all modes; found `one`"),
        ("\\p{letter}", "\\p{lettr}", "bad_pattern",
         "in the pattern of name: write \\p{letter} for a class of characters; did you mean "
         "letter?"),
        ('"done"', '("done" | "Done")', "declared_twice",
         "`done` and `Done` are one word where upper and lower case do not count"),
        ('Break : Text ::= ";" | "then"', 'Break : Text ::= piece | "then"', "dropped_part",
         "what Break reads between two parts is discarded"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_told(
    make_course: Maker, old: str, new: str, code: str, message: str
) -> None:
    assert NOTICE.count(old) == 1
    found = make_course(notice=NOTICE.replace(old, new)).diagnostics
    assert (code, message) in [(one.code, one.message) for one in found]


def test_classes_are_those_of_unicode() -> None:
    """Held against what Python's own texts say, and samples by hand."""
    letters, digits = read_pattern("\\p{letter}"), read_pattern("\\p{digit}")
    for code in (*range(0x3000), *range(0x1F000, 0x20100), 0x10FFFF, 0xE0100):
        assert contains(letters.ranges, code) == chr(code).isalpha(), hex(code)  # type: ignore[union-attr]
        assert contains(digits.ranges, code) == chr(code).isdecimal(), hex(code)  # type: ignore[union-attr]
    samples = {"upper": "AÉЖ", "lower": "aéж", "mark": "\u0301", "symbol": "+€∑",
               "punctuation": "!—«", "space": " \u00a0\u2003"}  # fmt: skip
    for name, members in samples.items():
        pattern = read_pattern(f"\\p{{{name}}}")
        others = read_pattern(f"[\\P{{{name}}}]")
        assert all(contains(pattern.ranges, ord(c)) for c in members)  # type: ignore[union-attr]
        assert not any(contains(others.ranges, ord(c)) for c in members)  # type: ignore[union-attr]
    assert {*samples, "letter", "digit"} == {*CLASSES}
    assert unicodedata.category("A") == "Lu"


def test_an_unknown_class_is_refused_with_the_nearest() -> None:
    with pytest.raises(BadPattern, match="did you mean upper"):
        read_pattern("\\p{uper}")
    with pytest.raises(BadPattern, match="known are letter"):
        read_pattern("\\p")


@pytest.mark.parametrize(
    ("pattern", "text"),
    [("\\(\\*", "(*"), ("a{3}", "aaa"), ("[x]", "x"), ("a|b", None), ("a?", None), ("[ab]", None)],
)
def test_the_only_text_of_a_pattern(pattern: str, text: str | None) -> None:
    assert only_text(read_pattern(pattern)) == text


def test_tokens_may_be_called_as_what_modes_do(make_course: Maker) -> None:
    text = """\
language Doors
tokens
  enters  /<+/
  leaves  />+/
forms Door
  Door(a: Text, b: Text)
grammar
  start Door
  Door ::= a:enters b:leaves makes Door
"""
    course = make_course(doors=text)
    assert [d.message for d in course.diagnostics] == []
    grammar = course.languages["Doors"].grammar
    assert grammar is not None
    assert isinstance(parser_of(grammar).parse("<<>"), Parsed)
