"""What happens in a function beside its values: statements of the intermediate form that each
variant of compiled code turns into something else, or into nothing.

The statements of a function are Python's, with these among them. `counting.py` and `tracing.py` say
what they become where costs are counted or a record is kept; `unobserved` is for code that does
neither.
"""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterable
from typing import TypeAlias

from embrix.machine.pycode import assign, call


class Effect(ast.stmt):
    """Something that a variant may want to know."""

    _fields = ()


class Counted(Effect):
    """Something that has a counter of its own."""

    def __init__(self, counter: str) -> None:
        super().__init__()
        self.counter = counter


class Deeper(Effect):
    """A call begins."""


class Shallower(Effect):
    """A call has its result, or gives its place to another."""


class DeepAgain(Effect):
    """What took the place of a call is over, and the call counts as open again."""


class Entered(Effect):
    """A judgement begins: the number of its function, and its arguments."""

    def __init__(self, number: int, arguments: ast.expr) -> None:
        super().__init__()
        self.number, self.arguments = number, arguments


class ClauseChosen(Effect):
    """A clause of the judgement takes its subjects."""

    def __init__(self, clause: int) -> None:
        super().__init__()
        self.clause = clause


class GivesPlace(Effect):
    """The judgement calls another one in tail position."""


class Waits(Effect):
    """The judgement leaves its call to whoever called first."""


class Leave(Effect):
    """The function gives its result; `judged` where the result is that of a judgement."""

    def __init__(self, value: ast.expr, judged: bool) -> None:
        super().__init__()
        self.value, self.judged = value, judged


class CallBegun(Effect):
    """A call that may come back with another call is about to be made."""

    def __init__(self, before: str) -> None:
        super().__init__()
        self.before = before


class Finished(Effect):
    """The calls that came back instead of a result are made, and their result goes to a name."""

    def __init__(self, name: str, before: str) -> None:
        super().__init__()
        self.name, self.before = name, before


class ValuePut(Effect):
    """A function of the definition has put a value for a variable in a term."""

    def __init__(self, result: str, variable: ast.expr, value: ast.expr, term: ast.expr) -> None:
        super().__init__()
        self.result, self.variable, self.value, self.term = result, variable, value, term


class Protected(Effect):
    """A value is about to be evaluated whose failure may be taken."""

    def __init__(self, kept: str) -> None:
        super().__init__()
        self.kept = kept


class Caught(Effect):
    """The failure of a protected value has been taken."""

    def __init__(self, kept: str) -> None:
        super().__init__()
        self.kept = kept


Translation: TypeAlias = Callable[[Effect], list[ast.stmt]]
"""What an event becomes."""


def unobserved(event: Effect) -> list[ast.stmt]:
    """Code that neither counts nor records: only results are handed on."""
    match event:
        case Leave():
            return [ast.Return(event.value)]
        case Finished():
            return [assign(event.name, call("w"))]
        case _:
            return []


def with_events(statements: Iterable[ast.stmt], translation: Translation) -> list[ast.stmt]:
    """The statements with what the events in them mean, and without what nothing comes to: what
    stands behind a result, a jump or the end of a loop."""
    made: list[ast.stmt] = []
    for statement in statements:
        parts = translation(statement) if isinstance(statement, Effect) else [statement]
        for part in parts:
            made.append(_inside(part, translation))
            if isinstance(part, _ENDS):
                return made
        if _ends(made[-1:]):
            return made
    return made


_ENDS = (ast.Return, ast.Continue, ast.Break, ast.Raise)


def _inside(statement: ast.stmt, translation: Translation) -> ast.stmt:
    match statement:
        case ast.If():
            statement.body = with_events(statement.body, translation) or [ast.Pass()]
            statement.orelse = with_events(statement.orelse, translation)
        case ast.While() | ast.FunctionDef():
            statement.body = with_events(statement.body, translation) or [ast.Pass()]
        case ast.Try():
            statement.body = with_events(statement.body, translation) or [ast.Pass()]
    return statement


def _ends(last: list[ast.stmt]) -> bool:
    """Whether nothing comes behind a statement."""
    if not last:
        return False
    match last[0]:
        case ast.If(body=yes, orelse=no):
            return _ends(yes[-1:]) and _ends(no[-1:])
        case ast.While(test=ast.Constant(value=True), body=body):
            return not _left(body)
        case _:
            return isinstance(last[0], _ENDS)


def _left(body: list[ast.stmt]) -> bool:
    """Whether a loop is left by a `break` of its own."""
    pending = list(body)
    while pending:
        statement = pending.pop()
        match statement:
            case ast.Break():
                return True
            case ast.If():
                pending += [*statement.body, *statement.orelse]
            case ast.Try():
                pending += statement.body
    return False
