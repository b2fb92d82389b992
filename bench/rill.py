"""Rill beside interpreters written by hand: recursive programs at three sizes."""

from __future__ import annotations

import sys
import tracemalloc
from collections.abc import Callable
from functools import partial
from typing import Any

from bench.by_hand import rill
from bench.measuring import compare
from embrix.grammar.parser import Parsed
from embrix.lanes.session import Session
from embrix.machine import staging
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.recorder import WholeRecord
from embrix.machine.stack import with_room
from embrix.machine.unit import Variant
from embrix.terms.node import Node

LIMITS = Limits(calls=10**9, depth=10**6, events=10**9)
PROGRAMS = {
    "sum": "let sum of n = when n < 1 then 0 else n + sum (n - 1) in sum {}",
    "fib": "let fib of n = when n < 2 then n else fib (n - 1) + fib (n - 2) in fib {}",
    "toll": "let add = given a: given b: a + b in let twice = given f: given x: f (f x) in "
    "let loop of n = when n is 0 then 0 else add (twice (given y: y + n) 1) (loop (n - 1)) "
    "in loop {}",
}
LARGE = {"sum": (500, 2_000, 8_000), "fib": (10, 14, 18), "toll": (300, 1_200, 4_800)}
SMALL = {"sum": (20, 40, 80), "fib": (5, 7, 9), "toll": (10, 20, 40)}


def beside(
    lane: Lane, text: str, variant: Variant, by_hand: Callable[[Any], Any], label: str
) -> None:
    """One program on a lane and by hand; both must give the same."""
    parsed = lane.parser.parse(text)
    assert isinstance(parsed, Parsed)
    tree = rill.from_node(lane.interpreter.signature, parsed.term)

    def ours() -> object:
        recorder = WholeRecord(LIMITS.events) if variant == "traced" else None
        return lane.machine.run(parsed.term, variant=variant, limits=LIMITS, recorder=recorder)

    result = by_hand(tree)
    value = result[0] if isinstance(result, tuple) else result
    shown = lane.machine.run(parsed.term, variant="plain", limits=LIMITS).outcome.text
    assert shown == rill.shown(value), (shown, value)
    compare(label, ours, lambda: by_hand(tree), rounds=7)


def run_rill(session: Session) -> None:
    sys.setrecursionlimit(1_000_000)
    variants: tuple[Variant, ...] = ("plain", "counted", "traced")
    work: list[tuple[str, tuple[Variant, ...], Callable[[Any], Any], dict[str, Any]]] = [
        ("environment", variants, lambda tree: rill.evaluate(tree, None), LARGE),
        ("rewriting", ("plain",), rill.rewrite, SMALL),
        ("by_need", ("plain",), lambda tree: rill.need(tree, None, rill.EMPTY), LARGE),
    ]
    for name, wanted, by_hand, sizes in work:
        lane = session.lane("Rill", name)
        for variant in wanted:
            print(f"Rill {name}, {variant}")
            for program, numbers in sizes.items():
                for number in numbers:
                    text = PROGRAMS[program].format(number)
                    beside(lane, text, variant, by_hand, f"  {program} {number}")
    roomy(session)
    staged(session)
    events(session)


LONG = {"sum": 30_000, "fib": 22, "toll": 10_000}


def staged(session: Session) -> None:
    """Long runs with parts of the program turned into Python, beside the same runs without."""
    often = staging.OFTEN

    def run(lane: Lane, term: Node, when: int) -> object:
        staging.OFTEN = when
        return lane.machine.run(term, variant="plain", limits=LIMITS)

    for name in ("environment", "by_need", "store_passing"):
        print(f"Rill {name}, plain: staged beside not staged")
        lane = session.lane("Rill", name)
        for program, number in LONG.items():
            parsed = lane.parser.parse(PROGRAMS[program].format(number))
            assert isinstance(parsed, Parsed)
            term = parsed.term
            ours = partial(run, lane, term, often)
            compare(f"  {program} {number}", ours, partial(run, lane, term, 10**9), rounds=5)
    staging.OFTEN = often


def roomy(session: Session) -> None:
    """The counterpart given the same room for its frames, for orientation."""
    print("Rill environment, plain; the counterpart with room for its frames in one piece")
    lane = session.lane("Rill", "environment")
    for program, numbers in LARGE.items():
        text = PROGRAMS[program].format(numbers[1])
        by_hand = lambda tree: with_room(lambda: rill.evaluate(tree, None))  # noqa: E731
        beside(lane, text, "plain", by_hand, f"  {program} {numbers[1]}")


def events(session: Session) -> None:
    """Bytes of a record for each event, without the values that it keeps alive."""
    lane = session.lane("Rill", "environment")
    parsed = lane.parser.parse(PROGRAMS["fib"].format(16))
    assert isinstance(parsed, Parsed)
    recorder = WholeRecord(LIMITS.events)
    lane.machine.run(parsed.term, variant="traced", limits=LIMITS, recorder=recorder)
    tracemalloc.start()
    before = tracemalloc.get_traced_memory()[0]
    copy = WholeRecord(LIMITS.events)
    for number, function in enumerate(recorder.functions):
        copy.enter(function, (recorder.arguments[number][0], recorder.arguments[number][1]))
        copy.leave(number, recorder.results[number])
    after = tracemalloc.get_traced_memory()[0]
    tracemalloc.stop()
    count = len(copy.events)
    print(f"a recorded event takes {(after - before) / count:.0f} bytes ({count:,} events)")
