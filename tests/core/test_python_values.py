"""Python's arithmetic, its values computed by a Brix interpreter and held against `eval`."""

from __future__ import annotations

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from embrix.machine.lane import Lane, parser_for
from tests.conftest import Maker
from tests.core.test_syntax import PYTHON

VALUES = """\
interpreter values for Python

value Value
  Amount(n: Number)   shown "{n}"
  Truth(b: Bool)      shown "{b}"

error DivisionByZero  "division by zero"

main run

define run(p: Expr) -> Value
  eval(p)

define number(v: Value) -> Number by v
  Amount(n)  => n
  Truth(b)   => if b then 1 else 0

define power(a: Number, n: Number) -> Number
  if n == 0 then 1 else
    let half = power(a, n div 2)
    if n mod 2 == 0 then half * half else half * half * a

define eval(e: Expr) -> Value by e
  Num(n)                     => Amount(n)
  Not(arg)                   => Truth(number(eval(arg)) == 0)
  Unary("-", arg)            => Amount(-number(eval(arg)))
  Unary(_, arg)              => Amount(number(eval(arg)))
  Binary(op, left, right)    =>
    let a = number(eval(left))
    let b = number(eval(right))
    match op
      "+"   => Amount(a + b)
      "-"   => Amount(a - b)
      "*"   => Amount(a * b)
      "**"  => Amount(power(a, b))
      "<"   => Truth(a < b)
      "=="  => Truth(a == b)
      _ =>
        require b != 0 else fail DivisionByZero
        match op
          "//"  => Amount(a div b)
          "%"   => Amount(a mod b)
          _     => Amount(a / b)
"""


def lane(make_course: Maker, numbers: str) -> Lane:
    course = make_course(
        python=PYTHON.replace("numbers integer", f"numbers {numbers}").replace(
            r"/\d+/", r"/\d+(\.\d+)?/"
        ),
        values=VALUES,
    )
    assert not course.has_errors, [d.message for d in course.diagnostics]
    parser = parser_for(course.languages["Python"])
    assert parser is not None
    return Lane(course.interpreters["Python"]["values"], parser)


def sums(leaves: list[str], signs: list[str]) -> st.SearchStrategy[str]:
    """Sums of these leaves; comparisons inside them only where Python's numbers are whole."""
    whole = "." not in "".join(leaves)
    return st.recursive(
        st.sampled_from(leaves),
        lambda inner: (
            st.tuples(inner, st.sampled_from(signs), inner).map(" ".join)
            | inner.map("({})".format)
            | inner.map("-{}".format)
            | (inner.map("({} < 2)".format) if whole else inner)
            | (inner.map("(not {})".format) if whole else inner)
            | (
                st.tuples(inner, st.sampled_from("0123")).map(" ** ".join)
                if "**" in signs
                else inner
            )
        ),
        max_leaves=8,
    )


INTEGERS = sums(["0", "1", "2", "30", "7"], ["+", "-", "*", "//", "%"])
POWERS = sums(["0", "1", "2", "7"], ["+", "*", "**"]).filter(lambda t: t.count("**") <= 3)
FLOATS = sums(["0.5", "1.0", "2.0", "7.25", "1000000.0"], ["+", "-", "*", "/", "//", "%"])


def expected(text: str) -> str:
    """What Python gives, as our display writes it."""
    try:
        value = eval(text, {"__builtins__": {}})
    except ZeroDivisionError:
        return "DivisionByZero"
    assume(abs(value) < 1e15)
    return repr(value).lower() if isinstance(value, bool) else repr(value)


@pytest.fixture
def integer_lane(make_course: Maker) -> Lane:
    return lane(make_course, "integer")


@pytest.fixture
def float_lane(make_course: Maker) -> Lane:
    return lane(make_course, "float")


def check(target: Lane, text: str) -> None:
    wanted = expected(text)
    outcome = target.run(text).outcome
    if wanted == "DivisionByZero":
        assert (outcome.kind, outcome.name) == ("failure", wanted), text
    else:
        assert outcome.kind == "value", (text, outcome)
        assert outcome.text == wanted, text


@given(text=INTEGERS)
def test_whole_numbers_come_out_as_in_python(integer_lane: Lane, text: str) -> None:
    check(integer_lane, text)


@given(text=POWERS)
def test_powers_come_out_as_in_python(integer_lane: Lane, text: str) -> None:
    small = all(part.strip()[:1] in "0123" for part in text.split("**")[1:])
    assume(small)
    check(integer_lane, text)


@given(text=FLOATS)
def test_floats_come_out_as_in_python(float_lane: Lane, text: str) -> None:
    check(float_lane, text)
