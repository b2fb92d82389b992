"""Laying out definitions: nothing is read differently, nothing is lost, once is enough."""

from __future__ import annotations

import re

from hypothesis import given, settings
from hypothesis import strategies as st

from embrix.brix.format import formatted
from embrix.course.load import Course
from embrix.text.source import Source

UNTIDY = """\
# A comment at the top stays.
interpreter  untidy   for Drip
    "Laid out by nobody."


value Value
     Num(n: Number)   shown Lit(n)   # the only one
     Other   shown "other"
error Bad(v:Value)  "bad {v}"
error Worse   "worse"
judgement eval  "{e} ⇓ {result}"
main eval
define eval(e:Expr)->Value by e
      # about numbers
      Lit(n) => Num( n )
      Var(x)  =>
          let a=Num(1)
          a
      Add(left , right) => if true then
            Num(1)   # one
          else
            Other
      _ => todo "the rest   stays  as it is"
"""

TIDY = """\
# A comment at the top stays.
interpreter  untidy  for Drip
  "Laid out by nobody."

value Value
  Num(n: Number)  shown Lit(n)       # the only one
  Other           shown "other"
error Bad(v:Value)  "bad {v}"
error Worse         "worse"
judgement eval  "{e} ⇓ {result}"
main eval
define eval(e:Expr) -> Value by e
  # about numbers
  Lit(n)           => Num(n)
  Var(x)           =>
    let a = Num(1)
    a
  Add(left, right) => if true then
        Num(1)       # one
      else
        Other
  _                => todo "the rest   stays  as it is"
"""


def test_an_untidy_definition() -> None:
    assert formatted(Source("untidy.brix", UNTIDY)) == TIDY


OPERATORS = """\
language Deep
tokens
  number  /[0-9]+/  as Number
forms Expr
  Lit(n: Number)
  Add(left: Expr, right: Expr)
grammar
  start Expr
  Expr ::=
    | "first" "second" n:number  makes Lit
    | Sum
  operators Sum : Expr
    left  "+"  makes Add
    operand Expr
"""


def test_an_operator_table_has_columns_of_its_own() -> None:
    """Its signs do not move below the ends of long alternatives in the rule above it."""
    assert formatted(Source("deep.brix", OPERATORS)) == OPERATORS


def test_what_cannot_be_read_is_left_alone() -> None:
    assert formatted(Source("broken.brix", UNTIDY.replace("main eval", "main ("))) is None
    assert formatted(Source("nothing.brix", "")) is None


def test_line_ends_are_kept() -> None:
    text = formatted(Source("untidy.brix", UNTIDY.replace("\n", "\r\n")))
    assert text == TIDY.replace("\n", "\r\n")


def comments(text: str) -> list[str]:
    outside = re.sub(r'"(?:[^"\\\n]|\\.)*"|/[^/\n]+/', "", text)
    return re.findall(r"#[^\n]*", outside)


@settings(max_examples=30)
@given(data=st.data())
def test_the_course_may_be_spaced_in_any_way(lockside: Course, data: st.DataObject) -> None:
    """Spaces added between words, and blank lines, are taken away again; comments are kept."""
    sources = [s for name, s in sorted(lockside.sources.items()) if name.endswith(".brix")]
    source = data.draw(st.sampled_from(sources))
    once = formatted(source)
    assert once is not None
    assert comments(once) == comments(source.text)
    lines = once.split("\n")
    for _ in range(data.draw(st.integers(1, 6))):
        at = data.draw(st.integers(0, len(lines) - 1))
        kind = data.draw(st.sampled_from(("end", "blank", "comma")))
        if kind == "end":
            lines[at] += " " * data.draw(st.integers(1, 3))
        elif kind == "blank" and not lines[at]:
            lines[at] = "\n"
        elif kind == "comma":
            lines[at] = re.sub(r"\b, (?=[a-z]+\))", " ,", lines[at], count=1)
    again = formatted(Source(source.name, "\n".join(lines)))
    assert again is not None
    assert comments(again) == comments(source.text)
    assert formatted(Source(source.name, again)) == again
    if "\\" not in source.text:
        assert again == once
