"""Warm worker processes: answers, cancelling, ending what does not stop, starting again."""

from __future__ import annotations

import os
import signal
import textwrap
import threading
import time
from collections.abc import Iterator
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
    """The request it was at is answered as a fault; the next one finds a fresh worker."""
    answers: list[dict[str, Any]] = []
    done = threading.Event()

    def take(answer: dict[str, Any]) -> None:
        answers.append(answer)
        done.set()

    pool.ask("run", ask("0"), take)
    time.sleep(0.2)
    os.kill(pool.processes()[0], signal.SIGKILL)
    assert done.wait(20)
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
    """Only the request that was being worked on is lost with its worker."""
    answers: dict[str, dict[str, Any]] = {}
    done = {name: threading.Event() for name in ("running", "waiting")}

    def taker(name: str) -> Any:
        def take(answer: dict[str, Any]) -> None:
            answers[name] = answer
            done[name].set()

        return take

    pool.ask("run", ask("0"), taker("running"))
    time.sleep(0.3)
    pool.ask("run", ask("2"), taker("waiting"))
    os.kill(pool.processes()[0], signal.SIGKILL)
    assert done["running"].wait(20)
    assert done["waiting"].wait(30)
    assert answers["running"]["kind"] == "ended"
    assert answers["waiting"]["answer"]["outcome"]["text"] == "7"
