"""Compiled functions, and how a run gets its own.

Each function of a definition has code of its own that knows counters, constants, helpers and the
other functions as variables around it. A run makes these variables and its own functions over them,
so that it shares nothing with any other run, and the code serves every definition in which the
function would become the same.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Collection, Mapping
from types import CellType, CodeType, FunctionType
from typing import Any

from msgspec import Struct

from embrix.machine.events import Translation, with_events
from embrix.machine.pycode import function, located

Variables = dict[str, CellType]
"""The variables of a run, by name."""


class CompiledFunction(Struct, frozen=True):
    """The code of a function, under the name by which others call it, and the constants in it."""

    name: str
    code: CodeType
    constants: dict[str, Any]


def code_of(made: ast.stmt, translation: Translation, around: Collection[str]) -> CodeType:
    """The code of a function; `around` are the variables that may stand around it."""
    written = with_events([made], translation)
    used: set[str] = set()
    module = ast.Module([function("around", [], written)], [])
    located(module, used)
    assert isinstance(module.body[0], ast.FunctionDef)
    module.body[0].args.args = [
        ast.arg(name, lineno=1, col_offset=1) for name in sorted(used.intersection(around))
    ]
    return _inside(_inside(compile(module, "<definition>", "exec")))


def _inside(code: CodeType) -> CodeType:
    return next(one for one in code.co_consts if isinstance(one, CodeType))


def function_of(name: str, code: CodeType, variables: Variables) -> FunctionType:
    """A function with this code over the variables of a run, without Python's built-in ones."""
    around = tuple([variables[name] for name in code.co_freevars])
    return FunctionType(code, {"__builtins__": {}}, name, None, around)


def linked(
    functions: Collection[CompiledFunction],
    values: Mapping[str, Any],
    constant: Callable[[Any], Any],
) -> Variables:
    """The variables of a run with all functions among them; `values` are those of the others, and
    `constant` says what a constant of the code is in this run."""
    variables = {name: CellType(value) for name, value in values.items()}
    for one in functions:
        variables[one.name] = CellType()
        for name, value in one.constants.items():
            variables[name] = CellType(constant(value))
    for one in functions:
        variables[one.name].cell_contents = function_of(one.name, one.code, variables)
    return variables
