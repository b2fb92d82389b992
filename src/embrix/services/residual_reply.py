"""The residual program of a program on a lane, as plain data."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix.core import Interpreter
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding, Lane, rejection
from embrix.machine.limits import Limits
from embrix.machine.residual.knowledge import NotResidual
from embrix.machine.residual.residual_run import (
    HandedBack,
    ResidualProgram,
    Surroundings,
    specialise,
)
from embrix.machine.residual.residual_text import residual_lines
from embrix.messages.replies_on_comparing import ResidualRow, ResidualShown
from embrix.messages.requests import ShowResidual
from embrix.terms.node import Value
from embrix.text.plural import counted
from embrix.text.source import Span
from embrix.text.visible import cut

LONGEST = 400
"""Characters of a line that is shown."""


def residual_shown(session: Session, request: ShowResidual) -> ResidualShown:
    """What is left of a lane when the program is known, or why it cannot be specialised."""
    lane = session.runner(request.language, request.lane)
    if not lane.records:
        return ResidualShown(
            refused=f"{lane.name} is an outside lane: there is no interpreter to specialise"
        )
    parsed = lane.parser.parse(request.text)
    if not isinstance(parsed, Parsed):
        return ResidualShown(refused=rejection(parsed).sentence)
    try:
        term, values = lane.with_given(parsed.term, request.given, None)
        left = specialise(lane.interpreter, term, [name for name, _ in values])
    except BadBinding as bad:
        return ResidualShown(refused=str(bad))
    except NotResidual as reason:
        return ResidualShown(refused=f"{lane.name} is not specialised: {reason}")
    rows = []
    for line in residual_lines(left, request.text):
        file, number, clause = _clause(lane.interpreter, line.clause)
        rows.append(ResidualRow(cut(line.text, LONGEST), line.inset, line.place, file, number,
                                clause, line.decided))  # fmt: skip
    held = [value for _, value in values]
    ran, costs = _costs(lane, left, request, held) if request.run else ("", {})
    return ResidualShown(rows, _summary(left), ran=ran, costs=costs)


def _costs(
    lane: Lane, left: ResidualProgram, request: ShowResidual, given: Sequence[Value]
) -> tuple[str, dict[str, int]]:
    """What a run takes, of the residual program and of the interpreter."""
    result = lane.run(request.text, request.given, given_input=request.input)
    if result.outcome.kind != "value":
        return f"{result.outcome.sentence}: the interpreter tells that", {}
    around = Surroundings(Limits(), lane.machine.display, request.input, given)
    try:
        calls, operations = left.counted(around)
    except HandedBack:
        return "the run goes back to the interpreter", {}
    costs = {"calls": calls, "operations": operations,
             "calls of the interpreter": result.costs["calls"],
             "lookups of the interpreter": result.costs["lookups"]}  # fmt: skip
    text = (
        f"{result.outcome.text}: {counted(calls, 'call')} and {counted(operations, 'operation')} "
        f"where the interpreter makes {counted(costs['calls of the interpreter'], 'call')} and "
        f"{counted(costs['lookups of the interpreter'], 'lookup')}"
    )
    return text, costs


def _clause(interpreter: Interpreter, clause: Span | None) -> tuple[str, int, str]:
    """The file and line of a clause, and its text."""
    if clause is None:
        return "", 0, ""
    source = clause.source or interpreter.source
    line, column = source.position(clause.start)
    first, *more = source.text[clause.start : clause.end].rstrip().split("\n")
    text = "\n".join((first, *(one.removeprefix(" " * (column - 1)) for one in more)))
    return source.name, line, cut(text, LONGEST)


def _summary(left: ResidualProgram) -> str:
    functions, decided, calls = left.counts()
    store = ""
    if left.has_store:
        store = "; one store, changed in place" if left.python.linear else "; every store is kept"
    return (
        f"{counted(functions, 'function')}; {counted(decided, 'call')} of the interpreter decided "
        f"beforehand, {counted(calls, 'call')} left{store}"
    )
