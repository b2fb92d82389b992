"""Groups of alternatives inside rules and operator tables."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.brix.core import Language
from embrix.course.load import load_course
from embrix.grammar.ebnf import export
from embrix.grammar.lr import parser_of
from embrix.grammar.model import Grammar
from embrix.grammar.parser import Parsed, Refused
from embrix.grammar.printing import Printer
from embrix.grammar.report import report_on, report_text
from embrix.services.form_repair import with_form
from embrix.terms.node import CONS, FIELDS, NIL, NONE, SOME, Value, list_items, same
from tests.conftest import Maker
from tests.strategies import terms

SLUICE = """\
language Sluice
  extension "sluice"
tokens
  skip    /[ \\n]+/
  number  /[0-9]+/  as Number
  name    /[a-z]+/
forms Stmt
  Seq(parts: List[Stmt])
  Raise(gate: Text, by: Number, more: List[Number])
  Move(way: Text, to: Expr)
  Note(words: List[Text])
  Cases(cases: List[Choice])
forms Choice
  Case(n: Number, to: Expr)
forms Expr
  Lit(n: Number)
  Var(x: Text)
  Bin(op: Text, left: Expr, right: Expr)
  Pair(first: Expr, second: Maybe[Expr])
grammar
  start Stmt
  Stmt ::=
    | parts:(Step ("." | ";"))+                      makes Seq
  Step : Stmt ::=
    | "raise" gate:("upper" | "lower") "by" by:number more:("," number)*  makes Raise
    | way:("open" | "shut") ("the" "gate")? to:Expr  makes Move
    | "note" words:(name | "the")+                   makes Note
    | cases:("case" n:number "to" to:Expr makes Case)+
      ("end" | "over" "now")                         makes Cases
  operators Expr
    left op:("+" | "-") makes Bin(op, left, right)
    left op:("*" | "/") makes Bin(op, left, right)
    operand Atom
  Atom : Expr ::=
    | n:number makes Lit
    | x:name makes Var
    | "(" Expr ")"
    | "<" first:Expr second:("|" Expr)? ">"          makes Pair
"""


@pytest.fixture
def sluice(make_course: Maker) -> Language:
    course = make_course(sluice=SLUICE)
    assert course.diagnostics == ()
    return course.languages["Sluice"]


def grammar_of(language: Language) -> Grammar:
    assert language.grammar is not None
    return language.grammar


def plain(language: Language, value: Value) -> Any:
    """A term as Python's own lists and tuples."""
    if not isinstance(value, tuple):
        return value
    if value[0] in (CONS, NIL):
        return [plain(language, one) for one in list_items(value)]
    if value[0] in (NONE, SOME):
        return plain(language, value[FIELDS]) if value[0] == SOME else None
    form = language.signature.by_tag[value[0]]
    return (form.name, *(plain(language, one) for one in value[FIELDS:]))


@pytest.mark.parametrize(
    ("text", "tree"),
    [
        ("raise upper by 3.", [("Raise", "upper", 3, [])]),
        ("raise lower by 3, 4, 5;", [("Raise", "lower", 3, [4, 5])]),
        ("open 7. shut the gate x;",
         [("Move", "open", ("Lit", 7)), ("Move", "shut", ("Var", "x"))]),
        ("note the dog the.", [("Note", ["the", "dog", "the"])]),
        ("case 1 to 2 case 3 to x end.",
         [("Cases", [("Case", 1, ("Lit", 2)), ("Case", 3, ("Var", "x"))])]),
        ("case 1 to 2 over now.", [("Cases", [("Case", 1, ("Lit", 2))])]),
        ("open <1>.", [("Move", "open", ("Pair", ("Lit", 1), None))]),
        ("open <1 | 2>.", [("Move", "open", ("Pair", ("Lit", 1), ("Lit", 2)))]),
        ("open 2 + 3 * 4 - 1.",
         [("Move", "open", ("Bin", "-", ("Bin", "+", ("Lit", 2),
                                         ("Bin", "*", ("Lit", 3), ("Lit", 4))), ("Lit", 1)))]),
    ],
)  # fmt: skip
def test_groups_give_what_stands_in_them(sluice: Language, text: str, tree: object) -> None:
    parsed = parser_of(grammar_of(sluice)).parse(text)
    assert isinstance(parsed, Parsed), text
    assert plain(sluice, parsed.term) == ("Seq", tree)


def test_a_refusal_speaks_of_the_group_as_it_is_written(sluice: Language) -> None:
    refused = parser_of(grammar_of(sluice)).parse("raise 3.")
    assert isinstance(refused, Refused)
    assert refused.message == "`3`, but `upper` or `lower` could stand here"


