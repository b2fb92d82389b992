"""Which functions of a residual program may leave a call to be made by whoever called them.

Where the result of a function of the notation is all that is given, the call is handed back, so
that what goes on and on by calling what is to be done next (continuations) needs no room. What may
hand back a call is found as the least solution over all functions.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import zip_longest

from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import (
    Assigned,
    Direct,
    Dispatch,
    Fork,
    Give,
    Residual,
    Statement,
)


def bouncing(program: Program) -> frozenset[int]:
    """The numbers of the functions that may hand back a call."""
    ends = {one.number: [*_ends(one.body)] for one in program.residuals.values()}
    found: set[int] = set()
    changed = True
    while changed:
        changed = False
        for number, calls in ends.items():
            if number not in found and any(
                calls_function(one) or may_bounce(one, found) for one in calls
            ):
                found.add(number)
                changed = True
    return frozenset(found)


def followed(statements: Sequence[Statement]) -> Iterator[tuple[Statement, Statement | None]]:
    """Each statement with the one behind it."""
    return zip_longest(statements, statements[1:])


def is_end(one: Statement, after: Statement | None) -> bool:
    """Whether a call is all that is left to do."""
    return (
        isinstance(one, Assigned) and one.operation in ("call", "dispatch", "method")
        and isinstance(after, Give) and one.names == after.values
    )  # fmt: skip


def calls_function(one: Assigned) -> bool:
    """Whether a function of the notation is called."""
    match one.about:
        case Dispatch() | Direct():
            dispatch = one.about.dispatch if isinstance(one.about, Direct) else one.about
            return dispatch.calls_function
    return False


def may_bounce(one: Assigned, found: set[int] | frozenset[int]) -> bool:
    """Whether what is called may hand back a call."""
    match one.operation, one.about:
        case "call", Residual(number=number):
            return number in found
        case "dispatch", Dispatch(methods=methods):
            return any(method.number in found for method in methods)
        case "method", Direct(_, method):
            return method.number in found
    return False


def _ends(statements: Sequence[Statement]) -> Iterator[Assigned]:
    """The calls with which a function ends."""
    for one, after in followed(statements):
        if isinstance(one, Fork):
            yield from _ends(one.yes)
            yield from _ends(one.no)
        elif isinstance(one, Assigned) and is_end(one, after):
            yield one
