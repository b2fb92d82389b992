"""Languages that extend languages; several grammars over one set of forms; unwritten parts."""

from __future__ import annotations

import pytest

from embrix.checking.verdicts import check_suite
from embrix.course.load import Course
from embrix.grammar.lr import parser_of
from embrix.grammar.parser import Parsed, Refused
from embrix.grammar.printing import Printer
from embrix.lanes.session import Session
from embrix.terms.node import same
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_syntax import structure

WIDER = """\
language Wider extends Tiny
  extension "wider"

tokens
  note  /"[a-z]*"/    as Text

forms Expr
  Note(t: Text)
  Mul(left: Expr, right: Expr)
  Choose(test: Expr, yes: Expr, no: Expr)

grammar
  Expr ::=
    | "choose" test:Expr "then" yes:Expr "else" no:Expr   makes Choose
    | ...
  operators Sum
    ...
    left "*" makes Mul
  Atom ::= ... | t:note makes Note
"""


def tree(course: Course, name: str, text: str) -> str:
    language = course.languages[name]
    assert language.grammar is not None, [d.message for d in course.diagnostics]
    parsed = parser_of(language.grammar).parse(text)
    assert isinstance(parsed, Parsed), parsed
    return structure(language, parsed.term)


def test_what_a_base_has_is_widened(make_course: Maker) -> None:
    course = make_course(tiny=TINY_LANGUAGE, wider=WIDER)
    assert [d.message for d in course.diagnostics] == []
    text = 'choose 1 + 2 * x then let y = 1 in y else "no"'
    assert tree(course, "Wider", text) == (
        'Choose(Add(Lit(1), Mul(Lit(2), Var(x))), Let(y, Lit(1), Var(y)), Note("no"))'
    )
    base = course.languages["Tiny"].grammar
    assert base is not None
    assert isinstance(parser_of(base).parse("1 * 2"), Refused)


def test_the_place_of_the_levels_of_the_base_is_where_the_dots_stand(make_course: Maker) -> None:
    looser = WIDER.replace('    ...\n    left "*" makes Mul', '    left "*" makes Mul\n    ...')
    course = make_course(tiny=TINY_LANGUAGE, wider=looser)
    assert tree(course, "Wider", "1 + 2 * 3") == "Mul(Add(Lit(1), Lit(2)), Lit(3))"


def test_a_rule_is_changed_only_by_saying_so(make_course: Maker) -> None:
    silent = WIDER.replace("Atom ::= ... | t:note makes Note", "Atom ::= t:note makes Note")
    found = [d.code for d in make_course(tiny=TINY_LANGUAGE, wider=silent).diagnostics]
    assert "not_replaced" in found
    said = WIDER.replace("Atom ::= ... |", "replace Atom : Expr ::=")
    course = make_course(tiny=TINY_LANGUAGE, wider=said)
    assert tree(course, "Wider", '"a" + "b"') == 'Add(Note("a"), Note("b"))'
    assert {d.code for d in course.diagnostics} == {"unbuilt_form"}


def test_a_token_is_replaced_in_its_place(make_course: Maker) -> None:
    other = WIDER.replace("tokens\n", "tokens\n  replace number /[0-9]+h/ as Text\n")
    found = {d.code for d in make_course(tiny=TINY_LANGUAGE, wider=other).diagnostics}
    assert found == {"type_mismatch"}
    other = WIDER.replace("tokens\n", "tokens\n  replace number /[0-9]+|many/ as Number\n")
    course = make_course(tiny=TINY_LANGUAGE, wider=other)
    many = parser_of(course.languages["Wider"].grammars[""]).parse("many")
    assert isinstance(many, Refused)
    assert "cannot be read as a number" in many.message


