"""Two sides of a comparison, run in turn."""

from __future__ import annotations

import gc
import statistics
import time
from collections.abc import Callable

ROUNDS = 15


def timed(work: Callable[[], object]) -> float:
    begin = time.perf_counter()
    work()
    return time.perf_counter() - begin


def compare(
    label: str, ours: Callable[[], object], theirs: Callable[[], object], rounds: int = ROUNDS
) -> None:
    """Run both sides in turn and print the median of the ratios."""
    ours()
    theirs()
    ratios, times = [], []
    for _ in range(rounds):
        gc.collect()
        left, right = timed(ours), timed(theirs)
        ratios.append(left / right)
        times.append((left, right))
    middle = statistics.median(ratios)
    ours_ms = 1000 * statistics.median(left for left, _ in times)
    theirs_ms = 1000 * statistics.median(right for _, right in times)
    print(f"{label:<34} ratio {middle:5.2f}   ({ours_ms:8.2f} ms against {theirs_ms:8.2f} ms)")
