"""Where all numbers are whole, `Int` and `Number` are one type."""

from __future__ import annotations

from embrix.lanes.session import Session
from tests.conftest import TINY_LANGUAGE, Maker

WHOLE = TINY_LANGUAGE.replace('  extension "tiny"\n', '  extension "tiny"\n\nnumbers integer\n')
COUNTING = """\
interpreter counting for Tiny

value Value
  Nat(n: Number)

main run

define run(e: Expr) -> Value
  eval(e, empty, ["a", "b"])

define eval(e: Expr, seen: Map[Number, Number], names: List[Text]) -> Value by e
  Lit(n)       => Nat(-n + size(names) + size(seen))
  Var(x)       => Nat(nth(names) + (seen[size(names)] otherwise size(names)))
  Add(l, r)    =>
    let Nat(a) = eval(l, seen with 1 = 2, names)
    let Nat(b) = eval(r, seen with size(names) = 7, names)
    Nat(a + b)
  Let(x, b, e) => Nat(count(names) - part_of(names)[0])

define nth(names: List[Text]) -> Int
  let k = 1
  length(names[k]) - length(text_of([number(97)]))

define count(names: List[Text]) -> Int
  size(names) + 1

define part_of(names: List[Text]) -> List[Number]
  [size(names), 2]
"""


def test_lengths_keys_indexes_and_literals_fit(make_course: Maker) -> None:
    """By hand: `3` is -3 + 2 + 0; `z` is 1 - 1 + 2; in `3 + z` the left side is -3 + 2 + 1, the
    right side 0 + 7."""
    course = make_course(a=WHOLE, b=COUNTING)
    assert [one.message for one in course.diagnostics if one.severity == "error"] == []
    lane = Session(course.folder).lane("Tiny", "counting")
    for program, value in (
        ("3", "Nat(-1)"), ("z", "Nat(2)"), ("3 + z", "Nat(7)"), ("let a = 1 in a", "Nat(1)"),
    ):  # fmt: skip
        assert lane.run(program).outcome.text == value, program


def test_a_number_need_not_be_whole_elsewhere(make_course: Maker) -> None:
    course = make_course(a=TINY_LANGUAGE, b=COUNTING)
    assert {one.code for one in course.diagnostics if one.severity == "error"} == {"type_mismatch"}


def test_numbers_that_a_choice_changes_stay_two(make_course: Maker) -> None:
    chosen = (
        WHOLE
        + """
choice halves "may a number have a half?"
  no   "boats are whole"  default
  yes  "tons are not"
"""
    )
    rows = chosen.replace(
        "numbers integer\n", "numbers integer\nnumbers rational when halves is yes\n"
    )
    course = make_course(a=rows, b=COUNTING)
    assert any(one.code == "type_mismatch" for one in course.diagnostics)
