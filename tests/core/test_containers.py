"""Maps, sets, texts and lists in a definition: what they are when nothing tells, their size, what
is taken away, and what stands beside `match` and `on`."""

from __future__ import annotations

import pytest

from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.text.diagnostic import Diagnostic
from tests.conftest import TINY_LANGUAGE, Maker
from tests.core.test_reference import held_against

LANE = """\
interpreter lane for Tiny
main run
error Bad "bad"
define run(p: Expr) -> Text
  let m = made(empty with "a" = 3)
  "{m}"
define risky(n: Number) -> Number
  if n == 0 then fail Bad else n
define knotted(n: Number) -> Text
  let rec all = empty with name_of("f") = risky(n)
  "tied"
define total(m: Map[Name, Number]) -> Number
  m[name_of("x")] + m[name_of("y")] + (m[name_of("z")] otherwise 0)
law size(empty with x = 1) == 1
define made(m: Map[Text, Number]) -> TYPE
"""
ENV = """\
let env = empty with name_of("x") = 1 with name_of("y") = 2 with name_of("x") = 3
"""
NAMES = 'empty with name_of("x") = 1 with name_of("y") = 2'
WORKED_OUT = [
    ("Int", "size(m)", "1"),
    ("Int", "size(m with \"b\" = 1 with \"a\" = 2)", "2"),
    ("Int", "size([7, 8])", "2"),
    ("Int", 'size("lock")', "4"),
    ("Int", "size(added(added(empty, 1), 1))", "1"),
    ("Int", "size(empty with 4 = 3 with 5 = 1 with 4 = 2)", "2"),
    ("Int", "size([])", "0"),
    ("List[Text]", 'keys(removed(m with "b" = 1, "a"))', "[b]"),
    ("List[Text]", 'keys(removed(m, "c"))', "[a]"),
    ("List[Name]", f"{ENV}  keys(env)", "[x, y]"),
    ("List[Number]", f"{ENV}  map(keys(env), fn(name) => env[name])", "[3, 2]"),
    ("Number", f'{ENV}  let rec all = env with name_of("f") = number(size(keys(all)))\n'
     '  all[name_of("f")]', "3"),
    # The value of a knot is worked out once where it does not mention the knot.
    ("Number", f'{ENV}  let rec all = env with name_of("f") = risky(4)\n'
     '  all[name_of("f")] + all[name_of("f")]', "8"),
    ("Text", 'attempt knotted(0)\n    on Bad => "when it is tied"', "when it is tied"),
    ("List[Name]", f'{ENV}  let rec all = env with name_of("f") = 7\n  keys(all)', "[f, x, y]"),
    ("List[Number]", "items(removed(added(added(empty, 1), 2), 1))", "[2]"),
    ("List[Int]", 'codes("aé船")', "[97, 233, 33337]"),
    ("Text", "text_of([97, 233, 33337])", "aé船"),
    ("Text", "text_of([55296, 1114112, 104])", "��h"),
    ("Text", 'text_of(codes("upper lock"))', "upper lock"),
    ("Name", 'name_of("rate")', "rate"),
    # What is wanted of it later says that it is a map.
    ("Int", f"let names = {NAMES}\n  size(names)", "2"),
    ("Number", f"let names = {NAMES}\n  total(names)", "3"),
    ("Number", f'let names = {NAMES}\n  let more = names with name_of("z") = 4\n  total(more)',
     "7"),
    ("Number", f"let names = {NAMES}\n  let (a, b) = (names, 1)\n  total(a)", "3"),
    ("Number", f'let one = {NAMES}\n  let env = {NAMES}\n  total(one) + env[name_of("y")]', "5"),
    ("Number", f'let one = {NAMES}\n  let two = {NAMES}\n  let env = {NAMES}\n'
     '  let rec all = env with name_of("f") = total(two)\n  total(one) + all[name_of("f")]', "6"),
    ("List[Int]", "[1, 2]", "[1, 2]"),
    ("Number", 'match m["a"] otherwise 7\n    3 => 10\n    _ => 20', "10"),
    ("Number", 'match m["b"] otherwise 7\n    7 => 10\n    _ => 20', "10"),
    ("Number", 'match m["b"] otherwise 7, m["a"]\n    7, 3 => 10\n    _, _ => 20', "10"),
    ("Number", "attempt risky(0)\n    on Bad =>\n      let k = 3\n      k + 1", "4"),
    ("Number", "attempt risky(5)\n    on Bad =>\n      let k = 3\n      k + 1", "5"),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "expression", "gives"), WORKED_OUT)
def test_what_is_made(make_course: Maker, kind: str, expression: str, gives: str) -> None:
    text = LANE.replace("TYPE", kind) + f"  {expression}\n"
    course = make_course(tiny=TINY_LANGUAGE, lane=text)
    assert [one.message for one in course.diagnostics if one.severity == "error"] == []
    lane = Session(course.folder).lane("Tiny", "lane")
    assert lane.run("1").outcome.text == gives
    parsed = lane.parser.parse("1")
    assert isinstance(parsed, Parsed)
    held_against(lane, parsed.term)


@pytest.mark.parametrize(
    ("kind", "expression", "told"),
    [
        ("Int", "size(4)", "items of size must be of type List[_] or Map[_, _] or Set[_] or Text, "
         "but this is of type Number"),
        ("Int", "size(m, m)", "size takes one argument, not 2"),
        ("Map[Text, Number]", "removed(m, 1)", "this is of type Number, but Text is expected here"),
        ("Map[Text, Number]", "empty with 1 = 2",
         "this is of type Number, but Text is expected here"),
        ("Number", 'let names = empty with name_of("x") = 1\n  total(names) + keys(names)',
         "this is of type List[Name], but Number is expected here"),
        ("Number", 'let names = empty with name_of("x") = 1\n  names',
         "this is of type Env[Number], but Number is expected here"),
        ("List[Int]", '[1, "a"]', "this is of type Text, but Int is expected here"),
        ("List[Int]", "[1.5]", "this is of type Number, but Int is expected here"),
    ],
)  # fmt: skip
def test_what_does_not_fit_is_told_once(
    make_course: Maker, kind: str, expression: str, told: str
) -> None:
    assert [one.message for one in errors(make_course, kind, expression)] == [told]


@pytest.mark.parametrize(
    ("kind", "expression", "hint"),
    [
        ("Int", "1.5", "whole(…) gives Some(n), or None where it is not whole"),
        ("Text", 'part("lock", 1.5, 2)', "whole(…) gives Some(n), or None where it is not whole"),
        ("Number", "size(m)", "write number(…)"),
        ("Number", "true", ""),
    ],
)
def test_the_other_kind_of_number_is_told_of(
    make_course: Maker, kind: str, expression: str, hint: str
) -> None:
    assert [one.hint for one in errors(make_course, kind, expression)] == [hint]


def errors(make_course: Maker, kind: str, expression: str) -> list[Diagnostic]:
    """What is wrong where an expression is to be of a type."""
    text = LANE.replace("TYPE", kind) + f"  {expression}\n"
    course = make_course(tiny=TINY_LANGUAGE, lane=text)
    return [one for one in course.diagnostics if one.severity == "error"]
