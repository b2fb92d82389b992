"""Small constructors of Python syntax trees. All names are made up here or by the compiler."""

from __future__ import annotations

import ast
from collections.abc import Sequence
from typing import Any


def load(name: str) -> ast.expr:
    return ast.Name(name, ast.Load())


def store(name: str) -> ast.expr:
    return ast.Name(name, ast.Store())


def const(value: int | str | bool | float | None) -> ast.expr:
    return ast.Constant(value)


def assign(name: str, value: ast.expr) -> ast.stmt:
    return ast.Assign([store(name)], value)


def add_to(name: str, amount: int) -> ast.stmt:
    return ast.AugAssign(ast.Name(name, ast.Store()), ast.Add(), const(amount))


def call(function: str, *args: ast.expr) -> ast.expr:
    return ast.Call(load(function), list(args), [])


def do(value: ast.expr) -> ast.stmt:
    return ast.Expr(value)


def item(value: ast.expr, index: int) -> ast.expr:
    return ast.Subscript(value, const(index), ast.Load())


def row(*items: ast.expr) -> ast.expr:
    return ast.Tuple(list(items), ast.Load())


def compare(left: ast.expr, operator: ast.cmpop, right: ast.expr) -> ast.expr:
    return ast.Compare(left, [operator], [right])


def when(test: ast.expr, yes: Sequence[ast.stmt], no: Sequence[ast.stmt] = ()) -> ast.stmt:
    return ast.If(test, list(yes) or [ast.Pass()], list(no))


def both(left: ast.expr, right: ast.expr) -> ast.expr:
    return ast.BoolOp(ast.And(), [left, right])


def negation(value: ast.expr) -> ast.expr:
    return ast.UnaryOp(ast.Not(), value)


def loop(test: ast.expr, body: Sequence[ast.stmt]) -> ast.stmt:
    return ast.While(test, list(body), [])


def function(name: str, params: Sequence[str], body: Sequence[ast.stmt]) -> ast.FunctionDef:
    arguments = ast.arguments(
        posonlyargs=[], args=[ast.arg(param) for param in params], kwonlyargs=[], kw_defaults=[],
        defaults=[],
    )  # fmt: skip
    return ast.FunctionDef(name, arguments, list(body) or [ast.Pass()], [])


def atomic(value: ast.expr) -> bool:
    """Whether evaluating it later than it stands can make no difference."""
    return isinstance(value, ast.Name | ast.Constant)


def located(module: ast.Module, used: set[str]) -> None:
    """Put a place into every node of a tree: Python wants one, and there is no text. The names of
    variables are added to those that are `used`."""
    pending: list[Any] = [module]
    while pending:
        node = pending.pop()
        if node is None:
            continue
        kind = type(node)
        if kind._attributes:
            node.lineno = node.col_offset = 1
            if kind is ast.Name:
                used.add(node.id)
                continue
            if kind is ast.Nonlocal:
                used.update(node.names)
        names = _TREES.get(kind)
        if names is None:
            names = _TREES[kind] = tuple(name for name in kind._fields if name not in _NO_TREES)
        for name in names:
            inner = getattr(node, name, None)
            if type(inner) is list:
                pending += inner
            else:
                pending.append(inner)


_TREES: dict[type[Any], tuple[str, ...]] = {ast.Constant: ()}
"""The fields of each kind of node that hold other nodes with places."""
_NO_TREES = {"id", "ctx", "op", "ops", "kind", "arg", "attr", "name", "names", "type_comment"}
