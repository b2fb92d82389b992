"""Drip's environment semantics as somebody would write them by hand in Python.

Frozen dataclasses and `match`, linked environments, errors with a place, deep recursion allowed:
the counterpart that our compiled interpreters are measured against. It shares no code with Embrix
but the numbers (whole ones as `int`, others as `Fraction`). Written first, then left alone.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any, TypeAlias

Number: TypeAlias = int | Fraction
Place: TypeAlias = tuple[int, int] | None


@dataclass(frozen=True, slots=True)
class Lit:
    n: Number
    place: Place = None


@dataclass(frozen=True, slots=True)
class Var:
    x: str
    place: Place = None


@dataclass(frozen=True, slots=True)
class Binary:
    op: str
    left: Expr
    right: Expr
    place: Place = None


@dataclass(frozen=True, slots=True)
class Neg:
    arg: Expr
    place: Place = None


@dataclass(frozen=True, slots=True)
class Let:
    x: str
    bound: Expr
    body: Expr
    place: Place = None


Expr: TypeAlias = Lit | Var | Binary | Neg | Let


@dataclass(frozen=True, slots=True)
class Num:
    n: Number


@dataclass(frozen=True, slots=True)
class Frame:
    name: str
    value: Num
    outer: Frame | None


class DripError(Exception):
    def __init__(self, name: str, place: Place) -> None:
        super().__init__(name)
        self.name = name
        self.place = place


def whole(n: Number) -> Number:
    return n.numerator if isinstance(n, Fraction) and n.denominator == 1 else n


def evaluate(e: Expr, env: Frame | None) -> Num:
    match e:
        case Lit(n):
            return Num(n)
        case Var(x, place):
            frame = env
            while frame is not None:
                if frame.name == x:
                    return frame.value
                frame = frame.outer
            raise DripError("Unbound", place)
        case Binary(op, left, right, place):
            a = evaluate(left, env).n
            b = evaluate(right, env).n
            if op == "Add":
                return Num(whole(a + b))
            if op == "Sub":
                return Num(whole(a - b))
            if op == "Mul":
                return Num(whole(a * b))
            if b == 0:
                raise DripError("DivisionByZero", place)
            return Num(whole(Fraction(a) / Fraction(b)))
        case Neg(arg):
            return Num(-evaluate(arg, env).n)
        case Let(x, bound, body):
            return evaluate(body, Frame(x, evaluate(bound, env), env))
    raise AssertionError(e)


def from_node(signature: Any, node: Any) -> Expr:
    """A term of Embrix as a tree of these classes."""
    name = signature.by_tag[node[0]].name
    place, fields = node[1], node[2:]
    match name:
        case "Lit":
            return Lit(fields[0], place)
        case "Var":
            return Var(fields[0], place)
        case "Neg":
            return Neg(from_node(signature, fields[0]), place)
        case "Let":
            bound, body = from_node(signature, fields[1]), from_node(signature, fields[2])
            return Let(fields[0], bound, body, place)
    left, right = from_node(signature, fields[0]), from_node(signature, fields[1])
    return Binary(name, left, right, place)


def outcome(e: Expr) -> str:
    """The value as Drip shows it, or the name of the error."""
    try:
        n = evaluate(e, None).n
    except DripError as error:
        return error.name
    return show(n)


def show(n: Number) -> str:
    """A number as Drip shows it: decimals where they end soon, else a fraction."""
    if isinstance(n, int):
        return str(n)
    rest = n.denominator
    for prime in (2, 5):
        while rest % prime == 0:
            rest //= prime
    if rest != 1:
        return f"{n.numerator}/{n.denominator}"
    places = 0
    while (n * 10**places).denominator != 1:
        places += 1
    if places > 20:
        return f"{n.numerator}/{n.denominator}"
    digits = str(abs((n * 10**places).numerator)).rjust(places + 1, "0")
    return f"{'-' if n < 0 else ''}{digits[:-places]}.{digits[-places:]}"
