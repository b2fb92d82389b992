"""Measure Embrix beside hand-written counterparts, in turn, in one process; print median ratios.

A ratio below one means that Embrix takes less time. Machines are noisy: only ratios are printed
as results, the times beside them are for orientation.
"""

from __future__ import annotations

import gc
import random
import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path

import embrix
from bench.by_hand import drip
from embrix.course.load import load_course
from embrix.machine.lane import Lane, parser_for
from embrix.machine.limits import Limits
from embrix.machine.recorder import Recorder
from embrix.terms.generate import Generator
from embrix.terms.node import Node, size

ROUNDS = 15
NUMBERS = (0, 1, 2, 3, 7, 10)
LIMITS = Limits(moments=10**9)


def programs(lane: Lane, count: int, depth: int) -> list[Node]:
    """Generated closed programs, always the same, those that end in a value."""
    chance = random.Random(7)
    signature = lane.interpreter.language.signature
    generator = Generator(signature, chance.randrange, numbers=NUMBERS)
    found: list[Node] = []
    while len(found) < count:
        term = generator.term("Expr", depth)
        if size(term) < 3 * depth:
            continue
        if lane.machine.run(term, variant="plain").outcome.kind == "value":
            found.append(term)
    return found


def timed(work: Callable[[], object]) -> float:
    begin = time.perf_counter()
    work()
    return time.perf_counter() - begin


def compare(label: str, ours: Callable[[], object], theirs: Callable[[], object]) -> None:
    """Run both sides in turn and print the median of the ratios."""
    ours()
    theirs()
    ratios, times = [], []
    for _ in range(ROUNDS):
        gc.collect()
        left, right = timed(ours), timed(theirs)
        ratios.append(left / right)
        times.append((left, right))
    middle = statistics.median(ratios)
    ours_ms = 1000 * statistics.median(left for left, _ in times)
    theirs_ms = 1000 * statistics.median(right for _, right in times)
    print(f"{label:<34} ratio {middle:5.2f}   ({ours_ms:8.2f} ms against {theirs_ms:8.2f} ms)")


def main() -> None:
    sys.setrecursionlimit(1_000_000)
    course = load_course(Path(embrix.__file__).parent / "demo" / "lockside")
    parser = parser_for(course.languages["Drip"])
    assert parser is not None
    lane = Lane(course.interpreters["Drip"]["environment"], parser)
    signature = lane.interpreter.language.signature
    for count, depth in ((200, 6), (100, 8), (40, 10)):
        terms = programs(lane, count, depth)
        by_hand = [drip.from_node(signature, term) for term in terms]
        nodes = sum(map(size, terms))
        print(f"Drip environment, {count} programs of depth {depth}, {nodes:,} nodes")

        def theirs(trees: list[drip.Expr] = by_hand) -> None:
            for tree in trees:
                drip.evaluate(tree, None)

        def plain(programs: list[Node] = terms) -> None:
            for term in programs:
                lane.machine.run(term, variant="plain", limits=LIMITS)

        def counted(programs: list[Node] = terms) -> None:
            for term in programs:
                lane.machine.run(term, variant="counted", limits=LIMITS)

        def traced(programs: list[Node] = terms) -> None:
            for term in programs:
                recorder = Recorder(LIMITS.moments)
                lane.machine.run(term, variant="traced", limits=LIMITS, recorder=recorder)

        compare("  plain", plain, theirs)
        compare("  counted", counted, theirs)
        compare("  traced", traced, theirs)


if __name__ == "__main__":
    main()