@pytest.mark.parametrize(
    ("old", "new", "code", "text"),
    [
        ("extends Tiny", "extends Tinny", "unknown_language", "Tinny"),
        ("extends Tiny", "extends Wider", "unknown_language", "extends itself"),
        ("Note(t: Text)", "Var(t: Text)", "declared_twice", "Var"),
        ("Atom ::= ...", "Atoll ::= ...", "nothing_taken_over", "Atoll"),
        ("  Atom ::=", "  replace Atoll ::=", "nothing_taken_over", "Atoll"),
        ("tokens\n", "tokens\n  replace numbr /1/ as Number\n", "nothing_taken_over", "numbr"),
        ("    | ...\n", "    | ...\n    | ...\n", "declared_twice", "second time"),
        ("operators Sum\n    ...", "operators Sum", "not_replaced", "Sum"),
    ],
)
def test_faults_in_taking_over(
    make_course: Maker, old: str, new: str, code: str, text: str
) -> None:
    assert old in WIDER
    course = make_course(tiny=TINY_LANGUAGE, wider=WIDER.replace(old, new, 1))
    assert any(d.code == code and text in d.message for d in course.diagnostics), [
        (d.code, d.message) for d in course.diagnostics
    ]


def test_a_base_with_errors_is_told_once_and_hides_nothing_else(make_course: Maker) -> None:
    broken = TINY_LANGUAGE.replace("Add(left: Expr", "Add(left: Exprr")
    course = make_course(tiny=broken, wider=WIDER)
    codes = [(d.severity, d.code, d.source.name) for d in course.diagnostics]
    assert codes == [
        ("error", "unknown_type", "tiny.brix"), ("warning", "base_broken", "wider.brix"),
    ]  # fmt: skip
    assert "Wider" in course.languages


def test_what_turns_up_in_the_base_is_placed_there(make_course: Maker) -> None:
    """A rule of the base that the extension cuts off is reported at its own place."""
    cut_off = WIDER.replace("Atom ::= ... |", "replace Atom : Expr ::= n:number makes Lit |")
    course = make_course(tiny=TINY_LANGUAGE, wider=cut_off)
    found = [d for d in course.diagnostics if d.code == "unbuilt_form"]
    assert [(d.source.name, d.message) for d in found] == [
        ("tiny.brix", "in Wider: no rule of the grammar makes Var")
    ]


# ---------------------------------------------------------------------- several grammars

SHORT_AND_WORDY = """\
language Tide
  extension "tide"
tokens
  number  /[0-9]+/   as Number
  skip    / +/
forms Expr
  Lit(n: Number)
  Add(left: Expr, right: Expr)
grammar short
  start Expr
  operators Expr : Expr
    left "+" makes Add
    operand Atom
  Atom : Expr ::= n:number makes Lit | "(" Expr ")"
grammar wordy
  start Expr
  Expr ::=
    | "add" left:Expr "and" right:Expr "together"   makes Add
    | n:number                                      makes Lit
"""
SUMMING = """\
interpreter values for Tide
value Value
  Num(n: Number) shown Lit(n)
main run
define run(p: Expr) -> Value
  eval(p)
define eval(e: Expr) -> Value by e
  Lit(n) => Num(n)
  Add(left, right) =>
    let Num(a) = eval(left)
    let Num(b) = eval(right)
    Num(a + b)
"""
TIDE_SUITE = """\
language = "Tide"
[[case]]
name = "nested"
program = "1 + (2 + 3) + 4"
value = 10
[[case]]
name = "only short"
program = "1 +"
rejected = "grammar"
[[case]]
name = "wrong on purpose"
program = "1 + 1"
value = 3
"""


def test_two_grammars_make_and_print_the_same_terms(make_course: Maker) -> None:
    course = make_course(tide=SHORT_AND_WORDY)
    language = course.languages["Tide"]
    short, wordy = language.grammars["short"], language.grammars["wordy"]
    assert language.grammar is short
    one = parser_of(short).parse("1 + (2 + 3)")
    assert isinstance(one, Parsed)
    said = Printer(wordy).show(one.term).text
    assert said == "add 1 and add 2 and 3 together together"
    other = parser_of(wordy).parse(said)
    assert isinstance(other, Parsed)
    assert same(one.term, other.term)


def test_a_suite_runs_under_any_grammar(make_course: Maker) -> None:
    course = make_course(tide=SHORT_AND_WORDY, values=SUMMING)
    path = course.folder / "tide.suite.toml"
    path.write_text(TIDE_SUITE)
    for grammar in (None, "wordy"):
        session = Session(course.folder)
        report = check_suite(session, path, None, grammar)
        states = [case.verdicts[0].state for case in report.cases]
        assert states == ["passed", "passed", "failed"], grammar
    session.use_grammar("Tide", "wordy")
    assert session.lane("Tide", "values").run("add 1 and 2 together").outcome.text == "3"


