"""Code that keeps a record: a recorder is told of each judgement that is entered and left."""

from __future__ import annotations

import ast

from embrix.machine.events import (
    CallBegun,
    Caught,
    ClauseChosen,
    Effect,
    Entered,
    Finished,
    GivesPlace,
    Leave,
    Protected,
    ValuePut,
    Waits,
    unobserved,
)
from embrix.machine.pycode import assign, call, const, do, load


def traced(event: Effect) -> list[ast.stmt]:
    """What an event becomes where a record is kept; `i` is the judgement at work."""
    match event:
        case Entered():
            return [assign("i", call("enter", const(event.number), event.arguments))]
        case ClauseChosen():
            chosen = ast.Subscript(load("clause_of"), load("i"), ast.Store())
            return [ast.Assign([chosen], const(event.clause))]
        case GivesPlace():
            return [do(call("tail", load("i")))]
        case Waits():
            return [do(call("wait", load("i")))]
        case Leave() if event.judged:
            return [ast.Return(call("leave", load("i"), event.value))]
        case CallBegun():
            return [assign(event.before, call("waiting"))]
        case Finished():
            return [assign(event.name, call("settle", call("w"), load(event.before)))]
        case ValuePut():
            text = (event.variable, event.value, event.term, load(event.result))
            return [assign(event.result, call("put", *text))]
        case Protected():
            return [assign(event.kept, call("mark"))]
        case Caught():
            return [do(call("caught", load(event.kept)))]
        case _:
            return unobserved(event)
