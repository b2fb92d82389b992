"""Rill as somebody would write it by hand in Python: environments, small steps, and by need.

Frozen dataclasses and `match`, linked environments, errors with a place, deep recursion allowed,
a store that is handed on. It shares no code with Embrix but the numbers (whole ones as `int`,
others as `Fraction`) and the library of persistent maps. Written first, then left alone.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any, TypeAlias

import immutables

Number: TypeAlias = int | Fraction
Place: TypeAlias = tuple[int, int] | None


@dataclass(frozen=True, slots=True)
class Lit:
    n: Number
    place: Place = None


@dataclass(frozen=True, slots=True)
class Bool:
    b: bool
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


@dataclass(frozen=True, slots=True)
class If:
    test: Expr
    yes: Expr
    no: Expr
    place: Place = None


@dataclass(frozen=True, slots=True)
class Fun:
    param: str
    body: Expr
    place: Place = None


@dataclass(frozen=True, slots=True)
class Rec:
    f: str
    param: str
    rhs: Expr
    body: Expr
    place: Place = None


@dataclass(frozen=True, slots=True)
class Call:
    callee: Expr
    arg: Expr
    place: Place = None


Expr: TypeAlias = Lit | Bool | Var | Binary | Neg | Let | If | Fun | Rec | Call


class RillError(Exception):
    def __init__(self, name: str, place: Place) -> None:
        super().__init__(name)
        self.name = name
        self.place = place


def whole(n: Number) -> Number:
    return n.numerator if isinstance(n, Fraction) and n.denominator == 1 else n


# ---------------------------------------------------------------------- environments


@dataclass(frozen=True, slots=True)
class Num:
    n: Number


@dataclass(frozen=True, slots=True)
class Truth:
    b: bool


@dataclass(frozen=True, slots=True)
class Closure:
    param: str
    body: Expr
    env: Env


@dataclass(slots=True)
class Frame:
    name: str
    value: Any
    outer: Env


Env: TypeAlias = Frame | None
Val: TypeAlias = Num | Truth | Closure


def number(v: Val, place: Place) -> Number:
    if isinstance(v, Num):
        return v.n
    raise RillError("NumberWanted", place)


def holds(v: Val, place: Place) -> bool:
    if isinstance(v, Truth):
        return v.b
    raise RillError("TruthWanted", place)


def same(a: Val, b: Val, place: Place) -> bool:
    if isinstance(a, Closure) or isinstance(b, Closure):
        raise RillError("NotComparable", place)
    return a == b


def operation(op: str, a: Val, b: Val, place: Place) -> Val:
    if op == "Equal":
        return Truth(same(a, b, place))
    m, n = number(a, place), number(b, place)
    match op:
        case "Add":
            return Num(whole(m + n))
        case "Sub":
            return Num(whole(m - n))
        case "Mul":
            return Num(whole(m * n))
        case "Less":
            return Truth(m < n)
    if n == 0:
        raise RillError("DivisionByZero", place)
    return Num(whole(Fraction(m) / Fraction(n)))


def evaluate(e: Expr, env: Env) -> Val:
    match e:
        case Lit(n):
            return Num(n)
        case Bool(b):
            return Truth(b)
        case Var(x, place):
            frame = env
            while frame is not None:
                if frame.name == x:
                    return frame.value
                frame = frame.outer
            raise RillError("Unbound", place)
        case Binary("And", left, right, place):
            return evaluate(right, env) if holds(evaluate(left, env), place) else Truth(False)
        case Binary("Or", left, right, place):
            return Truth(True) if holds(evaluate(left, env), place) else evaluate(right, env)
        case Binary(op, left, right, place):
            return operation(op, evaluate(left, env), evaluate(right, env), place)
        case Neg(arg, place):
            return Num(-number(evaluate(arg, env), place))
        case Let(x, bound, body):
            return evaluate(body, Frame(x, evaluate(bound, env), env))
        case If(test, yes, no, place):
            return evaluate(yes if holds(evaluate(test, env), place) else no, env)
        case Fun(param, body):
            return Closure(param, body, env)
        case Rec(f, param, rhs, body):
            inner = Frame(f, None, env)
            inner.value = Closure(param, rhs, inner)
            return evaluate(body, inner)
        case Call(callee, arg, place):
            closure = evaluate(callee, env)
            if not isinstance(closure, Closure):
                raise RillError("FunctionWanted", place)
            value = evaluate(arg, env)
            return evaluate(closure.body, Frame(closure.param, value, closure.env))
    raise AssertionError(e)


# ---------------------------------------------------------------------- small steps


def final(e: Expr) -> bool:
    return isinstance(e, Lit | Bool | Fun)


def put(v: Expr, x: str, e: Expr) -> Expr:
    """A closed value in place of a name."""
    match e:
        case Lit() | Bool():
            return e
        case Var(y):
            return v if y == x else e
        case Binary(op, left, right, place):
            return Binary(op, put(v, x, left), put(v, x, right), place)
        case Neg(arg, place):
            return Neg(put(v, x, arg), place)
        case Let(y, bound, body, place):
            return Let(y, put(v, x, bound), body if y == x else put(v, x, body), place)
        case If(test, yes, no, place):
            return If(put(v, x, test), put(v, x, yes), put(v, x, no), place)
        case Fun(y, body, place):
            return e if y == x else Fun(y, put(v, x, body), place)
        case Rec(f, y, rhs, body, place):
            inner = rhs if x in (f, y) else put(v, x, rhs)
            return Rec(f, y, inner, body if f == x else put(v, x, body), place)
        case Call(callee, arg, place):
            return Call(put(v, x, callee), put(v, x, arg), place)
    raise AssertionError(e)


def step(e: Expr) -> Expr:
    match e:
        case Binary("And" | "Or" as op, left, right, place):
            if not final(left):
                return Binary(op, step(left), right, place)
            if not isinstance(left, Bool):
                raise RillError("TruthWanted", place)
            if op == "And":
                return right if left.b else Bool(False, place)
            return Bool(True, place) if left.b else right
        case Binary(op, left, right, place):
            if not final(left):
                return Binary(op, step(left), right, place)
            if not final(right):
                return Binary(op, left, step(right), place)
            if op == "Equal":
                if isinstance(left, Fun) or isinstance(right, Fun):
                    raise RillError("NotComparable", place)
                same_kind = type(left) is type(right)
                if isinstance(left, Lit) and isinstance(right, Lit):
                    return Bool(left.n == right.n, place)
                return Bool(
                    same_kind and isinstance(left, Bool) and left.b == right.b,
                    place,  # type: ignore[union-attr]
                )
            if not isinstance(left, Lit) or not isinstance(right, Lit):
                raise RillError("NumberWanted", place)
            match op:
                case "Add":
                    return Lit(whole(left.n + right.n), place)
                case "Sub":
                    return Lit(whole(left.n - right.n), place)
                case "Mul":
                    return Lit(whole(left.n * right.n), place)
                case "Less":
                    return Bool(left.n < right.n, place)
            if right.n == 0:
                raise RillError("DivisionByZero", place)
            return Lit(whole(Fraction(left.n) / Fraction(right.n)), place)
        case Neg(arg, place):
            if not final(arg):
                return Neg(step(arg), place)
            if not isinstance(arg, Lit):
                raise RillError("NumberWanted", place)
            return Lit(-arg.n, place)
        case Let(x, bound, body, place):
            return put(bound, x, body) if final(bound) else Let(x, step(bound), body, place)
        case If(test, yes, no, place):
            if not final(test):
                return If(step(test), yes, no, place)
            if not isinstance(test, Bool):
                raise RillError("TruthWanted", place)
            return yes if test.b else no
        case Rec(f, x, rhs, body, place):
            return put(Fun(x, Rec(f, x, rhs, rhs, place), place), f, body)
        case Call(callee, arg, place):
            if not final(callee):
                return Call(step(callee), arg, place)
            if not isinstance(callee, Fun):
                raise RillError("FunctionWanted", place)
            if not final(arg):
                return Call(callee, step(arg), place)
            return put(arg, callee.param, callee.body)
        case Var(_, place):
            raise RillError("Unbound", place)
    raise AssertionError(e)


def rewrite(e: Expr) -> Expr:
    while not final(e):
        e = step(e)
    return e


# ---------------------------------------------------------------------- by need


@dataclass(frozen=True, slots=True)
class Waiting:
    e: Expr
    env: Env


@dataclass(frozen=True, slots=True)
class Busy:
    pass


@dataclass(frozen=True, slots=True)
class Done:
    v: Val


Cell: TypeAlias = Waiting | Busy | Done


@dataclass(frozen=True, slots=True)
class Store:
    cells: immutables.Map[int, Cell]
    free: int

    def alloc(self, cell: Cell) -> tuple[int, Store]:
        return self.free, Store(self.cells.set(self.free, cell), self.free + 1)

    def set(self, loc: int, cell: Cell) -> Store:
        return Store(self.cells.set(loc, cell), self.free)


EMPTY = Store(immutables.Map(), 0)


def force(loc: int, store: Store, place: Place) -> tuple[Val, Store]:
    match store.cells[loc]:
        case Done(v):
            return v, store
        case Waiting(e, env):
            v, store = need(e, env, store.set(loc, Busy()))
            return v, store.set(loc, Done(v))
    raise RillError("Circular", place)


def need(e: Expr, env: Env, store: Store) -> tuple[Val, Store]:
    match e:
        case Lit(n):
            return Num(n), store
        case Bool(b):
            return Truth(b), store
        case Var(x, place):
            frame = env
            while frame is not None:
                if frame.name == x:
                    return force(frame.value, store, place)
                frame = frame.outer
            raise RillError("Unbound", place)
        case Binary("And", left, right, place):
            v, store = need(left, env, store)
            return need(right, env, store) if holds(v, place) else (Truth(False), store)
        case Binary("Or", left, right, place):
            v, store = need(left, env, store)
            return (Truth(True), store) if holds(v, place) else need(right, env, store)
        case Binary(op, left, right, place):
            a, store = need(left, env, store)
            b, store = need(right, env, store)
            return operation(op, a, b, place), store
        case Neg(arg, place):
            v, store = need(arg, env, store)
            return Num(-number(v, place)), store
        case Let(x, bound, body):
            loc, store = store.alloc(Waiting(bound, env))
            return need(body, Frame(x, loc, env), store)
        case If(test, yes, no, place):
            v, store = need(test, env, store)
            return need(yes if holds(v, place) else no, env, store)
        case Fun(param, body):
            return Closure(param, body, env), store
        case Rec(f, param, rhs, body):
            inner = Frame(f, store.free, env)
            _, store = store.alloc(Done(Closure(param, rhs, inner)))
            return need(body, inner, store)
        case Call(callee, arg, place):
            closure, store = need(callee, env, store)
            if not isinstance(closure, Closure):
                raise RillError("FunctionWanted", place)
            loc, store = store.alloc(Waiting(arg, env))
            return need(closure.body, Frame(closure.param, loc, closure.env), store)
    raise AssertionError(e)


# ---------------------------------------------------------------------- from and to Embrix


def from_node(signature: Any, node: Any) -> Expr:
    """A term of Embrix as a tree of these classes."""
    name = signature.by_tag[node[0]].name
    place = node[1]
    parts = [from_node(signature, f) if isinstance(f, tuple) else f for f in node[2:]]
    match name:
        case "True" | "False":
            return Bool(name == "True", place)
        case "Lit":
            return Lit(parts[0], place)
        case "Var":
            return Var(parts[0], place)
        case "Neg":
            return Neg(parts[0], place)
        case "Let":
            return Let(parts[0], parts[1], parts[2], place)
        case "If":
            return If(parts[0], parts[1], parts[2], place)
        case "Fun":
            return Fun(parts[0], parts[1], place)
        case "Rec":
            return Rec(parts[0], parts[1], parts[2], parts[3], place)
        case "Call":
            return Call(parts[0], parts[1], place)
    return Binary(name, parts[0], parts[1], place)


def shown(value: Any) -> str:
    """A whole number or truth value as Rill shows it."""
    match value:
        case Num(n) | Lit(n):
            return str(n)
        case Truth(b) | Bool(b):
            return "true" if b else "false"
    return "<function>"
