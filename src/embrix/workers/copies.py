"""Work shared out over copies of this process, which have everything that was loaded before.

Each copy ends by itself; one that is lost (ended from outside, out of memory) is reported.
"""

from __future__ import annotations

import contextlib
import gc
import os
import signal
import sys
import threading
import traceback
from collections.abc import Callable, Sequence
from typing import Any, BinaryIO

from msgspec import Struct, field

from embrix.messages.wire import read_data, write_data
from embrix.workers.memory_limit import limit_memory, share_of_memory

Telling = Callable[[dict[str, Any]], None]
Work = Callable[[int, Telling], dict[str, Any]]
"""Carries out the part of a number, telling how far it is."""


class Lost(Exception):
    """A copy of the process ended before its work was done; the message says which way."""


class Shared(Struct):
    """Parts of a piece of work that are under way. Its copies have been started when it is made;
    `wait` gives the answers in the order of the parts."""

    parts: int
    telling: Telling
    _children: list[int] = field(default_factory=list)
    _threads: list[threading.Thread] = field(default_factory=list)
    _answers: dict[int, dict[str, Any]] = field(default_factory=dict)
    _progress: dict[int, tuple[int, int]] = field(default_factory=dict)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    @staticmethod
    def begin(work: Work, parts: int, workers: int, telling: Telling) -> Shared:
        """Start the copies. No other thread may be running."""
        shared = Shared(parts, telling)
        if not hasattr(os, "fork"):
            for number in range(parts):
                shared._answers[number] = work(number, telling)
            return shared
        sys.stdout.flush()
        sys.stderr.flush()
        gc.freeze()  # so that collecting does not copy every page
        ends = []
        for worker in range(min(workers, parts)):
            reading, writing = os.pipe()
            child = os.fork()
            if child == 0:
                os.close(reading)
                count = min(workers, parts)
                _carry_out(work, range(worker, parts, count), writing, count)
            os.close(writing)
            shared._children.append(child)
            ends.append(reading)
        gc.unfreeze()
        for reading in ends:
            stream = os.fdopen(reading, "rb")
            thread = threading.Thread(target=shared._read, args=(stream,), daemon=True)
            thread.start()
            shared._threads.append(thread)
        return shared

    def wait(self) -> list[dict[str, Any]]:
        """The answers. Raises `Lost`, and RuntimeError with what went wrong in a part."""
        for thread in self._threads:
            thread.join()
        statuses = [os.waitpid(child, 0)[1] for child in self._children]
        self._children.clear()
        for number in range(self.parts):
            answer = self._answers.get(number)
            if answer is None:
                ends = ", ".join(
                    f"ended by signal {os.WTERMSIG(status)}" if os.WIFSIGNALED(status)
                    else f"ended with {os.WEXITSTATUS(status)}" for status in statuses if status
                )  # fmt: skip
                raise Lost(f"a process {ends or 'ended'} before its cases were run")
            if "fault" in answer:
                raise RuntimeError(answer["fault"])
        return [self._answers[number] for number in range(self.parts)]

    def close(self) -> None:
        """End what is still under way."""
        for child in self._children:
            with contextlib.suppress(ProcessLookupError, ChildProcessError):
                os.kill(child, signal.SIGKILL)
                os.waitpid(child, 0)
        self._children.clear()

    def _read(self, stream: BinaryIO) -> None:
        with stream:
            while (frame := read_data(stream)) is not None:
                number = frame["part"]
                if "progress" not in frame:
                    self._answers[number] = frame.get("answer", frame)
                    continue
                with self._lock:
                    self._progress[number] = (frame["progress"]["done"], frame["progress"]["of"])
                    done, of = (sum(one[at] for one in self._progress.values()) for at in (0, 1))
                self.telling({"done": done, "of": of})


def _carry_out(work: Work, numbers: Sequence[int], writing: int, processes: int) -> None:
    """What a copy of the process does; it never comes back from here."""
    status = 1
    try:
        limit_memory(share_of_memory(processes))
        with os.fdopen(writing, "wb") as stream:
            for number in numbers:
                try:

                    def telling(progress: dict[str, Any], part: int = number) -> None:
                        write_data(stream, {"part": part, "progress": progress})

                    write_data(stream, {"part": number, "answer": work(number, telling)})
                except Exception:
                    fault = traceback.format_exc(limit=-8)
                    write_data(stream, {"part": number, "fault": fault})
        status = 0
    finally:
        os._exit(status)
