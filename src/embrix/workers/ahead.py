"""Workers that read a course before anybody asks about it: while the interface is still loaded."""

from __future__ import annotations

from pathlib import Path

from embrix.course.last_time import last_time
from embrix.course.records import Damaged
from embrix.messages.requests import DescribeCourse, Load
from embrix.workers.pool import Pool

WORKERS = 2
"""Processes that answer: one for what is on screen, one for the suite and the notes."""
LIVE_WORKER, SUITE_WORKER = 0, 1


def reading_ahead(folder: Path, program: Path | None) -> Pool:
    """The workers of a workbench that is about to be opened. The one for what is on screen already
    reads what the first program needs: that given, or the one that was open last. It is asked to
    again once it is known what is not saved, and remembers then what it has read."""
    pool = Pool(WORKERS)
    extension = _first(folder, program).suffix.removeprefix(".")
    for request in (Load(folder=str(folder), extension=extension), DescribeCourse()):
        pool.ask(request, lambda _: None, LIVE_WORKER)
    return pool


def _first(folder: Path, program: Path | None) -> Path:
    if program is not None:
        return program
    try:
        kept = last_time(folder)
    except Damaged:
        kept = None
    return Path(kept.program if kept is not None else "")
