"""Warm worker processes: answers, cancelling, ending what does not stop, starting again."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import textwrap
import threading
import time
from collections.abc import Callable, Iterator
from multiprocessing import forkserver
from pathlib import Path
from typing import Any

import pytest

from embrix.course.load import Course
from embrix.messages.recipes import RunLimits, WalkRecipe
from embrix.messages.requests import (
    AskNotes,
    DescribeCourse,
    DescribeGrammar,
    FetchSteps,
    LookAt,
    OpenWalk,
    Request,
    RunLane,
    SeekStep,
    TestSuite,
    TryChange,
)
from embrix.messages.wire import Answered, Cancelled, Event, Fault, Progress
from embrix.workers.pool import Pool
from embrix.workers.process import prepare
from tests.conftest import TINY_LANGUAGE

LOOPING = """\
interpreter loops for Tiny
error Never  "never"
main run
define run(p: Expr) -> Number by p
  Lit(0) => forever(p)
  Lit(1) => hoard([1])
  _      => 7
define forever(p: Expr) -> Number
  forever(p)
define hoard(xs: List[Number]) -> Number
  1 + hoard([2, ..xs])
"""


@pytest.fixture
def pool(tmp_path: Path) -> Iterator[Pool]:
    (tmp_path / "course.toml").write_text('title = "loops"\n')
    (tmp_path / "tiny.brix").write_text(TINY_LANGUAGE)
    (tmp_path / "loops.brix").write_text(textwrap.dedent(LOOPING))
    workers = Pool(1, memory=256 << 20)
    done = threading.Event()
    workers.load(str(tmp_path), lambda _: done.set())
    assert done.wait(30)
    yield workers
    workers.close()


def kill_worker(pool: Pool) -> None:
    """Kill the only worker, and wait until there is another one."""
    (before,) = pool.processes()
    os.kill(before, signal.SIGKILL)
    waits_for(lambda: pool.processes() != [before])


def waits_for(holds: Callable[[], bool]) -> None:
    for _ in range(6_000):
        if holds():
            return
        time.sleep(0.01)
    raise AssertionError("it never came")


def has_begun(pool: Pool, number: int) -> bool:
    """Whether a request is being carried out by the only worker."""
    request = pool._workers[0].pending.get(number)
    return request is not None and request.started


def ask(text: str, depth: int = 10**6) -> RunLane:
    limits = RunLimits(calls=10**12, depth=depth, output=1000)
    return RunLane(language="Tiny", lane="loops", text=text, limits=limits)


def answer_to(pool: Pool, request: Request, timeout: float = 30) -> Any:
    """The answer to a request that is answered."""
    event = pool.request(request, timeout)
    assert isinstance(event, Answered), event
    return event.answer


def test_an_endless_run_is_cancelled_and_the_worker_goes_on(pool: Pool) -> None:
    """Cancelling stops the run itself; the same warm process answers the next request."""
    (before,) = pool.processes()
    answers: list[Event] = []
    done = threading.Event()

    def take(answer: Event) -> None:
        answers.append(answer)
        done.set()

    number = pool.ask(ask("0"), take)
    time.sleep(0.3)
    pool.cancel(number)
    assert done.wait(20)
    assert answers == [Cancelled(number)]
    assert answer_to(pool, ask("2"), 20).outcome.text == "7"
    assert pool.processes() == [before]


def test_what_has_not_begun_is_cancelled_at_once(pool: Pool) -> None:
    got: dict[str, Event] = {}
    events = {name: threading.Event() for name in ("first", "second")}

    def taker(name: str) -> Any:
        def take(answer: Event) -> None:
            got[name] = answer
            events[name].set()

        return take

    first = pool.ask(ask("0"), taker("first"))
    second = pool.ask(ask("2"), taker("second"))
    pool.cancel(second)
    assert events["second"].wait(20)
    assert "first" not in got
    pool.cancel(first)
    assert events["first"].wait(20)
    assert got == {"first": Cancelled(first), "second": Cancelled(second)}


def test_a_killed_worker_is_replaced_with_the_course_loaded(pool: Pool) -> None:
    """The request it was at is carried out once more; over whom a second worker ends, that is
    answered as a fault. The next one finds a fresh worker."""
    answers: list[Event] = []
    done = threading.Event()

    def take(answer: Event) -> None:
        answers.append(answer)
        done.set()

    running = pool.ask(ask("0"), take)
    for _ in range(2):
        waits_for(lambda: has_begun(pool, running))
        assert not answers
        kill_worker(pool)
    assert done.wait(60)
    (answer,) = answers
    assert isinstance(answer, Fault)
    assert answer.kind == "ended"
    assert answer_to(pool, ask("2"), 30).outcome.text == "7"


def test_running_out_of_memory_is_an_outcome(pool: Pool) -> None:
    """The limit on the process ends a run that hoards; the worker survives."""
    outcome = answer_to(pool, ask("1", depth=2 * 10**9), 120).outcome
    assert (outcome.kind, outcome.name) == ("out of fuel", "memory")
    assert answer_to(pool, ask("2"), 30).outcome.text == "7"


def test_a_fault_of_embrix_looks_different_from_outcomes(pool: Pool) -> None:
    answer = pool.request(TestSuite(suite="a path outside the course"), 20)
    assert isinstance(answer, Fault)
    assert answer.kind == "fault"
    assert "ValueError" in answer.text


def test_what_waited_when_a_worker_died_is_still_answered(pool: Pool) -> None:
    """Nothing is lost with a worker, and what was not begun never."""
    answers: dict[str, Event] = {}
    done = {name: threading.Event() for name in ("running", "waiting")}

    def taker(name: str) -> Any:
        def take(answer: Event) -> None:
            answers[name] = answer
            done[name].set()

        return take

    running = pool.ask(ask("0"), taker("running"))
    waits_for(lambda: has_begun(pool, running))
    pool.ask(ask("2"), taker("waiting"))
    for _ in range(2):
        waits_for(lambda: has_begun(pool, running))
        kill_worker(pool)
    assert done["running"].wait(20)
    assert done["waiting"].wait(30)
    running_end, waiting_end = answers["running"], answers["waiting"]
    assert isinstance(running_end, Fault)
    assert running_end.kind == "ended"
    assert isinstance(waiting_end, Answered)
    assert waiting_end.answer.outcome.text == "7"


def test_workers_that_are_killed_before_they_answer_are_replaced(pool: Pool) -> None:
    """On a full machine that happens while they start."""
    for _ in range(2):
        kill_worker(pool)
    assert answer_to(pool, ask("2"), 60).outcome.text == "7"


WALK = WalkRecipe("1", "Tiny", "loops", "2")


def test_a_walk_outlives_its_worker(pool: Pool) -> None:
    """Steps, places and files of a walk come from a worker that never recorded it."""
    assert answer_to(pool, OpenWalk(walk=WALK)).length == 1
    kill_worker(pool)
    (step,) = answer_to(pool, FetchSteps(walk=WALK, first=0, last=60))
    assert step.kind == "end"
    kill_worker(pool)
    wanted = SeekStep(walk=WALK, kind="end", what="", start=0, forward=True)
    assert answer_to(pool, wanted).number is None
    gone = WalkRecipe("2", "Tiny", "nowhere", "2")
    refused = answer_to(pool, OpenWalk(walk=gone)).refused
    assert refused == "no lane called nowhere can run; there are: loops"
    assert answer_to(pool, FetchSteps(walk=gone, first=0, last=60)) == []


def test_a_walk_survives_definitions_that_are_read_again(pool: Pool, tmp_path: Path) -> None:
    answer_to(pool, OpenWalk(walk=WALK))
    done = threading.Event()
    pool.load(str(tmp_path), lambda _: done.set())
    assert done.wait(30)
    assert len(answer_to(pool, FetchSteps(walk=WALK, first=0, last=60))) == 1


@pytest.mark.parametrize("what", ["notes", "grammar", "look", "try", "test"])
def test_whatever_is_cancelled_the_worker_lives_on(what: str, course_copy: Path) -> None:
    """Not only runs can be stopped: each of these is cancelled at many points."""
    workers = Pool(1)
    loaded = threading.Event()
    workers.load(str(course_copy), lambda _: loaded.set())
    assert loaded.wait(60)
    (before,) = workers.processes()
    text = "let x = 1 in " * 2_000 + "x"
    file = course_copy / "rill" / "environment.brix"
    requests: dict[str, Request] = {
        "notes": AskNotes(),
        "grammar": DescribeGrammar(language="Weir"),
        "look": LookAt(language="Rill", text=text),
        "try": TryChange(
            language="Rill", file=str(file), definition=file.read_text() + "#\n", text="1 + 1"
        ),
        "test": TestSuite(suite=str(course_copy / "rill" / "rill.suite.toml"), keep=False),
    }
    request = requests[what]
    for pause in (0.0, 0.02, 0.05, 0.1, 0.2, 0.3):
        answers: list[Event] = []
        done = threading.Event()

        def take(
            answer: Event,
            kept: list[Event] = answers,
            event: threading.Event = done,
        ) -> None:
            if not isinstance(answer, Progress):
                kept.append(answer)
                event.set()

        number = workers.ask(request, take)
        time.sleep(pause)
        workers.cancel(number)
        assert done.wait(30)
        assert isinstance(answers[0], Cancelled | Answered)
    assert workers.processes() == [before]
    assert isinstance(workers.request(request, 60), Answered)
    workers.close()


def test_a_worker_that_is_paused_answers_in_order_when_the_pause_is_over(
    course_copy: Path,
) -> None:
    workers = Pool(1)
    loaded = threading.Event()
    workers.load(str(course_copy), lambda _: loaded.set())
    assert loaded.wait(60)
    answers: list[str] = []
    last = threading.Event()

    def ask(text: str) -> int:
        def take(event: Event) -> None:
            if isinstance(event, Answered | Cancelled):
                answers.append(f"{text} {type(event).__name__}")
            if text == "last":
                last.set()

        return workers.ask(LookAt(language="Drip", text=text), take)

    over = workers.pause(0, 3600)
    ask("first")
    number = ask("second")
    workers.cancel(number)
    ask("last")
    assert not last.wait(0.5)
    assert answers == []
    over()
    over()  # once more does no harm
    assert last.wait(30)
    assert sorted(answers) == ["first Answered", "last Answered", "second Cancelled"]
    assert answers[-1] == "last Answered"
    workers.pause(0, 0.2)
    assert isinstance(workers.request(LookAt(language="Drip", text="1"), 30), Answered)
    workers.close()


def test_a_script_that_starts_workers_runs_once(lockside: Course, tmp_path: Path) -> None:
    """A worker carries out nothing of the main program, guarded or not."""
    script = tmp_path / "script.py"
    script.write_text(
        "print('main')\n"
        "from embrix.messages.requests import DescribeCourse\n"
        "from embrix.workers.pool import Pool\n"
        "pool = Pool(2)\n"
        f"pool.load({str(lockside.folder)!r}, lambda event: None)\n"
        "print(type(pool.request(DescribeCourse(), 60)).__name__)\n"
        "pool.close()\n"
    )
    done = subprocess.run([sys.executable, script], capture_output=True, text=True, timeout=120)
    assert done.stdout.split() == ["main", "Answered"], done.stderr


def test_workers_begin_anew_where_none_can_be_forked(
    lockside: Course, monkeypatch: pytest.MonkeyPatch
) -> None:
    """No folder for a socket, say."""

    def refused() -> None:
        raise OSError("no space left on device")

    monkeypatch.setattr(forkserver, "ensure_running", refused)
    prepare()  # the workbench goes on
    pool = Pool(1)
    try:
        pool.load(str(lockside.folder), lambda event: None)
        assert isinstance(pool.request(DescribeCourse(), 120), Answered)
    finally:
        pool.close()


def test_without_any_process_it_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    def refused(*_args: object, **_names: object) -> None:
        raise OSError("too many processes")

    monkeypatch.setattr("multiprocessing.process.BaseProcess.start", refused)
    pool = Pool(1)
    try:
        event = pool.request(DescribeCourse(), 60)
        assert isinstance(event, Fault)
        assert event.kind == "ended"
        assert pool.processes() == [-1]
    finally:
        pool.close()
