"""Workers read what the first program of a workbench needs before anybody asks about it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from embrix.course.last_time import LastTime, remember
from embrix.messages.replies import CourseSummary
from embrix.messages.requests import DescribeCourse
from embrix.messages.wire import Answered, Event
from embrix.text.user_folders import state_folder
from embrix.workers.ahead import LIVE_WORKER, SUITE_WORKER, reading_ahead
from embrix.workers.pool import Pool
from tests.conftest import leave_only

DRIP, RILL = Path("drip", "programs", "toll.drip"), Path("rill", "programs", "rates.rill")


@pytest.fixture
def course(course_copy: Path) -> Path:
    leave_only(course_copy, "rill")
    return course_copy


def read_by(pool: Pool) -> list[str]:
    """The languages that the worker for what is on screen has read; nobody has asked for any."""
    answer = pool.request(DescribeCourse(), 60, LIVE_WORKER)
    assert isinstance(answer, Answered)
    assert isinstance(answer.answer, CourseSummary)
    return [name for name, one in answer.answer.languages.items() if one.read]


@pytest.fixture
def pools() -> Iterator[list[Pool]]:
    made: list[Pool] = []
    yield made
    for pool in made:
        pool.close()
        assert all(worker.closing for worker in pool._workers)


@pytest.mark.parametrize(
    ("program", "left_at", "languages"),
    [
        (RILL, "", ["Drip", "Rill"]),
        (DRIP, str(RILL), ["Drip"]),
        (None, str(RILL), ["Drip", "Rill"]),
        (None, str(DRIP), ["Drip"]),
        (None, "", ["Drip"]),
    ],
)
def test_what_the_program_needs_is_read(
    course: Path, pools: list[Pool], program: Path | None, left_at: str, languages: list[str]
) -> None:
    """The program that is named, or the one that was open last, or those of the first language."""
    if left_at:
        remember(course, LastTime(program=left_at))
    pools.append(reading_ahead(course, program))
    assert read_by(pools[0]) == languages


def test_a_record_that_is_damaged_hinders_nothing(course: Path, pools: list[Pool]) -> None:
    remember(course, LastTime(program=str(RILL)))
    (record,) = (state_folder() / "courses").iterdir()
    record.write_text("{")
    pools.append(reading_ahead(course, None))
    assert read_by(pools[0]) == ["Drip"]


def test_what_is_asked_for_then_is_what_counts(course: Path, pools: list[Pool]) -> None:
    """Texts that are not saved, another program: all workers have it."""
    pools.append(reading_ahead(course, DRIP))
    pool = pools[0]
    path = course / "rill" / "rill.brix"
    answers: list[Event] = []
    pool.load(str(course), answers.append, {str(path): "language Rill\n"}, "rill")
    summaries = []
    for worker in (LIVE_WORKER, SUITE_WORKER):
        answer = pool.request(DescribeCourse(), 60, worker)
        assert isinstance(answer, Answered)
        summaries.append(answer.answer)
    assert summaries[0] == summaries[1]
    assert any("no forms" in str(one) for one in summaries[0].wrong)
