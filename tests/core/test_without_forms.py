"""A grammar that is written before its forms: texts are derived, and verdicts are given on it."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from embrix.grammar.ebnf import export
from embrix.grammar.lr_tables import items_text, sets_text
from embrix.grammar.report import report_on
from embrix.grammar.steps import descent, shift_reduce
from embrix.lanes.inspection import derivation, look
from embrix.lanes.session import Session
from embrix.messages.replies import Look
from embrix.services.sketch import how_far
from tests.conftest import TINY_LANGUAGE, Maker

BASIN = """\
language Basin
  extension "basin"
tokens
  number  /[0-9]+/   as Number
  name    /[a-z]+/   as Name
  skip    / +/
grammar
  start Expr
"""
LOOSE = '  Expr ::= n:number | x:name | left:Expr "-" right:Expr | "(" Expr ")"\n'
TABLE = """\
  Expr ::= "let" x:name "=" bound:Expr "in" body:Expr makes Let | Sum
  operators Sum : Expr
    right "::" makes Cons
    left "-" makes Sub
    prefix "-" makes Neg
    left a juxtaposed b makes Call
    operand Atom
  Atom : Expr ::= n:number makes Lit | x:name makes Var | "(" Expr ")"
"""


def seen(make_course: Maker, grammar: str, text: str) -> Look:
    return look(Session(make_course(basin=BASIN + grammar).folder), "Basin", text)


def brackets(found: list[tuple[int, str]]) -> str:
    """What belongs together in brackets, from rows with their depths; single parts without."""
    (depth, own), rest = found[0], found[1:]
    parts: list[list[tuple[int, str]]] = []
    for row in rest:
        if row[0] == depth + 1:
            parts.append([])
        parts[-1].append(row)
    if not parts:
        return own
    inside = [brackets(part) for part in parts]
    return inside[0] if len(inside) == 1 else f"[{' '.join(inside)}]"


def nested(rows: list) -> str:  # type: ignore[type-arg]
    return brackets([(row.depth, row.leaves) for row in rows])


def test_a_text_with_two_derivations(make_course: Maker) -> None:
    found = seen(make_course, LOOSE, "1 - 2 - x")
    assert found.refused is not None
    assert found.refused.kind == "ambiguous"
    assert {*map(nested, found.refused.trees)} == {"[[1 - 2] - x]", "[1 - [2 - x]]"}


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        # By the ranks of the table: calls first, then the prefix, then the two others.
        ("1 - 2 - 3", "[[1 - 2] - 3]"),
        ("a :: b :: c", "[a :: [b :: c]]"),
        ("1 - 2 :: 3", "[[1 - 2] :: 3]"),
        ("f x y - 1", "[[[f x] y] - 1]"),
        ("- f x - 1", "[[- [f x]] - 1]"),
        ("let a = (1) in - a", "[let a = [( 1 )] in [- a]]"),
    ],
)
def test_operators_nest_by_their_table(make_course: Maker, text: str, wanted: str) -> None:
    found = seen(make_course, TABLE, text)
    assert nested(found.tree) == wanted
    assert found.refused is not None
    assert found.refused.kind == "unfinished"
    wanted = "what Expr, Sum and Atom make is still to be written"
    assert found.refused.text.endswith(wanted)


def test_what_is_wrong_with_a_text_is_told_as_if_no_form_were_missing(make_course: Maker) -> None:
    found = seen(make_course, TABLE, "let a = 1 in )")
    assert found.tree == []
    assert found.refused is not None
    assert found.refused.text.startswith("`)`, but")
    assert found.refused.place == (13, 14)
    told = [found.refused.text, *(one.message for one in found.refused.mistakes)]
    assert not any("unfinished" in one for one in told)


def test_the_verdict_is_that_on_the_rules(make_course: Maker) -> None:
    loose, table = (
        make_course(basin=BASIN + grammar).languages["Basin"].grammar for grammar in (LOOSE, TABLE)
    )
    assert loose is not None
    assert table is not None
    found = report_on(loose)
    assert not found.lr1
    assert found.search.found is not None
    assert found.ambiguity[0].count("-") == 2
    assert report_on(table).lalr1


def test_what_else_is_said_of_the_rules(make_course: Maker) -> None:
    """Sets, items, the rules in another notation, the steps of parsers: no form is spoken of."""
    made = make_course(basin=BASIN + TABLE).languages["Basin"].grammar
    assert made is not None
    read = [step.action for step in shift_reduce(made, "1 - 2")]
    assert read[-1] == "accepted"
    assert any(action.startswith("end Sum") and "`-`" in action for action in read)
    falling = make_course(basin=BASIN + '  Expr ::= "(" e:Expr ")" | n:number\n')
    down = falling.languages["Basin"].grammar
    assert down is not None
    steps = descent(down, "(1)")
    assert steps is not None
    assert not any("refused" in step.action for step in steps)
    for lines in (sets_text(made, "Expr"), items_text(made, "Expr"), export(made, "iso")):
        assert lines
        assert not any("…" in line or "unwritten" in line for line in lines)


def test_only_the_alternative_without_a_form_lacks_one(make_course: Maker) -> None:
    """The others make theirs; a form that is misspelled lacks as well, and what is still to be
    written is no form."""
    text = TINY_LANGUAGE.replace("makes Let | Sum", 'makes Lte | Sum | "show" x:name todo "more"')
    session = Session(make_course(tiny=text).folder)
    plain = look(session, "Tiny", "1 + x")
    assert plain.refused is None
    assert plain.tree[0].form == "Add"
    bound = look(session, "Tiny", "let a = 1 in a + 1")
    assert nested(bound.tree) == "[let a = 1 in [a + 1]]"
    assert bound.refused is not None
    assert bound.refused.text.endswith("what Expr makes is still to be written")
    more = look(session, "Tiny", "show x")
    assert more.tree == []
    assert more.refused is not None
    assert "more" in more.refused.text


@pytest.mark.parametrize("name", ["drip", "eddy", "race"])
def test_programs_of_the_course_are_derived_as_with_forms(course_copy: Path, name: str) -> None:
    """The derivation does not rest on the forms."""
    language = name.capitalize()
    whole = Session(course_copy)
    programs = whole.course.programs[language]
    texts = [path.read_text() for path in programs]
    wanted = [derivation(whole, language, text) for text in texts]
    path = course_copy / name / f"{name}.brix"
    path.write_text(re.sub(r"(?ms)^forms .*?(?=^\S)", "", path.read_text()))
    bare = Session(course_copy)
    assert not bare.course.languages[language].signature.forms
    found = [look(bare, language, text) for text in texts]
    assert [[one.tree] for one in found] == wanted
    assert len(texts) > 2


def test_how_far_a_sketch_gets(make_course: Maker) -> None:
    session = Session(make_course(basin=BASIN + LOOSE).folder)
    parser = session.parser("Basin")
    for text, wanted in (("1 - x", "a derivation"), ("1 - x - 2", "several derivations")):
        stages = dict(how_far(session.course, "Basin", [], parser, text))
        assert stages["tree"] == f"none; {wanted} without forms"
        assert stages["obstacle"] == "what Expr makes is still to be written"
    stages = dict(how_far(session.course, "Basin", [], parser, "1 - -"))
    assert stages["obstacle"].startswith("1:5")
