"""What was read can be written again: numbers, names handed on, lists over several lines."""

from __future__ import annotations

import json
import random
import textwrap

import pytest

from embrix.brix.core import Language
from embrix.course.load import Course
from embrix.grammar.lr import parser_of
from embrix.grammar.parser import Parsed
from embrix.grammar.printing import Printer
from embrix.lanes.inspection import look as look_at
from embrix.lanes.session import Session
from embrix.terms.node import same
from tests.conftest import Maker

JSON = """\
language Json
numbers float
tokens
  number  /-?\\d+(\\.\\d+)?([eE][+-]?\\d+)?/  as Number
  whole   /#\\d+/                           as Text
  text    /"[^"]*"/                         as Text
  skip    /[ \\t\\r\\n]+/
forms J
  Num(n: Number)
  Str(t: Text)
  Arr(items: List[J])
  Obj(fields: List[Field])
forms Field
  Pair(key: Text, value: J)
grammar
  start J
  J ::=
    | n:number makes Num
    | t:text makes Str
    | "[" items:list(J, ",") "]" makes Arr
    | "{" fields:list(Field, ",") "}" makes Obj
  Field ::= key:text ":" value:J makes Pair
"""


def read_back(language: Language, text: str, width: int | None = None) -> str:
    grammar = language.grammar
    assert grammar is not None
    parser = parser_of(grammar)
    parsed = parser.parse(text)
    assert isinstance(parsed, Parsed), parsed
    printed = Printer(grammar).show(parsed.term, width=width).text
    again = parser.parse(printed)
    assert isinstance(again, Parsed), printed
    assert same(again.term, parsed.term)
    return printed


def test_items_of_a_list_stand_below_each_other(make_course: Maker) -> None:
    """By hand."""
    language = make_course(json=JSON).languages["Json"]
    text = '{"a": [1, 22222222222, 3], "b": {"c": 4, "d": [5, 6]}, "e": "f"}'
    assert read_back(language, text, 24) == textwrap.dedent("""\
        {
          "a": [
            1.0,
            22222222222.0,
            3.0
          ],
          "b": {
            "c": 4.0,
            "d": [5.0, 6.0]
          },
          "e": "f"
        }""")


@pytest.mark.parametrize("width", [8, 20, 30, 45, 70])
def test_siblings_begin_at_one_column(make_course: Maker, width: int) -> None:
    """Whatever the width: the members of each object of random JSON."""
    chance = random.Random(width)

    def made(deep: int) -> object:
        kind = chance.randrange(4) if deep else 0
        if kind == 0:
            return chance.randrange(10 ** chance.randrange(1, 6))
        if kind == 1:
            return [made(deep - 1) for _ in range(chance.randrange(4))]
        return {f"k{n}": made(deep - 1) for n in range(chance.randrange(1, 4))}

    language = make_course(json=JSON).languages["Json"]
    for _ in range(25):
        printed = read_back(language, json.dumps(made(4)), width)
        stack: list[tuple[str, int]] = []
        for line in printed.splitlines():
            column = len(line) - len(line.lstrip())
            while stack and column < stack[-1][1]:
                stack.pop()
            if line.lstrip().startswith('"k'):
                if stack and stack[-1][0] == "member":
                    assert column == stack[-1][1] or column > stack[-1][1]
                stack.append(("member", column))
                assert column % 2 == 0


@pytest.mark.parametrize(
    ("numbers", "pattern", "texts"),
    [
        ("float", r"\d+", ["1", "0", "1000000000000000000000000"]),
        ("float", r"-?\d+(\.\d+)?(e-?\d+)?", ["1e-50", "-0.0", "1.5", "2e300", "1e22"]),
        ("rational", r"\d+(\.\d+)?(e-?\d+)?", ["1e-50", "0.125", "1e60", "0.00000000000000000000000001"]),  # noqa: E501
        ("rational", r"\d+\.\d\d", ["1.50", "0.10", "3.00"]),
        ("integer", r"0\d+", ["007", "01"]),
        ("integer", r"[+-]\d+", ["+5", "-5"]),
    ],
)  # fmt: skip
def test_every_number_that_was_read_is_written(
    make_course: Maker, numbers: str, pattern: str, texts: list[str]
) -> None:
    text = JSON.replace("numbers float", f"numbers {numbers}").replace(
        r"/-?\d+(\.\d+)?([eE][+-]?\d+)?/", f"/{pattern}/"
    )
    language = make_course(json=text).languages["Json"]
    for number in texts:
        assert "‹" not in read_back(language, f"[{number}]")


