"""Lanes beside each other on the command line: where they part, how costs grow, a hunt for a
difference."""

from __future__ import annotations

import argparse
import itertools
import sys
from typing import TYPE_CHECKING, Any

from embrix.cli.choice import chosen, lanes_of
from embrix.cli.part_by_part import as_data, print_every_part
from embrix.cli.status import NEGATIVE, OK, REJECTED, UNREAD
from embrix.cli.streams import print_answer
from embrix.cli.streams import progress as progress_line
from embrix.cli.suites import suites_of, write_after_a_look
from embrix.cli.usage import Usage
from embrix.compare.every_part import EveryPart, hold_every_part
from embrix.compare.growth import described, measured
from embrix.compare.range import BadRange, range_of
from embrix.compare.sides import Side, parted, side
from embrix.machine.lane import BadBinding, Lane
from embrix.machine.limits import Limits
from embrix.services.found_case import as_case
from embrix.suite.cases import COSTS, MAIN_COSTS
from embrix.text.plural import counted
from embrix.text.visible import cut, visible

if TYPE_CHECKING:
    from embrix.compare.search import Hunt


def compare(arguments: argparse.Namespace) -> int:
    """Print a program's outcome and costs on several lanes, and where each two of them part."""
    work = chosen(arguments)
    if len(work.lanes) < 2:
        raise Usage("comparing takes at least two lanes: give --with several times")
    text = work.source.text
    try:
        sides = [side(lane, text, work.given, work.input) for lane in work.lanes]
    except BadBinding as bad:
        raise Usage(f"--bind {bad}") from bad
    partings = [parted(text, sides[0], other) for other in sides[1:]]
    ends = {one.result.outcome.sentence for one in sides}
    leading, *others = work.lanes
    held = [hold_every_part(leading, other, text, work.given, work.input)
            for other in others if arguments.parts]  # fmt: skip
    if arguments.json:
        print_answer("compare", {
            "lanes": [{"lane": one.lane, "outcome": one.result.outcome.as_data(),
                       "output": list(one.result.output), "state": list(one.result.state),
                       "costs": one.result.costs} for one in sides],
            "partings": [{"first": p.first, "second": p.second, "sentence": p.sentence,
                          "steps": list(p.steps), "more": list(p.more)}
                         for p in partings],
            **({"parts": [as_data(one) for one in held]} if arguments.parts else {}),
        })  # fmt: skip
        return _compared(sides, ends, held)
    if all(one.result.outcome.kind in UNREAD for one in sides):
        outcome = sides[0].result.outcome
        print(visible(outcome.sentence), file=sys.stderr)
        return REJECTED
    wide = max(len(one.lane) for one in sides)
    costs = [name for name in MAIN_COSTS if any(one.result.costs.get(name) for one in sides)]
    widths = [max(len(name), 7) for name in costs]
    head = "  ".join(f"{name:>{w}}" for name, w in zip(costs, widths, strict=True))
    print(f"{'':<{wide}}  {head}")
    for one in sides:
        row = "  ".join(
            f"{one.result.costs.get(name, 0) or '·':>{w},}" if one.result.costs.get(name)
            else f"{'·':>{w}}" for name, w in zip(costs, widths, strict=True)
        )  # fmt: skip
        print(f"{one.lane:<{wide}}  {row}  {visible(cut(one.result.outcome.sentence, 60))}")
        written = "".join(one.result.output)
        if written:
            print(f"{'':<{wide}}  writes {visible(cut(written, 80))}")
    for parting in partings:
        print(f"\n{parting.first} and {parting.second}: {parting.sentence}")
        if any(parting.steps):
            first, second = parting.steps
            print(f"    at step {first:,} and step {second:,} of their walks")
        for line in parting.more:
            print(f"    {line}")
    for one_held in held:
        print_every_part(one_held, work.source)
    return _compared(sides, ends, held)


def _compared(sides: list[Side], ends: set[str], held: list[EveryPart]) -> int:
    if all(one.result.outcome.kind in UNREAD for one in sides):
        return REJECTED
    apart = len(ends) > 1 or any(one.apart is not None for one in held)
    return NEGATIVE if apart else OK


PROGRAMS, FEW_PROGRAMS = 10_000, 500
"""How many programs are hunted through; against a command, which begins anew for each."""
GROWING = Limits(calls=2_000_000, depth=1_000_000)
"""For one run over a range, which may explode; --calls says otherwise."""


def range_argument(text: str) -> tuple[str, range]:
    """A name with its numbers. Raises `Usage`."""
    try:
        return range_of(text)
    except BadRange as wrong:
        raise Usage(f"--over: {wrong}") from wrong


