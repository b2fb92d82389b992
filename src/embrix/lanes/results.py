"""Runs and how they ended, as plain data."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from embrix.lanes.known_runs import known_run
from embrix.lanes.names import NoVersion
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding, OnStart
from embrix.machine.limits import LIVE, Limits
from embrix.machine.outcome import Outcome, Result
from embrix.messages.replies import Ending, RunResult


def run(
    session: Session,
    language: str,
    lane: str,
    text: str,
    given: Mapping[str, str] | None = None,
    limits: Limits = LIVE,
    on_start: OnStart | None = None,
    given_input: Sequence[str] = (),
    ways: Sequence[int] = (),
    *,
    explain: bool = True,
) -> RunResult:
    """The outcome, output and costs of a program on a lane, remembered as long as the interpreter
    says the same. See `Lane.run` for what may be explained."""
    try:
        runner = session.runner(language, lane)
    except NoVersion as gone:
        return result_data(Result(Outcome("rejected", str(gone.args[0]), "version")))

    def carried_out(on_start: OnStart | None) -> RunResult:
        try:
            result = runner.run(
                text, given, limits=limits, on_start=on_start, given_input=given_input, ways=ways,
                explain=explain,
            )  # fmt: skip
        except BadBinding as bad:
            result = Result(Outcome("rejected", str(bad), "binding"))
        return result_data(result)

    asked = (text, tuple((given or {}).items()), limits, tuple(given_input), tuple(ways), explain)
    return known_run(runner, asked, carried_out, on_start)


def ending(result: Result) -> str:
    """How a run ended, for people; a program without a value is just done."""
    if result.outcome.kind != "value" or result.outcome.text != "()":
        return result.outcome.sentence
    return "done" if result.output else "done; nothing was emitted"


def outcome_data(outcome: Outcome) -> Ending:
    """An outcome as it is sent to other processes."""
    return Ending(outcome.kind, outcome.text, outcome.name, outcome.structure, outcome.place)


def result_data(result: Result) -> RunResult:
    """A result as it is sent to other processes."""
    return RunResult(
        outcome_data(result.outcome), ending(result), list(result.output), result.costs,
        list(result.state), bool(result.ways),
    )  # fmt: skip
