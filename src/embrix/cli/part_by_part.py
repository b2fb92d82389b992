"""Two lanes held against each other at every part, on the command line."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from embrix.cli.status import NEGATIVE, OK
from embrix.cli.usage import Usage
from embrix.compare.every_part import EveryPart, hold_every_part
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding
from embrix.suite.cases import Case
from embrix.text.diagnostic import Findings, excerpt
from embrix.text.plural import counted
from embrix.text.source import Source, Span
from embrix.text.visible import visible


def print_every_part(found: EveryPart, source: Source) -> None:
    """What came of a program: the sentence, the place of the part that differs, what was not
    compared."""
    print(f"\n{visible(found.sentence)}")
    if found.apart is not None and found.apart.place is not None:
        for row in excerpt(source, Span(*found.apart.place)):
            print(f"    {row}")
        print(f"    at step {found.apart.step:,} of the walk on {found.left}")
    for why, number in found.left_out.items():
        print(f"    {counted(number, 'part')} not compared: {visible(why)}")


def as_data(found: EveryPart) -> dict[str, Any]:
    """The same as data."""
    data: dict[str, Any] = {
        "first": found.left, "second": found.right, "sentence": found.sentence,
        "compared": found.compared, "left_out": dict(found.left_out),
    }  # fmt: skip
    if found.apart is not None:
        one = found.apart
        data["apart"] = {"step": one.step, "place": list(one.place or ()), "part": one.term,
                         "gives": [one.left, one.right]}  # fmt: skip
    return data


def hold_suites(session: Session, paths: list[Path], pair: str) -> int:
    """Hold two lanes against each other at every part of the programs of suites that are to end
    alike on both, and print what differs. Raises `Usage`."""
    names = [name.strip() for name in pair.split(",")]
    if len(names) != 2 or not all(names):
        raise Usage("--parts takes two lanes: --parts environment,rewriting")
    apart, met = 0, False
    for path in paths:
        programs = compared = 0
        left_out: Counter[str] = Counter()
        for case, found in _held(session, path, names[0], names[1]):
            met = True
            programs += 1
            compared += found.compared
            left_out += found.left_out
            if found.refused:
                left_out[found.refused] += 1
            if found.apart is not None:
                apart += 1
                print(f"✗ {case.name}")
                print_every_part(found, Source(case.name, case.program))
                print()
        if programs:
            name = path.relative_to(session.course.folder).as_posix()
            print(f"{name}: {counted(compared, 'part')} of {counted(programs, 'program')} on "
                  f"{names[0]} and {names[1]}")  # fmt: skip
            for why, number in left_out.items():
                print(f"    {number:,} not compared: {visible(why)}")
    if not met:
        raise Usage(f"no suite has cases for both {names[0]} and {names[1]}")
    return NEGATIVE if apart else OK


def _held(session: Session, path: Path, one: str, other: str) -> Iterator[tuple[Case, EveryPart]]:
    """The cases of a suite that expect the same of two lanes, with what came of each."""
    suite = session.suite(path, Findings())
    if suite is None:
        return
    try:
        left, right = (session.lane(suite.language, name) for name in (one, other))
    except NoLane:
        return
    for case in suite.cases:
        alike = case.expectation_for(one) == case.expectation_for(other)
        if not alike or case.about_reading or not (case.applies_to(one) and case.applies_to(other)):
            continue
        try:
            yield case, hold_every_part(left, right, case.program, case.given, case.input)
        except BadBinding:
            continue  # which is a finding about the case
