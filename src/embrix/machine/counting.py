"""Code that counts: calls, depth, lookups, and what is done with stores and suspensions."""

from __future__ import annotations

import ast

from embrix.machine.events import (
    Caught,
    Counted,
    DeepAgain,
    Deeper,
    Effect,
    Leave,
    Protected,
    Shallower,
    unobserved,
)
from embrix.machine.pycode import add_to, assign, atomic, compare, load, when

COUNTED = [
    "lookups", "hops", "depth", "deepest", "rounds", "allocated", "read", "written", "made",
    "forced", "reused", "substituted",
]  # fmt: skip
"""What counted code counts besides the calls of each function."""


def counted(event: Effect) -> list[ast.stmt]:
    """What an event becomes where costs are counted."""
    match event:
        case Counted():
            return [add_to(event.counter, 1)]
        case Deeper():
            deeper = compare(load("depth"), ast.Gt(), load("deepest"))
            return [add_to("depth", 1), when(deeper, [assign("deepest", load("depth"))])]
        case Shallower():
            return [add_to("depth", -1)]
        case DeepAgain():
            return [add_to("depth", 1)]
        case Leave() if atomic(event.value):
            return [add_to("depth", -1), ast.Return(event.value)]
        case Leave():
            return [assign("r", event.value), add_to("depth", -1), ast.Return(load("r"))]
        case Protected():
            return [assign(event.kept, load("depth"))]
        case Caught():
            return [assign("depth", load(event.kept))]
        case _:
            return unobserved(event)
