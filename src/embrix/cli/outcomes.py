"""Everything that a program can come to, where a definition leaves several ways open."""

from __future__ import annotations

import argparse
import sys
from typing import Any

from embrix.cli.choice import Chosen, chosen
from embrix.cli.status import OK, UNREAD, status_of
from embrix.cli.streams import print_answer
from embrix.cli.usage import Usage
from embrix.machine.exploring import MOST_RUNS, Explored, Reached
from embrix.machine.lane import BadBinding, Lane
from embrix.text.plural import counted
from embrix.text.visible import cut, visible
from embrix.text.way_numbers import ways_text


def outcomes(arguments: argparse.Namespace) -> int:
    """Print each outcome of a program, with the ways that lead there."""
    if arguments.runs is not None and arguments.runs < 1:
        raise Usage("--runs must be at least 1")
    work = chosen(arguments)
    lanes = [lane for lane in work.lanes if lane.records]
    found = [(lane, _explored(work, lane, arguments.runs or MOST_RUNS)) for lane in lanes]
    if arguments.json:
        answers = [_data(work, lane, explored) for lane, explored in found]
        print_answer("outcomes", answers[0] if len(answers) == 1 else answers)
    else:
        for lane, explored in found:
            _print(lane, explored)
    refused = [one.outcome for _, explored in found for one in explored.outcomes]
    return status_of(refused) if all(one.kind in UNREAD for one in refused) else OK


def _explored(work: Chosen, lane: Lane, most_runs: int) -> Explored:
    try:
        return lane.explore(
            work.source.text, work.given, given_input=work.input, most_runs=most_runs
        )
    except BadBinding as bad:
        raise Usage(f"--bind {bad}") from bad


def _print(lane: Lane, explored: Explored) -> None:
    print(f"{lane.name}: {counted(len(explored.outcomes), 'outcome')}")
    for one in explored.outcomes:
        written = f"   writes {visible(''.join(one.output))}" if one.output else ""
        left = f"   leaves {visible(cut(', '.join(one.left), 60))}" if one.left else ""
        ways = way_sentence(one) if lane.several else ""
        print(f"  {visible(one.outcome.sentence)}{written}{left}{ways}")
    print(f"  {census(lane, explored)}")
    if not explored.whole:
        sys.stdout.flush()
        print(f"embrix: the search was cut short after {counted(explored.runs, 'run')}: there may "
              "be more outcomes", file=sys.stderr)  # fmt: skip


def way_sentence(found: Reached) -> str:
    """How an outcome is reached."""
    if not found.ways:
        return "   by the first way each time"
    return "   by the ways " + ways_text(found.ways)


def census(lane: Lane, explored: Explored) -> str:
    """How much was looked at."""
    if not lane.several:
        return "no clause leaves several ways open: this is the only outcome"
    parts = [counted(explored.runs, "run")]
    if explored.states:
        parts = [counted(len(explored.states), "state"), counted(len(explored.steps), "step")
                 + " between them"]  # fmt: skip
    ends = "every run ends" if explored.whole else "no run without end was found"
    if explored.cut_off:
        ends = "some runs had not ended at their limits"
    parts.append("some run never ends" if explored.circle() else ends)
    return "; ".join((", ".join(parts[:-1]), parts[-1]))


def _data(work: Chosen, lane: Lane, explored: Explored) -> dict[str, Any]:
    rows = []
    for one in explored.outcomes:
        outcome: dict[str, Any] = one.outcome.as_data()
        if one.outcome.place is not None:
            line, column = work.source.position(one.outcome.place[0])
            outcome["line"], outcome["column"] = line, column
        rows.append({"outcome": outcome, "output": list(one.output), "state": list(one.left),
                     "ways": [way + 1 for way in one.ways]})  # fmt: skip
    return {
        "interpreter": lane.name, "outcomes": rows, "runs": explored.runs,
        "states": len(explored.states), "steps": len(explored.steps),
        "whole": explored.whole, "endless": explored.endless,
    }  # fmt: skip
