"""Loading and checking a course: cold, warm, and after an edit."""

from __future__ import annotations

import statistics
from collections.abc import Mapping
from functools import partial
from pathlib import Path

from bench.measuring import timed
from embrix.course.checked import MEMORY
from embrix.course.load import load_course


def whole(folder: Path, unsaved: Mapping[Path, str] | None = None) -> object:
    """Everything that is wrong with a course: all of it is checked for that."""
    return load_course(folder, unsaved).diagnostics


def run_checking(folder: Path) -> None:
    MEMORY.forget()
    cold = 1000 * timed(lambda: whole(folder))
    warm = statistics.median(1000 * timed(lambda: whole(folder)) for _ in range(7))
    print(f"the whole course: cold {cold:.0f} ms, warm {warm:.1f} ms")
    for what, languages in (("interpreter", False), ("language", True)):
        medians = []
        for path in sorted(folder.rglob("*.brix")):
            if (path.stem == path.parent.name) != languages:
                continue
            text = path.read_text()
            edits = [{path: f"{text}\n# {number}\n"} for number in range(5)]
            times = [timed(partial(whole, folder, edit)) for edit in edits]
            medians.append(1000 * statistics.median(times))
        print(f"after an edit of one {what}: {statistics.median(medians):.0f} ms at the median, "
              f"{max(medians):.0f} ms at most")  # fmt: skip