def test_an_unwritten_part_stops_reading_there_and_nowhere_else(make_course: Maker) -> None:
    unwritten = TINY_LANGUAGE.replace(
        '"(" Expr ")"', '"(" Expr ")" | "when" test:todo "conditions" makes Var(x otherwise 1)'
    )
    found = make_course(tiny=unwritten).diagnostics
    assert found, "the template refers to nothing"
    course = make_course(tiny=TINY_LANGUAGE.replace('"(" Expr ")"', '"(" Expr ")" | todo "calls"'))
    assert [(d.severity, d.code) for d in course.diagnostics] == [("warning", "unfinished")]
    grammar = course.languages["Tiny"].grammar
    assert grammar is not None
    parsed = parser_of(grammar).parse("1 + 2")
    assert isinstance(parsed, Parsed)
    assert Printer(grammar).show(parsed.term).text == "1 + 2"
    refused = parser_of(grammar).parse("1 + )")
    assert isinstance(refused, Refused)
    assert "an unfinished part of the grammar (calls)" in refused.expected


SIGNS = """\
language Reg
tokens
  number /[0-9]+/ as Number
  skip / +/
forms E
  N(n: Number)
  Both(a: E, op: Text, b: E)
grammar
  start E
  E ::=
    | a:E op:Sign b:Last makes Both
    | Last
  Last : E ::= n:number makes N
  Sign : Text ::= "plus" | "less" | Mark
  Mark : Text ::= "-"
"""
SUMS = """\
interpreter sums for Reg
main run
define run(e: E) -> Number by e
  N(n) => n
  Both(a, "plus", b) => run(a) + run(b)
  Both(a, "less", b) => run(a) - run(b)
  Both(a, "-", b) => run(a) - run(b)
  no clause Both(_, _, _) "no such sign"
"""
OTHER = """\
interpreter other for Reg extends sums
replace run(e)
  Both(a, "plus", b) => run(b) - run(a)
"""


def test_a_literal_hands_on_its_text_and_a_neighbour_is_extended_by_name(
    make_course: Maker,
) -> None:
    course = make_course(reg=SIGNS, sums=SUMS, other=OTHER)
    assert [one.message for one in course.diagnostics if one.code != "no_judgement"] == []
    session = Session(course.folder)
    text = "9 plus 1 less 3 - 4"
    told = {name: session.lane("Reg", name).run(text).outcome.text for name in ("sums", "other")}
    assert told == {"sums": "3", "other": "-15"}


def test_a_let_of_the_base_that_new_values_do_not_fit_is_warned_of(make_course: Maker) -> None:
    """At the value that is declared here; not where another clause stands in its place, nor for
    what the base has itself."""
    base = """interpreter base for Tiny
value Value
  Num(n: Number)
main run
define run(p: Expr) -> Value
  eval(p)
define eval(e: Expr) -> Value by e
  Lit(n) => Num(n)
  Add(a, b) =>
    let Num(m) = eval(a)
    let Num(n) = eval(b)
    Num(m + n)
"""
    wider = """interpreter wider for Tiny extends Tiny.base
extend value Value
  Truth(b: Bool)
  Unknown
"""
    language = "language Tiny\nforms Expr\n  Lit(n: Number)\n  Add(a: Expr, b: Expr)\n"
    course = make_course(tiny=language, base=base, wider=wider)
    found = [(one.source.name, one.source.position(one.span.start)[0], one.message)
             for one in course.diagnostics if one.code == "partial_let"]  # fmt: skip
    assert sorted(found) == [
        ("wider.brix", 3, f"the `let` taken over from base.brix:{line} does not match Truth(_), "
         "Unknown: a run gets stuck there")
        for line in (10, 11)
    ]  # fmt: skip
    replaced = wider + "replace eval(e)\n  Add(_, _) => Unknown\n"
    course = make_course(tiny=language, base=base, wider=replaced)
    assert [one.code for one in course.diagnostics if one.code == "partial_let"] == []
