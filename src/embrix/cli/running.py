"""Running a program on lanes, and printing how each run ends."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from typing import Any

from embrix.cli.choice import Chosen, chosen
from embrix.cli.status import UNREAD, status_of
from embrix.cli.streams import print_answer, tell_others
from embrix.cli.usage import Usage
from embrix.lanes.inspection import look
from embrix.lanes.results import ending
from embrix.machine.lane import BadBinding, Lane
from embrix.machine.outcome import Outcome, Result
from embrix.machine.unit import Variant
from embrix.messages.replies import Refusal
from embrix.text.diagnostic import excerpt
from embrix.text.source import Span
from embrix.text.visible import cut, visible


def run(arguments: argparse.Namespace) -> int:
    """Run a program on the lanes asked for."""
    work = chosen(arguments)
    results = [(lane, _result(work, lane, counting=arguments.json)) for lane in work.lanes]
    if arguments.json:
        answers = [{"interpreter": lane.name, **data_of(work, result)} for lane, result in results]
        print_answer("run", answers[0] if len(answers) == 1 else answers)
    else:
        seen: set[str] = set()
        for lane, result in results:
            unread = result.outcome.kind in UNREAD
            if unread and result.outcome.sentence in seen:
                continue  # a program is refused once, not once for each lane
            seen.add(result.outcome.sentence)
            label = lane.name if len(results) > 1 and not unread else ""
            _print_result(work, result, label)
            if unread:
                tell_others(refused(work), work.source)
    return status_of([result.outcome for _, result in results])


def refused(work: Chosen) -> Refusal:
    """Why a program that was rejected is, with all its mistakes."""
    return look(work.session, work.language, work.source.text).refused or Refusal("", "")


def _result(work: Chosen, lane: Lane, *, counting: bool) -> Result:
    """A run; costs are counted where they are printed, and where a run does not end: then it is
    told what it does again and again."""

    def result(variant: Variant) -> Result:
        return lane.run(
            work.source.text, work.given, limits=work.limits, given_input=work.input,
            ways=work.ways, variant=variant,
        )  # fmt: skip

    try:
        if not counting:
            found = result("plain")
            if found.outcome.kind != "out of fuel":
                return found
        return result("counted")
    except BadBinding as bad:
        raise Usage(f"--bind {bad}") from bad


def data_of(work: Chosen, result: Result) -> dict[str, Any]:
    outcome: dict[str, Any] = result.outcome.as_data()
    if result.outcome.place is not None:
        line, column = work.source.position(result.outcome.place[0])
        outcome["line"], outcome["column"] = line, column
    state: dict[str, Any] = {"state": list(result.state)} if result.state else {}
    if result.ways:
        state["ways"] = [{"taken": taken + 1, "open": count} for taken, count in result.ways]
    return {"outcome": outcome, "output": list(result.output), "costs": result.costs, **state}


def _print_result(work: Chosen, result: Result, label: str) -> None:
    """What a program writes and gives goes to standard output, all else to standard error."""
    lead = f"{label}: " if label else ""
    for piece in result.output:
        sys.stdout.write(visible(piece, keep="\n"))
    if result.output and not result.output[-1].endswith("\n"):
        print()
    outcome = result.outcome
    written_only = outcome.kind == "value" and outcome.text == "()"
    stream = sys.stdout if outcome.kind == "value" and not written_only else sys.stderr
    sys.stdout.flush()
    print(lead + visible(ending(result)), file=stream)
    if result.state:
        print(f"  state: {visible(cut(', '.join(result.state), 200))}", file=stream)
    for line in where(work, outcome):
        print(line, file=stream)
    if result.ways:
        print(f"  one of several ways: {ways_text(result.ways)}; embrix outcomes lists all",
              file=stream)  # fmt: skip
    stream.flush()


MOST_NAMED = 12


def ways_text(ways: Sequence[tuple[int, int]]) -> str:
    """Which ways a run took, counted from one: `2 of 3, 1 of 2`."""
    shown = [f"{taken + 1} of {count}" for taken, count in ways[:MOST_NAMED]]
    more = [f"and {len(ways) - MOST_NAMED} more"] if ways[MOST_NAMED:] else []
    return ", ".join((*shown, *more))


def where(work: Chosen, outcome: Outcome) -> list[str]:
    """The place of an outcome in the program, with its line."""
    if outcome.place is None:
        return []
    span = Span(*outcome.place)
    line, column = work.source.position(span.start)
    rows = [f"  at {work.source.name}:{line}:{column}"]
    return rows + ["  " + row for row in excerpt(work.source, span)]