def growth(arguments: argparse.Namespace) -> int:
    """Print how a cost grows when a name supplied by hand goes over a range."""
    name, numbers = range_argument(arguments.over)
    cost = COSTS.get(arguments.cost, arguments.cost)
    work = chosen(arguments)
    if cost not in COSTS.values() and not cost.startswith("calls of "):
        counted = ", ".join(COSTS)
        raise Usage(f"nothing called {arguments.cost} is counted; there are {counted}")
    try:
        limits = work.limits if arguments.calls is not None else GROWING
        tables, ends = measured(work.lanes, work.source.text, name, numbers, [cost], work.given,
                                work.input, limits)  # fmt: skip
    except BadBinding as bad:
        raise Usage(f"--over {bad}") from bad
    table = tables[cost]
    for lane, number, result in ends:
        ended = f"{name} = {number}: {result.outcome.sentence}"
        print(f"! {lane} at {visible(cut(ended, 100))}", file=sys.stderr)
    if arguments.json:
        print_answer("growth", {"cost": cost, "over": name, "lanes": {
            lane: {"points": points, "growth": described(points)} for lane, points in table.items()
        }})  # fmt: skip
        return 0
    lanes = list(table)
    widths = [max(len(lane), 9) for lane in lanes]
    head = "  ".join(f"{one:>{w}}" for one, w in zip(lanes, widths, strict=True))
    print(f"{name:>8}  {head}")
    rows = itertools.zip_longest(*table.values())
    for number, row in zip(numbers, rows, strict=False):
        cells = [f"{one[1]:>{w},.0f}" if one else " " * w
                 for one, w in zip(row, widths, strict=True)]  # fmt: skip
        print(f"{number:>8}  {'  '.join(cells)}")
    for shown, points in table.items():
        print(f"{cost} of {shown}: {described(points)}")
    return 0


def seek_difference(arguments: argparse.Namespace) -> int:
    """Look for the smallest program on which two lanes differ."""
    from embrix.compare.search import (  # it needs a library that takes a while to begin
        NoPrograms,
        hunt,
    )

    session, language, lanes = lanes_of(arguments)
    names = arguments.lanes or []
    if len(names) != 2:
        raise Usage("a hunt takes two lanes: --with one --with other")
    one, other = lanes[0], lanes[1]
    most = arguments.most or (PROGRAMS if other.records else FEW_PROGRAMS)
    if not 1 <= most <= 1_000_000:
        raise Usage("--most must be between 1 and 1,000,000")

    def progress(done: Hunt) -> None:
        progress_line(f"{counted(done.tried, 'program')} ")

    try:
        done = hunt(one, other, most=most, seed=arguments.seed, costs=arguments.costs,
                    endless=arguments.endless, progress=progress)  # fmt: skip
    except NoPrograms as wrong:
        raise Usage(str(wrong)) from wrong
    progress_line(" " * 30)
    progress_line("")
    if arguments.json:
        print_answer("hunt", _hunted(language, done, one, other))
        return NEGATIVE if done.program else OK
    print(f"{language}, {one.name} and {other.name}: {done.sentence}")
    print(f"    of the programs run {done.distribution}")
    print(f"    {done.occurring}")
    if not done.program:
        return 0
    print(f"\n    {visible(done.program)}\n")
    for name, end in zip((one.name, other.name), done.ends, strict=True):
        print(f"    {name}: {visible(end)}")
    parting = parted(done.program, side(one, done.program), side(other, done.program))
    print(f"    {parting.sentence}")
    for line in parting.more:
        print(f"    {line}")
    if arguments.suite is not None:
        (path,) = suites_of(session, [arguments.suite])
        found = as_case(session, path, done.program, names, f"a hunt, seed {done.seed}")
        if found.refused:
            raise Usage(found.refused)
        print()
        write_after_a_look(path, found.old, found.text, found.changes, yes=arguments.yes)
    return 1


def _hunted(language: str, done: Hunt, one: Lane, other: Lane) -> dict[str, Any]:
    """What came of a hunt, as data."""
    found: dict[str, Any] = {
        "language": language, "lanes": [one.name, other.name], "seed": done.seed,
        "asked": done.asked, "run": done.tried, "ended": dict(done.ended),
        "forms": dict(done.forms), "sentence": done.sentence,
    }  # fmt: skip
    if done.program:
        parting = parted(done.program, side(one, done.program), side(other, done.program))
        found |= {"program": done.program, "nodes": done.nodes, "ends": list(done.ends),
                  "parting": [parting.sentence, *parting.more]}  # fmt: skip
    return found
