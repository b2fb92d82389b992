"""Which functions of an interpreter hide judgements."""

from __future__ import annotations

from embrix.brix import syntax as s
from embrix.brix.core import Interpreter
from embrix.brix.evaluators import reached_from
from embrix.brix.paths import inside


def openable(interpreter: Interpreter) -> dict[str, s.Define]:
    """By name the functions that have no judgement of their own, ask for some, and never come back
    to themselves."""
    if interpreter.syntax is None:
        return {}
    written = {define.name: define for define in interpreter.syntax.functions}
    judged = {name for name, one in interpreter.functions.items() if one.judgement is not None}
    called = {name: _called(define) for name, define in written.items() if name not in judged}
    reached = {name: reached_from(called, name) for name in called}
    return {
        name: written[name]
        for name, found in reached.items()
        if name not in found and found & judged and name != interpreter.main
    }


def _called(define: s.Define) -> set[str]:
    """The names of what a function calls."""
    return {
        node.callee.name for node in inside((define.body, define.rows))
        if isinstance(node, s.Apply) and isinstance(node.callee, s.Ref)
    }  # fmt: skip
