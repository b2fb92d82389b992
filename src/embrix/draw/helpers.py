"""Which functions of an interpreter hide judgements: those that can be opened where they are
called, and those that come back to themselves, which have rules of their own."""

from __future__ import annotations

from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.core import Function, Interpreter
from embrix.brix.evaluators import plain_template, reached_from
from embrix.brix.paths import inside
from embrix.terms.types import BOOL


def openable(interpreter: Interpreter) -> dict[str, s.Define]:
    """By name the functions that have no judgement of their own, ask for some, and never come back
    to themselves."""
    written = {} if interpreter.syntax is None else {
        define.name: define for define in interpreter.syntax.functions
    }  # fmt: skip
    return {name: written[name] for name, again in _asking(interpreter).items() if not again}


def always_failing(interpreter: Interpreter) -> dict[str, s.Fail]:
    """By name the functions that do nothing but fail, and with what."""
    written = interpreter.syntax.functions if interpreter.syntax is not None else ()
    return {one.name: one.body for one in written if isinstance(one.body, s.Fail)}


def conditions_of(interpreter: Interpreter) -> dict[str, tuple[tuple[str, ...], str]]:
    """By name the parameters and the text of the functions that only give a name to a condition."""
    written = interpreter.syntax.functions if interpreter.syntax is not None else ()
    found = {}
    for one in written:
        function, body = interpreter.functions[one.name], one.body
        if function.result == BOOL and isinstance(body, s.Binary | s.Unary):
            source = body.span.source or interpreter.source
            text = source.text[body.span.start : body.span.end]
            found[one.name] = (function.params, text)
    called = {define.name: _called(define) for define in written}
    return {name: said for name, said in found.items() if not called[name] & found.keys()}


def with_own_rules(interpreter: Interpreter) -> dict[str, Function]:
    """By name the functions that rules are about: those with a judgement, and those that ask for
    some and come back to themselves, with a judgement in its plainest form."""
    found = {}
    again = _asking(interpreter)
    for name, function in interpreter.functions.items():
        if function.judgement is not None:
            found[name] = function
        elif again.get(name, False):
            judgement = plain_template(name, len(function.params))
            found[name] = replace(function, judgement=judgement)
    return found


def _asking(interpreter: Interpreter) -> dict[str, bool]:
    """By name the functions that have no judgement of their own and ask for some, and whether they
    come back to themselves."""
    if interpreter.syntax is None:
        return {}
    written = {define.name: define for define in interpreter.syntax.functions}
    judged = {name for name, one in interpreter.functions.items() if one.judgement is not None}
    called = {name: _called(define) for name, define in written.items() if name not in judged}
    reached = {name: reached_from(called, name) for name in called}
    return {
        name: name in found
        for name, found in reached.items() if found & judged and name != interpreter.main
    }  # fmt: skip


def _called(define: s.Define) -> set[str]:
    """The names of what a function calls."""
    return {
        node.callee.name for node in inside((define.body, define.rows))
        if isinstance(node, s.Apply) and isinstance(node.callee, s.Ref)
    }  # fmt: skip
