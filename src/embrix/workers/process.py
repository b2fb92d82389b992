"""Starting a worker process, and ending it.

Workers are forked from one process that has imported what they need and does nothing else, so a
worker is there within milliseconds; where that cannot be had (no forks, no folder for its socket),
each begins anew.
"""

from __future__ import annotations

import logging
import multiprocessing
import os
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager, redirect_stderr, suppress
from functools import partial
from multiprocessing import forkserver
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from types import ModuleType
from typing import BinaryIO

FORKED = "forkserver" in multiprocessing.get_all_start_methods()
LOST = 255
"""How a process is said to have ended that was never there."""

_LOG = logging.getLogger(__name__)
_ANEW = multiprocessing.get_context("spawn")
_CONTEXT = multiprocessing.get_context("forkserver") if FORKED else _ANEW
_ONE_AT_A_TIME = threading.Lock()
"""The library looks after all processes whenever one is started; that is not meant for threads."""


def prepare() -> None:
    """Have workers ready to be forked soon, without waiting for it. Where that cannot be done, it
    is noticed when one is wanted."""
    if FORKED:
        _CONTEXT.set_forkserver_preload(["embrix.workers.worker"])
        with suppress(OSError):
            forkserver.ensure_running()


class WorkerProcess:
    """A process that serves on two pipes. What is written to `sink` before it has begun waits."""

    def __init__(self, memory: int) -> None:
        orders, self.sink = _pipe(writing=True)
        events, self.stream = _pipe(writing=False)
        self._process: BaseProcess | None = None
        self._begun = threading.Event()
        self.returncode: int | None = None
        """How it ended: minus the number of a signal, or 255 where that is not known."""
        begin = partial(self._begin, orders, events, memory)
        threading.Thread(target=begin, daemon=True).start()

    def _begin(self, orders: Connection, events: Connection, memory: int) -> None:
        # The library hands on the standard streams; the interface has put others there.
        with _ONE_AT_A_TIME, _without_main(), redirect_stderr(sys.__stderr__):
            for context in dict.fromkeys((_CONTEXT, _ANEW)):
                try:
                    if context is not _ANEW:
                        prepare()
                    process = context.Process(
                        target=_serve, args=(orders, events, memory), name="embrix worker",
                        daemon=True,
                    )  # fmt: skip
                    process.start()
                except Exception:
                    _LOG.exception("a worker process cannot be started")
                else:
                    self._process = process
                    break
        orders.close()
        events.close()  # without a process, who reads our ends finds that they have ended
        self._begun.set()

    @property
    def pid(self) -> int:
        """Its number; -1 where it could not be started. Waits until it is started."""
        self._begun.wait()
        return (self._process.pid if self._process is not None else None) or -1

    def kill(self) -> None:
        """End it, whatever it does."""
        self._begun.wait()
        with _ONE_AT_A_TIME:
            if self._process is not None and self.returncode is None:
                self._process.kill()

    def wait(self) -> int:
        """Wait until it has ended; how it ended."""
        self._begun.wait()
        with _ONE_AT_A_TIME:
            if self.returncode is None:
                if self._process is not None:
                    self._process.join()
                code = self._process.exitcode if self._process is not None else None
                self.returncode = LOST if code is None else code
            return self.returncode


@contextmanager
def _without_main() -> Iterator[None]:
    """The library would carry out the main program in a worker once more, which has no use for it:
    it is hidden meanwhile."""
    main = sys.modules["__main__"]
    sys.modules["__main__"] = ModuleType("__main__")
    try:
        yield
    finally:
        sys.modules["__main__"] = main


def _pipe(*, writing: bool) -> tuple[Connection, BinaryIO]:
    """The end of a pipe for a worker, and ours as a file."""
    reader, writer = _CONTEXT.Pipe(duplex=False)
    theirs, ours = (reader, writer) if writing else (writer, reader)
    file = os.fdopen(os.dup(ours.fileno()), "wb" if writing else "rb")
    ours.close()
    return theirs, file


def _serve(orders: Connection, events: Connection, memory: int) -> None:
    from embrix.workers.worker import serve

    source, sink = os.dup(orders.fileno()), os.dup(events.fileno())
    orders.close()
    events.close()
    serve(source, sink, memory)
