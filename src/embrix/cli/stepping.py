"""Printing a run step by step."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator
from typing import Any

from embrix.cli.choice import chosen
from embrix.cli.running import data_of, refused, where
from embrix.cli.status import UNREAD, status_of
from embrix.cli.streams import print_answer, tell_others
from embrix.cli.usage import Usage
from embrix.machine.lane import BadBinding
from embrix.machine.outcome import Outcome
from embrix.text.plural import counted
from embrix.text.visible import visible
from embrix.trace.walk import Walk, walkable


def steps(arguments: argparse.Namespace) -> int:
    """Print the reduction sequence, or the judgements in order of conclusion."""
    work = chosen(arguments)
    outcomes: list[Outcome] = []
    answers: list[dict[str, Any]] = []
    for lane in work.lanes:
        try:
            traced = lane.trace(
                work.source.text, work.given, limits=work.limits, given_input=work.input,
                ways=work.ways,
            )  # fmt: skip
        except BadBinding as bad:
            raise Usage(f"--bind {bad}") from bad
        outcome = traced.result.outcome
        outcomes.append(outcome)
        walk = Walk(lane, traced)
        if not walk.count_lines() and outcome.kind not in UNREAD and not walkable(lane.interpreter):
            print(f"embrix: {lane.name} has no `judgement` line and no `final` line, so there are "
                  "no steps to print", file=sys.stderr)  # fmt: skip
        if arguments.json:
            data = data_of(work, traced.result)
            lines = list(_some_lines(walk))
            answers.append({"interpreter": lane.name, "steps": lines, "outcome": data["outcome"]})
            continue
        if len(work.lanes) > 1:
            print(f"— {lane.name}")
        for line in _some_lines(walk):
            print(visible(line))
        if outcome.kind != "value":
            sys.stdout.flush()
            print(visible(outcome.sentence), file=sys.stderr)
            print("\n".join(where(work, outcome)), file=sys.stderr)
            if outcome.kind in UNREAD:
                tell_others(refused(work), work.source)
                break  # all lanes read it alike
    if arguments.json:
        print_answer("steps", answers[0] if len(answers) == 1 else answers)
    return status_of(outcomes)


MOST_PRINTED = 250_000
"""Characters of steps that are printed of one lane."""


def _some_lines(walk: Walk) -> Iterator[str]:
    """The steps one by one; of a run that would fill hundreds of pages the first ones, which is
    said on standard error."""
    printed = 0
    for number, line in enumerate(walk.each_line()):
        if printed > MOST_PRINTED:
            sys.stdout.flush()
            more = counted(walk.count_lines() - number, "more line")
            print(f"embrix: {more}; embrix walk prints any of them", file=sys.stderr)
            return
        printed += len(line)
        yield line
