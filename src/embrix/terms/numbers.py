"""The kinds of numbers a language may have, and what each does.

integer: unbounded; division rounds towards minus infinity.
rational: exact; a number that is whole is held as an `int`, any other as a `Fraction`.
float: IEEE 754 double precision.

Sizes are checked before an operation that could make a number much larger than its operands.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from fractions import Fraction
from typing import TypeAlias

Number: TypeAlias = int | Fraction | float

KINDS = ("integer", "rational", "float")
_LITERAL = re.compile(r"[+-]?[0-9]+(\.[0-9]+)?([eE][+-]?[0-9]{1,4})?", re.ASCII)
LONGEST_LITERAL = 4000
"""The most characters that a number is written with, in programs and in definitions."""

MOST_BITS = 65_536
"""A number of more bits than this ends a run, unless its limits say otherwise."""


SMALL = 1 << 62
"""Whole numbers below this are added without looking at their size."""


LONG, METERED = 2_048, 16
"""From how many bits on both operands together an operation is metered, and how many bits count
as much as one call: what long numbers take grows faster than their length."""


class TooLarge(Exception):
    """A number would get larger than the limits of the run allow."""


class DividedByZero(Exception):
    """Division by zero that no clause of the definition took care of."""


def read_number(text: str, kind: str) -> Number | None:
    """The number that a text writes, or None when it writes none (or none of this kind)."""
    if text.isascii() and text.isdigit() and len(text) < 19 and kind != "float":
        return int(text)
    if len(text) > LONGEST_LITERAL or not _LITERAL.fullmatch(text):
        return None
    if kind == "float":
        return float(text)
    exact = Fraction(text)
    if exact.denominator == 1:
        return exact.numerator
    return None if kind == "integer" else exact


def write_number(number: Number) -> str:
    """A number in decimal notation where that is exact and short, else as a fraction."""
    if isinstance(number, float):
        return repr(number)
    if isinstance(number, int):
        if number.bit_length() > 10_000:
            return f"a whole number of {number.bit_length()} bits"
        return str(number)
    return (
        _decimal(number) or f"{write_number(number.numerator)}/{write_number(number.denominator)}"
    )


def _decimal(number: Fraction) -> str | None:
    """The terminating decimal that equals a fraction, when it needs at most 20 places."""
    for places in range(1, 21):
        scaled = number * 10**places
        if scaled.denominator == 1:
            if scaled.numerator.bit_length() > 10_000:
                return None
            digits = str(abs(scaled.numerator)).rjust(places + 1, "0")
            sign = "-" if number < 0 else ""
            return f"{sign}{digits[:-places]}.{digits[-places:]}"
        if number.denominator % 2 and number.denominator % 5:
            return None
    return None


def spellings(number: Number | bool) -> Iterator[str]:
    """The ways in which a text may write a number, the usual one first: with and without a point,
    with zeros at either end, with an exponent."""
    if isinstance(number, bool):
        yield "true" if number else "false"
        return
    usual = write_number(number)
    yield usual
    if number != number or number in (_ENDLESS, -_ENDLESS) or "of" in usual:
        return
    exact = Fraction(number)
    digits, exponent = _decimal_digits(exact if not isinstance(number, float) else Fraction(usual))
    if digits is None:
        return
    sign = "-" if number < 0 else ""
    plain = digits.rjust(1 - exponent, "0") if exponent < 0 else digits + "0" * exponent
    whole, part = (plain[:exponent], plain[exponent:]) if exponent < 0 else (plain, "")
    for zeros in range(4):
        after = part + "0" * zeros
        yield f"{sign}{whole}.{after}" if after else sign + whole
    for letter in "eE":
        for shift in (f"{letter}{exponent}", f"{letter}{exponent:+}"):
            yield f"{sign}{digits}{shift}"
        if len(digits) > 1:
            scaled = exponent + len(digits) - 1
            for shift in (f"{letter}{scaled}", f"{letter}{scaled:+}", f"{letter}{scaled:+03}"):
                yield f"{sign}{digits[0]}.{digits[1:]}{shift}"
    for width in range(2, 9):
        if len(whole) < width:
            yield sign + whole.rjust(width, "0") + (f".{part}" if part else "")
    if not sign:
        yield "+" + whole + (f".{part}" if part else "")


_ENDLESS = float("inf")
MOST_DIGITS = 400


def _decimal_digits(number: Fraction) -> tuple[str | None, int]:
    """The digits and the exponent of ten that write a fraction's size exactly; None where nothing
    short does."""
    below, exponent = number.denominator, 0
    scaled = abs(number.numerator)
    while below % 10 == 0:
        below, exponent = below // 10, exponent - 1
    for factor, other in ((2, 5), (5, 2)):
        while below % factor == 0 and exponent > -MOST_DIGITS:
            below, exponent, scaled = below // factor, exponent - 1, scaled * other
    if below != 1 or scaled.bit_length() > 3 * MOST_DIGITS:
        return None, 0
    digits = str(scaled)
    bare = digits.rstrip("0") or "0"
    return bare, exponent + len(digits) - len(bare) if bare != "0" else 0


def bits(number: Number) -> int:
    if isinstance(number, int):
        return number.bit_length()
    if isinstance(number, Fraction):
        return number.numerator.bit_length() + number.denominator.bit_length()
    return 64


def _whole(number: Fraction) -> Number:
    return number.numerator if number.denominator == 1 else number


def operations(
    kind: str, most_bits: int = MOST_BITS, meter: Callable[[int], None] | None = None
) -> dict[str, Callable[..., Number]]:
    """Addition, subtraction, multiplication, negation, and division three ways (exact, rounded
    down, what remains then) of a kind of numbers.

    They raise `TooLarge` and `DividedByZero`, and what `meter` raises, which is told of the work
    that long numbers make.
    """

    def guard(a: Number, b: Number) -> None:
        total = bits(a) + bits(b)
        if total > most_bits:
            raise TooLarge
        if total > LONG and meter is not None:
            meter(total // METERED)

    def add(a: Number, b: Number) -> Number:
        if type(a) is int and type(b) is int and -SMALL < a < SMALL and -SMALL < b < SMALL:
            return a + b
        guard(a, b)
        result = a + b
        return _whole(result) if isinstance(result, Fraction) else result

    def subtract(a: Number, b: Number) -> Number:
        return add(a, -b)

    def multiply(a: Number, b: Number) -> Number:
        if type(a) is int and type(b) is int and -SMALL < a < SMALL and -SMALL < b < SMALL:
            return a * b
        guard(a, b)
        result = a * b
        return _whole(result) if isinstance(result, Fraction) else result

    def negate(a: Number) -> Number:
        return -a

    def divide_rational(a: Number, b: Number) -> Number:
        if b == 0:
            raise DividedByZero
        guard(a, b)
        return _whole(Fraction(a) / Fraction(b))

    def divide_integer(a: Number, b: Number) -> Number:
        if b == 0:
            raise DividedByZero
        guard(a, b)
        return a // b

    def divide_float(a: Number, b: Number) -> Number:
        try:
            return a / b
        except ZeroDivisionError:
            return _float_by_zero(float(a), float(b))

    divide = {
        "integer": divide_integer,
        "rational": divide_rational,
        "float": divide_float,
    }[kind]

    def floor_divide(a: Number, b: Number) -> Number:
        if b == 0:
            raise DividedByZero
        guard(a, b)
        return a // b

    def modulo(a: Number, b: Number) -> Number:
        if b == 0:
            raise DividedByZero
        guard(a, b)
        result = a % b
        return _whole(result) if isinstance(result, Fraction) else result

    return {
        "add": add, "subtract": subtract, "multiply": multiply, "divide": divide,
        "negate": negate, "floor_divide": floor_divide, "modulo": modulo,
    }  # fmt: skip


def _float_by_zero(a: float, b: float) -> float:
    """What IEEE 754 gives for a division by a zero: NaN, or an infinity of the right sign."""
    if a == 0 or a != a:
        return float("nan")
    positive = (a > 0) == (str(b)[0] != "-")
    return float("inf") if positive else float("-inf")
