"""Recorded runs, and searches in them: beside the same run that counts and records nothing more."""

from __future__ import annotations

import tracemalloc
from functools import partial

from bench.measuring import compare
from embrix.lanes.session import Session
from embrix.machine.limits import Limits
from embrix.trace.seeking import Kind, seek
from embrix.trace.walk import Walk

FIB = "let fib of n = when n < 2 then n else fib (n - 1) + fib (n - 2) in fib {}"
WHOLE = Limits(calls=5_000_000)
PART = Limits(calls=5_000_000, events=20_000)
"""So few events that most of the run has to be carried out once more."""
SOUGHT: tuple[tuple[Kind, str], ...] = (
    ("lookup", "nobody"), ("clause", "99999"), ("name", "nobody"), ("text", "nowhere"),
)  # fmt: skip


def run_searching(session: Session) -> None:
    """What is looked for is nowhere, so that all of a walk is gone through."""
    for name, few, many in (("environment", 14, 18), ("by_need", 14, 18), ("rewriting", 8, 15)):
        lane = session.lane("Rill", name)
        for number, limits, kept in ((few, WHOLE, "all kept"), (many, PART, "a part kept")):
            text = FIB.format(number)
            plain = partial(lane.run, text, limits=WHOLE)
            tracemalloc.start()
            traced = lane.trace(text, limits=limits)
            held, _ = tracemalloc.get_traced_memory()
            tracemalloc.stop()
            walk = Walk(lane, traced)
            each = held / len(traced.recorder.events)
            print(f"Rill {name}, fib {number}, {len(walk):,} steps, {kept}")
            if kept == "all kept":
                print(f"  {each:.0f} bytes a step")
            compare("  recorded", partial(lane.trace, text, limits=limits), plain, rounds=5)
            texts = name == "environment" or (name == "by_need" and kept == "all kept")
            for kind, what in SOUGHT if texts else SOUGHT[: 3 if name == "by_need" else 2]:
                looking = partial(seek, walk, kind, what, 0, forward=True)
                compare(f"  search for a {kind}", looking, plain, rounds=3)
