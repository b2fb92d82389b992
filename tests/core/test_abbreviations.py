"""`type Heap = …`: a name for a type."""

from __future__ import annotations

import pytest

from embrix.lanes.session import Session
from embrix.services.renaming import renamed
from tests.conftest import TINY_LANGUAGE, Maker

LIBRARY = """\
library pairs

type Pair[A] = (A, A)

define swapped(p: Pair[T]) -> Pair[T]
  let (a, b) = p
  (b, a)
"""
LANE = """\
interpreter counting for Tiny
use pairs

value Value
  Num(n: Number)

type Seen = Map[Name, Number]
type Counted[A] = (A, Seen)
type Both = Pair[Number]

main run

define run(e: Expr) -> Value
  let (Num(n), seen) = eval(e, empty, empty)
  let (a, b) = swapped(both(n))
  Num(a * 10 + b + number(size(seen)))

define both(n: Number) -> Both
  (n, n + 1)

define eval(e: Expr, env: Env[Value], seen: Seen) -> Counted[Value] by e
  Lit(n)       => (Num(n), seen)
  Var(x)       => (env[x], seen with x = 1)
  Add(l, r)    =>
    let (Num(a), after) = eval(l, env, seen)
    let (Num(b), last) = eval(r, env, after)
    (Num(a + b), last)
  Let(x, b, e) =>
    let (v, after) = eval(b, env, seen)
    eval(e, env with x = v, after)
"""


def test_names_stand_for_types_here_and_in_libraries(make_course: Maker) -> None:
    """By hand: `let a = 1 in a + a` is 2 with one name seen: 3 * 10 + 2 + 1."""
    course = make_course(pairs=LIBRARY, tiny=TINY_LANGUAGE, lane=LANE)
    assert [one.message for one in course.diagnostics] == []
    lane = Session(course.folder).lane("Tiny", "counting")
    assert lane.run("let a = 1 in a + a").outcome.text == "Num(33)"
    assert lane.run("4").outcome.text == "Num(54)"


def test_an_interpreter_takes_abbreviations_over(make_course: Maker) -> None:
    more = """\
interpreter more for Tiny extends Tiny.counting
replace both(n)
  twice(n)
define twice(n: Number) -> Both
  (n, n * 2)
"""
    course = make_course(pairs=LIBRARY, tiny=TINY_LANGUAGE, lane=LANE, more=more)
    assert [one.message for one in course.diagnostics] == []
    assert Session(course.folder).lane("Tiny", "more").run("4").outcome.text == "Num(84)"


SLIPS = [
    ("type Seen = Map[Name, Numbre]", "there is no type called Numbre"),
    ("type Seen = Maybe[Seen]", "Seen stands for a type with itself inside"),
    ("type Seen = Other\ntype Other = List[Seen]", "Seen stands for a type with itself inside"),
    ("type Seen[A] = Map[Name, A]", "Seen takes one type in brackets, not 0"),
    ("type Seen = Map[Name, Number]\ntype Seen = Number", "Seen is declared already"),
    ("type Seen = Map[Name, Number]\nvalue Seen\n  Nothing", "Seen is declared already"),
    ("value Value\n  Twice", "Value is declared already"),
    ("type seen = Map[Name, Number]", "the name of the type is written with a capital"),
    ("type Seen = Map[Name, Number] Number", "the declaration should end here; found `Number`"),
]  # fmt: skip


@pytest.mark.parametrize(("instead", "message"), SLIPS)
def test_slips_are_told(make_course: Maker, instead: str, message: str) -> None:
    lane = LANE.replace("type Seen = Map[Name, Number]", instead)
    course = make_course(pairs=LIBRARY, tiny=TINY_LANGUAGE, lane=lane)
    errors = [one.message for one in course.diagnostics if one.severity == "error"]
    assert message in errors, errors


def test_an_abbreviation_is_renamed_everywhere(make_course: Maker) -> None:
    course = make_course(pairs=LIBRARY, tiny=TINY_LANGUAGE, lane=LANE)
    change = renamed(Session(course.folder), "lane.brix", LANE, LANE.index("Seen"), "Known")
    assert change.refused == ""
    (file,) = change.files
    assert file.text == LANE.replace("Seen", "Known")