HANDED = """\
language Handed
tokens
  number  /\\d+/    as Number
  name    /[a-z]+/  as Name
  skip    / +/
forms E
  Num(n: Number)
  H(x: Name)
  Hs(xs: List[Name], y: Maybe[Name])
  Bin(l: E, op: Op, r: E)
forms Op
  Plus
  Times
grammar
  start E
  E ::= l:T op:Adding r:E makes Bin | T
  T : E ::= l:A op:Timing r:T makes Bin | A
  A : E ::= n:number makes Num | "h" x:P makes H | "hs" xs:P* y:Last? makes Hs
    | "(" E ")"
  P : Name ::= name | "<" Q ">"
  Q : Name ::= name
  Last : Name ::= "!" name
  Adding : Op ::= "+" makes Plus
  Timing : Op ::= "*" makes Times
"""


@pytest.mark.parametrize(
    ("text", "printed"),
    [
        ("h a", "h a"), ("h <a>", "h a"), ("hs a b <c> !d", "hs a b c ! d"), ("hs", "hs"),
        ("1 * 2", "1 * 2"), ("1 * 2 + 3 * 4", "1 * 2 + 3 * 4"), ("(1 + 2) * 3", "(1 + 2) * 3"),
    ],
)  # fmt: skip
def test_rules_that_hand_on_tokens_and_forms_of_several_alternatives(
    make_course: Maker, text: str, printed: str
) -> None:
    course = make_course(handed=HANDED)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    assert read_back(course.languages["Handed"], text) == printed


def test_trees_show_lists_of_leaves(make_course: Maker) -> None:
    session = Session(make_course(handed=HANDED).folder)
    shown = [look_at(session, "Handed", t).tree[0].leaves for t in ("hs", "hs a b", "hs a !c")]
    assert shown == ["xs [], y none", "xs [a, b], y none", "xs [a], y c"]


def test_no_shipped_program_is_printed_in_marks(lockside: Course) -> None:
    for name, language in lockside.languages.items():
        for path in lockside.programs[name]:
            text = path.read_text()
            for width in (None, 40, 80):
                assert "‹" not in read_back(language, text, width), path


WHOLE_FLOATS = """\
language Whole
numbers float
tokens
  number /\\d+/   as Number
  skip   / +/
forms E
  Lit(n: Number)
  Sum(a: E, b: E)
grammar
  start E
  E ::= | a:Atom "+" b:E makes Sum | Atom
    | "sum" a:Atom b:Atom makes Sum
  Atom : E ::= n:number makes Lit
    | "(" E ")"
"""


def test_alternatives_may_begin_on_the_line_of_the_rule(make_course: Maker) -> None:
    course = make_course(whole=WHOLE_FLOATS)
    assert not course.has_errors, [d.message for d in course.diagnostics]
    language = course.languages["Whole"]
    assert read_back(language, "(1) + sum 2 (3+4)") == "1 + 2 + 3 + 4"


def test_a_number_below_zero_is_shown_as_its_opposite_is_written(make_course: Maker) -> None:
    grammar = make_course(whole=WHOLE_FLOATS).languages["Whole"].grammar
    assert grammar is not None
    parsed = parser_of(grammar).parse("1 + 2")
    assert isinstance(parsed, Parsed)
    sum_tag, place, left, right = parsed.term
    for number, shown in ((-7.0, "‹-7›"), (-0.0, "‹-0›"), (7.0, "7"), (-0.5, "‹-0.5›")):
        term = (sum_tag, place, (*left[:2], number), right)
        assert Printer(grammar).show(term).text == f"{shown} + 2"
