"""Warm worker processes: answers, cancelling, ending what does not stop, starting again."""

from __future__ import annotations

import os
import signal
import textwrap
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

from embrix.runs.pool import Pool
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


def ask(text: str, **limits: int) -> dict[str, Any]:
    base = {"calls": 10**12, "depth": 10**6, "output": 1000, "moments": 1000}
    return {"language": "Tiny", "lane": "loops", "text": text, "limits": {**base, **limits}}


def test_an_endless_run_is_cancelled_and_the_worker_goes_on(pool: Pool) -> None:
    """Cancelling stops the run itself; the same warm process answers the next request."""
    (before,) = pool.processes()
    answers: list[dict[str, Any]] = []
    done = threading.Event()

    def take(answer: dict[str, Any]) -> None:
        answers.append(answer)
        done.set()

    number = pool.ask("run", ask("0"), take)
    time.sleep(0.3)
    pool.cancel(number)
    assert done.wait(20)
    assert answers == [{"cancelled": True}]
    assert pool.request("run", ask("2"), 20)["answer"]["outcome"]["text"] == "7"
    assert pool.processes() == [before]


def test_what_has_not_begun_is_cancelled_at_once(pool: Pool) -> None:
    got: dict[str, dict[str, Any]] = {}
    events = {name: threading.Event() for name in ("first", "second")}

    def taker(name: str) -> Any:
        def take(answer: dict[str, Any]) -> None:
            got[name] = answer
            events[name].set()

        return take

    first = pool.ask("run", ask("0"), taker("first"))
    second = pool.ask("run", ask("2"), taker("second"))
    pool.cancel(second)
    assert events["second"].wait(20)
    assert "first" not in got
    pool.cancel(first)
    assert events["first"].wait(20)
    assert got == {"first": {"cancelled": True}, "second": {"cancelled": True}}


def test_a_killed_worker_is_replaced_with_the_course_loaded(pool: Pool) -> None:
    """The request it was at is carried out once more; over whom a second worker ends, that is
    answered as a fault. The next one finds a fresh worker."""
    answers: list[dict[str, Any]] = []
    done = threading.Event()

    def take(answer: dict[str, Any]) -> None:
        answers.append(answer)
        done.set()

    running = pool.ask("run", ask("0"), take)
    for _ in range(2):
        waits_for(lambda: has_begun(pool, running))
        assert not answers
        kill_worker(pool)
    assert done.wait(60)
    assert answers[0]["kind"] == "ended"
    assert pool.request("run", ask("2"), 30)["answer"]["outcome"]["text"] == "7"


def test_running_out_of_memory_is_an_outcome(pool: Pool) -> None:
    """The limit on the process ends a run that hoards; the worker survives."""
    answer = pool.request("run", ask("1", depth=2 * 10**9), 120)
    outcome = answer["answer"]["outcome"]
    assert (outcome["kind"], outcome["name"]) == ("out of fuel", "memory")
    assert pool.request("run", ask("2"), 30)["answer"]["outcome"]["text"] == "7"


def test_a_fault_of_embrix_looks_different_from_outcomes(pool: Pool) -> None:
    answer = pool.request("no such thing", {}, 20)
    assert answer["kind"] == "fault"
    assert "no request is called" in answer["fault"]


def test_what_waited_when_a_worker_died_is_still_answered(pool: Pool) -> None:
    """Nothing is lost with a worker, and what was not begun never."""
    answers: dict[str, dict[str, Any]] = {}
    done = {name: threading.Event() for name in ("running", "waiting")}

    def taker(name: str) -> Any:
        def take(answer: dict[str, Any]) -> None:
            answers[name] = answer
            done[name].set()

        return take

    running = pool.ask("run", ask("0"), taker("running"))
    waits_for(lambda: has_begun(pool, running))
    pool.ask("run", ask("2"), taker("waiting"))
    for _ in range(2):
        waits_for(lambda: has_begun(pool, running))
        kill_worker(pool)
    assert done["running"].wait(20)
    assert done["waiting"].wait(30)
    assert answers["running"]["kind"] == "ended"
    assert answers["waiting"]["answer"]["outcome"]["text"] == "7"


def test_workers_that_are_killed_before_they_answer_are_replaced(pool: Pool) -> None:
    """On a full machine that happens while they start."""
    for _ in range(2):
        kill_worker(pool)
    assert pool.request("run", ask("2"), 60)["answer"]["outcome"]["text"] == "7"


WALK = {"key": "1", "language": "Tiny", "lane": "loops", "text": "2"}


def test_a_walk_outlives_its_worker(pool: Pool) -> None:
    """Stations, places and files of a walk come from a worker that never recorded it."""
    assert pool.request("walk", {"walk": WALK}, 30)["answer"]["length"] == 1
    kill_worker(pool)
    (station,) = pool.request("stations", {"walk": WALK, "first": 0, "last": 60}, 30)["answer"]
    assert station["kind"] == "end"
    kill_worker(pool)
    wanted = {"walk": WALK, "kind": "end", "what": "", "start": 0, "forward": True}
    assert pool.request("seek", wanted, 30)["answer"] == {"number": None}
    gone = {**WALK, "key": "2", "lane": "nowhere"}
    refused = pool.request("walk", {"walk": gone}, 30)["answer"]["refused"]
    assert refused == "no lane called nowhere can run; there are: loops"
    asked = {"walk": gone, "first": 0, "last": 60}
    assert pool.request("stations", asked, 30)["answer"] == []


def test_a_walk_survives_definitions_that_are_read_again(pool: Pool, tmp_path: Path) -> None:
    pool.request("walk", {"walk": WALK}, 30)
    done = threading.Event()
    pool.load(str(tmp_path), lambda _: done.set())
    assert done.wait(30)
    asked = {"walk": WALK, "first": 0, "last": 60}
    assert len(pool.request("stations", asked, 30)["answer"]) == 1


@pytest.mark.parametrize("what", ["notes", "grammar", "look", "scratch", "test"])
def test_whatever_is_cancelled_the_worker_lives_on(what: str, course_copy: Path) -> None:
    """Not only runs can be stopped: each of these is cancelled at many moments."""
    workers = Pool(1)
    loaded = threading.Event()
    workers.load(str(course_copy), lambda _: loaded.set())
    assert loaded.wait(60)
    (before,) = workers.processes()
    text = "let x = 1 in " * 2_000 + "x"
    file = course_copy / "rill" / "environment.brix"
    args: dict[str, Any] = {
        "notes": {}, "grammar": {"language": "Weir"},
        "look": {"language": "Rill", "text": text},
        "scratch": {"language": "Rill", "file": str(file), "definition": file.read_text() + "#\n",
                    "text": "1 + 1"},
        "test": {"suite": str(course_copy / "rill" / "rill.suite.toml"), "keep": False},
    }[what]  # fmt: skip
    for pause in (0.0, 0.02, 0.05, 0.1, 0.2, 0.3):
        answers: list[dict[str, Any]] = []
        done = threading.Event()

        def take(
            answer: dict[str, Any],
            kept: list[dict[str, Any]] = answers,
            event: threading.Event = done,
        ) -> None:
            if "progress" not in answer:
                kept.append(answer)
                event.set()

        number = workers.ask(what, args, take)
        time.sleep(pause)
        workers.cancel(number)
        assert done.wait(30)
        assert answers[0] == {"cancelled": True} or "answer" in answers[0]
    assert workers.processes() == [before]
    assert "answer" in workers.request(what, args, 60)
    workers.close()
