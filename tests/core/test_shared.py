"""Work shared out over copies of the process: every answer once, in order; what is lost is told."""

from __future__ import annotations

import os
import signal
import time
from typing import Any

import pytest

from embrix.workers.copies import Lost, Shared, Telling


def begin(work: Any, parts: int, workers: int, told: list[dict[str, Any]]) -> Shared:
    return Shared.begin(work, parts, workers, told.append)


@pytest.mark.parametrize(("parts", "workers"), [(1, 1), (7, 3), (2, 8)])
def test_every_part_is_answered_in_its_order(parts: int, workers: int) -> None:
    told: list[dict[str, Any]] = []

    def work(part: int, telling: Telling) -> dict[str, Any]:
        telling({"done": 1, "of": 2})
        return {"part": part, "square": part * part, "process": os.getpid()}

    shared = begin(work, parts, workers, told)
    answers = shared.wait()
    assert [answer["square"] for answer in answers] == [n * n for n in range(parts)]
    processes = {answer["process"] for answer in answers}
    assert len(processes) == min(parts, workers)
    assert os.getpid() not in processes
    assert told[-1] == {"done": parts, "of": 2 * parts}


def test_a_fault_and_a_lost_process_are_told() -> None:
    def fault(part: int, telling: Telling) -> dict[str, Any]:
        raise ValueError(f"part {part} is wrong")

    with pytest.raises(RuntimeError, match="part 0 is wrong"):
        begin(fault, 2, 2, []).wait()

    def lost(part: int, telling: Telling) -> dict[str, Any]:
        if part == 1:
            os.kill(os.getpid(), signal.SIGKILL)
        return {"part": part}

    with pytest.raises(Lost, match="ended by signal 9"):
        begin(lost, 2, 2, []).wait()


def test_what_is_given_up_ends_at_once() -> None:
    def work(part: int, telling: Telling) -> dict[str, Any]:
        time.sleep(60)
        return {}

    shared = begin(work, 2, 2, [])
    children = list(shared._children)
    shared.close()
    for child in children:
        with pytest.raises(ProcessLookupError):
            os.kill(child, 0)