@given(data=st.data())
@settings(max_examples=80)
def test_what_is_printed_is_read_as_the_same_term(data: st.DataObject) -> None:
    language = _shared()
    grammar = grammar_of(language)
    texts = st.sampled_from(["the", "dog", "lamp"])
    words = data.draw(st.lists(texts, min_size=1, max_size=3))
    term = data.draw(terms(language.signature, "Expr", 4))
    gate = data.draw(st.sampled_from(["upper", "lower"]))
    way = data.draw(st.sampled_from(["open", "shut"]))
    printer = Printer(grammar)
    expr = printer.show(_writable(term, data), "Expr").text
    text = f"raise {gate} by 3, 4; note {' '.join(words)}. {way} {expr}; case 1 to {expr} end."
    parsed = parser_of(grammar).parse(text)
    assert isinstance(parsed, Parsed), text
    again = parser_of(grammar).parse(printer.show(parsed.term).text)
    assert isinstance(again, Parsed)
    assert same(parsed.term, again.term)


_KNOWN: list[Language] = []


def _shared() -> Language:
    if not _KNOWN:
        from pathlib import Path
        from tempfile import TemporaryDirectory

        with TemporaryDirectory() as place:
            Path(place, "course.toml").write_text('title = "groups"\n')
            Path(place, "sluice.brix").write_text(SLUICE)
            _KNOWN.append(load_course(Path(place)).languages["Sluice"])
    return _KNOWN[0]


def _writable(term: Value, data: st.DataObject) -> Value:
    """The term with signs that the grammar has, and with names and numbers that it can write."""
    assert isinstance(term, tuple)
    language = _shared()
    form = language.signature.by_tag.get(term[0])
    fields = [_writable(one, data) if isinstance(one, tuple) else one for one in term[FIELDS:]]
    if form is not None and form.name == "Bin":
        fields[0] = data.draw(st.sampled_from("+-*/"))
    if form is not None and form.name == "Var":
        fields[0] = "x"
    if form is not None and form.name == "Lit":
        fields[0] = abs(int(fields[0]))
    return (*term[:FIELDS], *fields)


def test_equal_groups_are_one_and_stand_where_they_are_used(sluice: Language) -> None:
    grammar = grammar_of(sluice)
    names = [grammar.names[left] for left in grammar.groups]
    assert len(set(names)) == len(names)
    assert '("," number)' in names
    assert not set(names) & set(grammar.entry)
    rows = export(grammar, "w3c")
    assert 'Step ::= "raise" ( "upper" | "lower" ) "by" number ( "," number )*' in rows[1]
    assert not any(row.startswith("(") for row in rows)


def test_the_report_names_groups_in_the_author_s_words(sluice: Language) -> None:
    text = "\n".join(report_text(report_on(grammar_of(sluice))))
    assert '("+" | "-")' in text
    assert "LALR(1)    yes" in text


def told(make_course: Maker, old: str, new: str) -> list[tuple[str, int, str]]:
    assert SLUICE.count(old) == 1, old
    course = make_course(sluice=SLUICE.replace(old, new))
    return [
        (one.code, one.source.position(one.span.start)[0], one.message)
        for one in course.diagnostics
    ]


@pytest.mark.parametrize(
    ("old", "new", "code", "message"),
    [
        ('more:("," number)*', 'more:("," number number)*', "makes_nothing",
         "this alternative makes no form, and it has two parts that could be handed on instead of "
         "one"),
        ('more:("," number)*', 'more:("," numbers)*', "unknown_rule",
         "there is no rule called numbers"),
        ('more:("," number)*', 'more:(number?)*', "empty_repetition",
         "(number?) can be empty, so repeating it has no end"),
        ('gate:("upper" | "lower")', 'gate:("upper" | )', "unreadable",
         "an alternative of a group holds at least one part; found `)`"),
        ('("the" "gate")?', '("the" "gate"', "unreadable",
         "this group is not closed where its line ends"),
        ('more:("," number)*', 'more:{"," number}', "other_habit",
         "what repeats stands in round brackets here, with a * behind them"),
        ('("the" "gate")?', '["the" "gate"]', "other_habit",
         "what may be left out stands in round brackets here, with a ? behind them"),
        ('gate:("upper" | "lower")', 'gate:("upper" | number)', "type_mismatch",
         'this hands on Number, but the group ("upper" | number) is of type Text'),
    ],
)  # fmt: skip
def test_what_is_wrong_in_a_group_is_told_at_its_line(
    make_course: Maker, old: str, new: str, code: str, message: str
) -> None:
    line = SLUICE[: SLUICE.index(old)].count("\n") + 1
    found = told(make_course, old, new)
    assert found == [(code, line, message)]


def test_a_rule_that_only_a_group_uses_is_reached_and_renamed_there(make_course: Maker) -> None:
    text = SLUICE.replace('("|" Expr)?', '("|" Other)?') + "  Other : Expr ::= n:number makes Lit\n"
    course = make_course(sluice=text)
    assert course.diagnostics == ()


def test_a_form_made_in_a_group_can_be_declared_from_it() -> None:
    text = SLUICE.replace("forms Choice\n  Case(n: Number, to: Expr)\n", "forms Choice\n")
    text = text.replace("makes Raise", "makes Rise")
    made = with_form(text, text.index("Rise"))
    assert made is not None
    assert "Rise(gate: Text, by: Number, more: List[Number])" in made
