"""Whether two values that lanes show otherwise are two for sure: each lane shows functions, and
what is still to be evaluated, in a way of its own."""

from __future__ import annotations

from embrix.brix.core import Interpreter
from embrix.terms.node import FIELDS, FRAME, KNOT, LOCATION, MAP, STORE, Constructor, Value
from embrix.terms.types import Con, Fn, Type, settle

MOST_NODES = 2_000
"""Nodes of a value that are looked at."""


def surely_apart(one: Interpreter, value: Value, other: Interpreter, second: Value) -> bool:
    """Whether two values with different texts are not the same: neither holds code, or one does
    and the other is a number, say, which nobody could take for code."""
    code = _holds_code(one, value), _holds_code(other, second)
    plain = _is_leaf(value), _is_leaf(second)
    return not any(code) or (not all(code) and any(plain))


def _holds_code(interpreter: Interpreter, value: Value) -> bool:
    """Whether there are functions or suspended computations in a value, as far as is looked."""
    pending: list[Value] = [value]
    for seen, node in enumerate(pending):  # which grows while it is gone through
        if callable(node) or seen > MOST_NODES:
            return True
        if not isinstance(node, tuple):
            continue
        own = interpreter.constructors.get(node[0])
        if node[0] in (FRAME, KNOT, LOCATION) or (own is not None and _is_code(interpreter, own)):
            return True
        if node[0] not in (MAP, STORE):
            pending += node[FIELDS:]
    return False


def _is_code(interpreter: Interpreter, own: Constructor) -> bool:
    """Whether a constructor is a form that binds, or a value that keeps an expression, a function,
    an environment or a place in a store."""
    sorts = interpreter.language.signature.sorts
    if own.owner in sorts:
        return bool(own.binds)
    return bool(own.role) or any(_keeps(kind, sorts) for kind in own.types)


def _keeps(kind: Type, sorts: tuple[str, ...]) -> bool:
    settled = settle(kind)
    if isinstance(settled, Con):
        return settled.name in ("Env", "Loc") or settled.name in sorts
    return isinstance(settled, Fn)


def _is_leaf(value: Value) -> bool:
    return not isinstance(value, tuple) or not any(isinstance(p, tuple) for p in value[FIELDS:])
