"""Rill as somebody would write it for speed in Python: a program is turned into closures once,
names into numbers of steps outwards; values are plain numbers, truth values and Python functions.

Four ways: functions called directly, tail calls bounced, arguments in thunks, a store handed on.
Errors have a place and come in the same order as in the other interpreters. It works on the trees
of `rill.py` and shares no code with Embrix. Written first, then left alone.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from typing import Any, NamedTuple

import immutables

from bench.by_hand.rill import (
    Binary,
    Bool,
    Call,
    Expr,
    Fun,
    If,
    Let,
    Lit,
    Neg,
    Place,
    Rec,
    RillError,
    Var,
    whole,
)

Env = Any
"""None, or a list of a value and the environment around it; a list, so that a function can be put
into its own."""
Code = Callable[[Env], Any]


def number(v: Any, place: Place) -> Any:
    if type(v) is int or type(v) is Fraction:
        return v
    raise RillError("NumberWanted", place)


def holds(v: Any, place: Place) -> bool:
    if type(v) is bool:
        return v
    raise RillError("TruthWanted", place)


def variable(names: tuple[str, ...], x: str, place: Place) -> Code:
    """What a name stands for, so many steps outwards."""
    if x not in names:

        def unbound(env: Env) -> Any:
            raise RillError("Unbound", place)

        return unbound
    away = names.index(x)
    if away == 0:
        return lambda env: env[0]
    if away == 1:
        return lambda env: env[1][0]
    if away == 2:
        return lambda env: env[1][1][0]

    def far(env: Env) -> Any:
        for _ in range(away):
            env = env[1]
        return env[0]

    return far


def operation(op: str, left: Code, right: Code, place: Place) -> Code:
    """An operation on two numbers; the quick way first."""

    def add(env: Env) -> Any:
        a, b = left(env), right(env)
        if type(a) is int and type(b) is int:
            return a + b
        return whole(number(a, place) + number(b, place))

    def sub(env: Env) -> Any:
        a, b = left(env), right(env)
        if type(a) is int and type(b) is int:
            return a - b
        return whole(number(a, place) - number(b, place))

    def mul(env: Env) -> Any:
        a, b = left(env), right(env)
        if type(a) is int and type(b) is int:
            return a * b
        return whole(number(a, place) * number(b, place))

    def less(env: Env) -> Any:
        a, b = left(env), right(env)
        if type(a) is int and type(b) is int:
            return a < b
        return number(a, place) < number(b, place)

    def equal(env: Env) -> Any:
        a, b = left(env), right(env)
        if callable(a) or callable(b):
            raise RillError("NotComparable", place)
        return a == b if (type(a) is bool) == (type(b) is bool) else False

    def div(env: Env) -> Any:
        a, b = number(left(env), place), number(right(env), place)
        if b == 0:
            raise RillError("DivisionByZero", place)
        return whole(Fraction(a) / Fraction(b))

    return {"Add": add, "Sub": sub, "Mul": mul, "Less": less, "Equal": equal, "Div": div}[op]


def logic(op: str, left: Code, right: Code, place: Place) -> Code:
    if op == "And":
        return lambda env: right(env) if holds(left(env), place) else False
    return lambda env: True if holds(left(env), place) else right(env)


def conditional(test: Code, yes: Code, no: Code, place: Place) -> Code:
    def choose(env: Env) -> Any:
        v = test(env)
        if v is True:
            return yes(env)
        if v is False:
            return no(env)
        raise RillError("TruthWanted", place)

    return choose


# ---------------------------------------------------------------------- called directly


def direct(e: Expr, names: tuple[str, ...] = ()) -> Code:
    """A program as closures; a function of Rill is one of Python."""
    match e:
        case Lit(n):
            return lambda env: n
        case Bool(b):
            return lambda env: b
        case Var(x, place):
            return variable(names, x, place)
        case Binary("And" | "Or" as op, left, right, place):
            return logic(op, direct(left, names), direct(right, names), place)
        case Binary(op, left, right, place):
            return operation(op, direct(left, names), direct(right, names), place)
        case Neg(arg, place):
            code = direct(arg, names)
            return lambda env: -number(code(env), place)
        case Let(x, bound, body):
            first, then = direct(bound, names), direct(body, (x, *names))
            return lambda env: then([first(env), env])
        case If(test, yes, no, place):
            return conditional(direct(test, names), direct(yes, names), direct(no, names), place)
        case Fun(param, body):
            inside = direct(body, (param, *names))
            return lambda env: lambda v: inside([v, env])
        case Rec(f, param, rhs, body):
            inside, then = direct(rhs, (param, f, *names)), direct(body, (f, *names))

            def recursive(env: Env) -> Any:
                inner = [None, env]
                inner[0] = lambda v: inside([v, inner])
                return then(inner)

            return recursive
        case Call(callee, arg, place):
            called, given = direct(callee, names), direct(arg, names)

            def call(env: Env) -> Any:
                f = called(env)
                if not callable(f):
                    raise RillError("FunctionWanted", place)
                return f(given(env))

            return call
    raise AssertionError(e)


# ---------------------------------------------------------------------- tail calls


class Tail(NamedTuple):
    """A call that is still to be made."""

    f: Callable[[Any], Any]
    v: Any


def bouncing(e: Expr, names: tuple[str, ...] = (), *, last: bool = False) -> Code:
    """The same in constant depth for calls that are the last thing a function does."""

    def code(part: Expr, known: tuple[str, ...] = names) -> Code:
        return bouncing(part, known)

    match e:
        case Binary("And" | "Or" as op, left, right, place):
            return logic(op, code(left), bouncing(right, names, last=last), place)
        case Binary(op, left, right, place):
            return operation(op, code(left), code(right), place)
        case Neg(arg, place):
            inner = code(arg)
            return lambda env: -number(inner(env), place)
        case Let(x, bound, body):
            first, then = code(bound), bouncing(body, (x, *names), last=last)
            return lambda env: then([first(env), env])
        case If(test, yes, no, place):
            ways = (bouncing(yes, names, last=last), bouncing(no, names, last=last))
            return conditional(code(test), *ways, place)
        case Fun(param, body):
            inside = bouncing(body, (param, *names), last=True)
            return lambda env: lambda v: inside([v, env])
        case Rec(f, param, rhs, body):
            inside = bouncing(rhs, (param, f, *names), last=True)
            then = bouncing(body, (f, *names), last=last)

            def recursive(env: Env) -> Any:
                inner = [None, env]
                inner[0] = lambda v: inside([v, inner])
                return then(inner)

            return recursive
        case Call(callee, arg, place):
            called, given = code(callee), code(arg)

            def call(env: Env) -> Any:
                f = called(env)
                if not callable(f):
                    raise RillError("FunctionWanted", place)
                if last:
                    return Tail(f, given(env))
                result = f(given(env))
                while type(result) is Tail:
                    result = result.f(result.v)
                return result

            return call
    return direct(e, names)


# ---------------------------------------------------------------------- thunks


class Thunk:
    """An argument that is evaluated when it is wanted, once."""

    __slots__ = ("code", "env", "value")

    def __init__(self, code: Code, env: Env) -> None:
        self.code: Code | None = code
        self.env = env
        self.value: Any = None


def lazy(e: Expr, names: tuple[str, ...] = ()) -> Code:
    """A program in which arguments and bound expressions wait."""
    match e:
        case Var(x, place):
            find = variable(names, x, place)

            def forced(env: Env) -> Any:
                thunk = find(env)
                if thunk.code is not None:
                    code, thunk.code = thunk.code, None
                    if code is busy:
                        raise RillError("Circular", place)
                    thunk.code = busy
                    thunk.value = code(thunk.env)
                    thunk.code = thunk.env = None
                return thunk.value

            return forced
        case Binary("And" | "Or" as op, left, right, place):
            return logic(op, lazy(left, names), lazy(right, names), place)
        case Binary(op, left, right, place):
            return operation(op, lazy(left, names), lazy(right, names), place)
        case Neg(arg, place):
            code = lazy(arg, names)
            return lambda env: -number(code(env), place)
        case Let(x, bound, body):
            first, then = lazy(bound, names), lazy(body, (x, *names))
            return lambda env: then([Thunk(first, env), env])
        case If(test, yes, no, place):
            return conditional(lazy(test, names), lazy(yes, names), lazy(no, names), place)
        case Fun(param, body):
            inside = lazy(body, (param, *names))
            return lambda env: lambda thunk: inside([thunk, env])
        case Rec(f, param, rhs, body):
            inside, then = lazy(rhs, (param, f, *names)), lazy(body, (f, *names))

            def recursive(env: Env) -> Any:
                inner = [Thunk(busy, None), env]
                inner[0].value = lambda thunk: inside([thunk, inner])
                inner[0].code = None
                return then(inner)

            return recursive
        case Call(callee, arg, place):
            called, given = lazy(callee, names), lazy(arg, names)

            def call(env: Env) -> Any:
                f = called(env)
                if not callable(f):
                    raise RillError("FunctionWanted", place)
                return f(Thunk(given, env))

            return call
    return direct(e, names)


def busy(env: Env) -> Any:
    """In place of the code of a thunk that is being evaluated."""
    raise AssertionError(env)


# ---------------------------------------------------------------------- a store that is handed on

Passing = Callable[[Env, Any], tuple[Any, Any]]
"""From an environment of locations and a store to a value and the store after it."""


def passing(e: Expr, names: tuple[str, ...] = ()) -> Passing:
    """A program whose names stand for locations of a persistent store."""
    match e:
        case Var(x, place):
            find = variable(names, x, place)
            return lambda env, store: (store[find(env)], store)
        case Binary(op, left, right, place):
            one, other = passing(left, names), passing(right, names)
            if op in ("And", "Or"):
                stop = op == "Or"

                def decide(env: Env, store: Any) -> tuple[Any, Any]:
                    a, store = one(env, store)
                    return (stop, store) if holds(a, place) is stop else other(env, store)

                return decide
            work = operation(op, lambda pair: pair[0], lambda pair: pair[1], place)

            def operate(env: Env, store: Any) -> tuple[Any, Any]:
                a, store = one(env, store)
                b, store = other(env, store)
                return work((a, b)), store

            return operate
        case Neg(arg, place):
            inner = passing(arg, names)

            def negate(env: Env, store: Any) -> tuple[Any, Any]:
                a, store = inner(env, store)
                return -number(a, place), store

            return negate
        case Let(x, bound, body):
            first, then = passing(bound, names), passing(body, (x, *names))

            def let(env: Env, store: Any) -> tuple[Any, Any]:
                v, store = first(env, store)
                loc = len(store)
                return then([loc, env], store.set(loc, v))

            return let
        case If(test, yes, no, place):
            asked, ways = passing(test, names), (passing(no, names), passing(yes, names))

            def choose(env: Env, store: Any) -> tuple[Any, Any]:
                v, store = asked(env, store)
                return ways[holds(v, place)](env, store)

            return choose
        case Fun(param, body):
            return _function(passing(body, (param, *names)))
        case Rec(f, param, rhs, body):
            inside, then = passing(rhs, (param, f, *names)), passing(body, (f, *names))

            def recursive(env: Env, store: Any) -> tuple[Any, Any]:
                loc = len(store)
                inner = [loc, env]
                v, store = _function(inside)(inner, store)
                return then(inner, store.set(loc, v))

            return recursive
        case Call(callee, arg, place):
            called, given = passing(callee, names), passing(arg, names)

            def call(env: Env, store: Any) -> tuple[Any, Any]:
                f, store = called(env, store)
                if not callable(f):
                    raise RillError("FunctionWanted", place)
                v, store = given(env, store)
                return f(v, store)  # type: ignore[no-any-return]

            return call
    code = direct(e, names)
    return lambda env, store: (code(env), store)


def _function(inside: Passing) -> Passing:
    def make(env: Env, store: Any) -> tuple[Any, Any]:
        def f(v: Any, store: Any) -> tuple[Any, Any]:
            loc = len(store)
            return inside([loc, env], store.set(loc, v))

        return f, store

    return make


EMPTY: immutables.Map[int, Any] = immutables.Map()
