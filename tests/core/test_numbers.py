"""Numbers of every kind: what arithmetic gives, what is too large, how they are written."""

from __future__ import annotations

import math
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from embrix.course.load import Course
from embrix.lanes.session import Session
from embrix.machine.display import Display
from embrix.machine.lane import Lane
from embrix.terms.node import (
    EMPTY_NODE,
    FRAME,
    NIL_NODE,
    NONE_NODE,
    SOME,
    UNIT_NODE,
    make_list,
    tuple_of,
)
from embrix.terms.numbers import (
    KINDS,
    DividedByZero,
    TooLarge,
    operations,
    read_number,
    write_number,
)

WHOLE = st.integers(-(10**30), 10**30)
EXACT = st.one_of(WHOLE, st.fractions(max_denominator=10**6))


def normal(number: Fraction | int) -> Fraction | int:
    fraction = Fraction(number)
    return fraction.numerator if fraction.denominator == 1 else fraction


@given(EXACT, EXACT)
def test_rational_arithmetic_is_exact_and_whole_numbers_are_integers(
    a: int | Fraction, b: int | Fraction
) -> None:
    does = operations("rational")
    a, b = normal(a), normal(b)
    for name, expected in (
        ("add", Fraction(a) + b), ("subtract", Fraction(a) - b), ("multiply", Fraction(a) * b),
    ):  # fmt: skip
        found = does[name](a, b)
        assert found == expected
        assert isinstance(found, int) == (expected.denominator == 1)
    if b != 0:
        assert does["divide"](a, b) == Fraction(a) / Fraction(b)


@given(WHOLE, WHOLE)
def test_integer_division_rounds_towards_minus_infinity(a: int, b: int) -> None:
    if b != 0:
        assert operations("integer")["divide"](a, b) == math.floor(Fraction(a, b))


@given(st.floats(allow_nan=True, allow_infinity=True), st.floats(allow_nan=True))
def test_floats_follow_ieee(a: float, b: float) -> None:
    """NaN, infinities and signed zeros: division by zero is a value, not an error."""
    does = operations("float")

    def same(x: object, y: object) -> bool:
        return repr(x) == repr(y)

    assert same(does["add"](a, b), a + b)
    assert same(does["multiply"](a, b), a * b)
    quotient = does["divide"](a, b)
    if b != 0 or math.isnan(b):
        assert same(quotient, a / b)
    elif a == 0 or math.isnan(a):
        assert isinstance(quotient, float)
        assert math.isnan(quotient)
    else:
        assert quotient == math.copysign(math.inf, a) * math.copysign(1, b)


@pytest.mark.parametrize("kind", ["integer", "rational"])
def test_exact_numbers_cannot_be_divided_by_zero(kind: str) -> None:
    with pytest.raises(DividedByZero):
        operations(kind)["divide"](1, 0)


def test_size_is_checked_before_the_operation() -> None:
    """A product that would have more bits than allowed is never computed."""
    does = operations("integer", 1_000)
    near = 1 << 600
    with pytest.raises(TooLarge):
        does["multiply"](near, near)
    assert does["multiply"](near, 2) == near * 2
    with pytest.raises(TooLarge):
        does["add"](1 << 600, 1 << 600)


READING = [
    ("1", (1, 1, 1.0)), ("007", (7, 7, 7.0)), ("2.50", (None, Fraction(5, 2), 2.5)),
    ("2.0", (2, 2, 2.0)), ("1e3", (1000, 1000, 1000.0)), ("-4", (-4, -4, -4.0)),
    ("", (None, None, None)), ("1.", (None, None, None)), ("0x1", (None, None, None)),
    ("١", (None, None, None)), ("9" * 5_000, (None, None, None)),
]  # fmt: skip


@pytest.mark.parametrize(("text", "expected"), READING)
def test_reading_numbers(text: str, expected: tuple[object, object, object]) -> None:
    found = tuple(read_number(text, kind) for kind in KINDS)
    assert found == expected
    assert [type(f) for f in found] == [type(e) for e in expected]


WRITING = [
    (3, "3"), (-3, "-3"), (Fraction(1, 2), "0.5"), (Fraction(-1, 8), "-0.125"),
    (Fraction(1, 3), "1/3"), (Fraction(22, 7), "22/7"), (2.0, "2.0"), (1e300, "1e+300"),
    (float("nan"), "nan"), (Fraction(1, 10**20), "0." + "0" * 19 + "1"),
    (Fraction(1, 10**21), "1/1" + "0" * 21), (1 << 20_000, "a whole number of 20001 bits"),
]  # fmt: skip


@pytest.mark.parametrize(("number", "expected"), WRITING, ids=[text for _, text in WRITING])
def test_writing_numbers(number: int | Fraction | float, expected: str) -> None:
    assert write_number(number) == expected


# ---------------------------------------------------------------------- display


@pytest.fixture
def display(drip_lanes: dict[str, Lane]) -> Display:
    return drip_lanes["environment"].machine.display


def frame(name: str, value: object, outer: object) -> tuple[object, ...]:
    return (FRAME, None, name, value, outer)


def test_values_of_every_shape_are_shown(display: Display, lockside: Course) -> None:
    constructors = lockside.interpreters["Drip"]["environment"].constructors.values()
    num = next(c.tag for c in constructors if c.name == "Num")
    lit = lockside.languages["Drip"].signature.by_name["Lit"].tag
    seven, minus = (num, None, 7), (num, None, -7)
    inner = frame("x", minus, frame("y", seven, frame("x", seven, EMPTY_NODE)))
    shown = [
        (seven, "7"),
        (minus, "‹-7›"),
        ((lit, None, Fraction(1, 2)), "0.5"),
        (make_list([seven, minus]), "[7, ‹-7›]"),
        (NIL_NODE, "[]"),
        (NONE_NODE, "None"),
        ((SOME, None, seven), "Some(7)"),
        (tuple_of(seven, True), "(7, true)"),
        (UNIT_NODE, "()"),
        (EMPTY_NODE, "∅"),
        (inner, "y = 7, x = ‹-7›"),
        (frozenset({"b", "a"}), "{a, b}"),
        ("lock", "lock"),
    ]
    for value, expected in shown:
        assert display.show(value) == expected
    assert display.outcome(minus) == "-7"
    assert display.structure(tuple_of(seven, minus)) == "(Num(7), Num(-7))"
    assert display.environment(inner) == [("x", "‹-7›"), ("y", "7")]


def test_what_is_long_deep_or_shared_is_cut_off(display: Display) -> None:
    """Displays are bounded whatever a value holds."""
    long = make_list(list(range(100_000)))
    assert len(display.show(long)) < 2_100
    assert display.show(long).endswith("…")
    deep = NIL_NODE
    for _ in range(100_000):
        deep = make_list([deep])
    assert "…" in display.show(deep)
    doubled = make_list([1])
    for _ in range(60):
        doubled = make_list([doubled, doubled])
    assert len(display.show(doubled)) < 2_100


def test_both_zeros_are_shown_as_they_are(lockside: Course) -> None:
    """They are equal, and must not be taken for each other when values are shown."""
    lane = Session(lockside.folder).lane("Mere", "environment")
    assert lane.run("[0.0, [-0.0, 0.0]]").outcome.text == "[0.0, [-0.0, 0.0]]"
