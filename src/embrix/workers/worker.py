"""A worker process: answers requests about a course, one at a time, until its input ends.

While a request is worked on, a thread keeps reading, so that a run can be stopped. Memory is
limited from outside the runs: reaching that limit is an outcome.
"""

from __future__ import annotations

import gc
import logging
import os
import queue
import sys
import threading
import time
import traceback
from collections.abc import Callable
from typing import BinaryIO

from embrix.course.missing import NotThere
from embrix.messages.replies_on_comparing import HuntState
from embrix.messages.wire import (
    Answered,
    Ask,
    Cancelled,
    Event,
    Fault,
    Progress,
    Started,
    read_order,
    write_frame,
)
from embrix.services.answering import Service
from embrix.text.collecting import collect_seldom
from embrix.text.log import start_logging
from embrix.text.user_folders import use_cache
from embrix.workers.interrupting import Stopped, forget_interruption, interrupt
from embrix.workers.memory_limit import limit_memory

_LOG = logging.getLogger(__name__)

YIELDING = 2
"""By how much a worker stands back behind the interface, which answers keys."""
BEGINNING = 12
"""Requests of which what they leave is taken to stay as long as the process."""
TELLING = 0.05
"""Seconds between two times that it is told how far a request is."""


class Worker:
    """The loop of a worker process."""

    def __init__(self, source: BinaryIO, sink: BinaryIO) -> None:
        self._source = source
        self._sink = sink
        self._orders: queue.Queue[Ask | None] = queue.Queue()
        self._lock = threading.Lock()
        self._writing = threading.Lock()
        self._current = -1
        self._stop: Callable[[], None] | None = None
        self._cancelled: set[int] = set()
        self._thread = threading.current_thread()
        self._beginning = BEGINNING
        self._reported_at = 0.0
        """When it was last told how far a request is."""
        self._service = Service(self._progress, self._started)

    def serve(self) -> None:
        self._thread = threading.current_thread()
        threading.Thread(target=self._listen, daemon=True).start()
        while (order := self._orders.get()) is not None:
            number = order.number
            with self._lock:
                if number in self._cancelled:
                    self._cancelled.discard(number)
                    continue  # answered when it was cancelled
                self._current = number
            event: Event
            try:
                self._write(Started(number))
                event = self._answer(order)
                self._done()
            except Stopped:
                self._done()
                event = Cancelled(number)
            if number in self._cancelled:
                self._cancelled.discard(number)
                event = Cancelled(number)
            self._write(event)
            if self._beginning:
                # What the first requests leave (the course) stays: collecting garbage, which would
                # look through all of it again and again, leaves it out.
                self._beginning -= 1
                gc.freeze()

    def _done(self) -> None:
        """From now on the present request cannot be interrupted any more."""
        while True:
            try:
                with self._lock:
                    self._current, self._stop = -1, None
                    forget_interruption(self._thread)
                return
            except Stopped:
                continue  # it was on its way already

    def _write(self, event: Event) -> None:
        with self._writing:
            write_frame(self._sink, event)

    def _listen(self) -> None:
        while (order := read_order(self._source)) is not None:
            if isinstance(order, Ask):
                self._orders.put(order)
                continue
            number = order.number
            with self._lock:
                self._cancelled.add(number)
                running = self._current == number
                if running:
                    if self._stop is not None:
                        self._stop()
                    if not interrupt(self._thread):
                        later = threading.Thread(
                            target=self._interrupt_later, args=(number,), daemon=True
                        )
                        later.start()
            if not running:
                self._write(Cancelled(number))
        self._orders.put(None)

    def _interrupt_later(self, number: int) -> None:
        """Interrupt a request as soon as that can be done."""
        while True:
            time.sleep(0.01)
            with self._lock:
                if self._current != number or interrupt(self._thread):
                    return

    def _answer(self, order: Ask) -> Event:
        try:
            return Answered(order.number, self._service.answer(order.request))
        except NotThere as gone:
            return Fault(order.number, str(gone), "missing")
        except MemoryError:
            self._service.forget()
            _LOG.warning("no memory is left for the request %s", type(order.request).__name__)
            return Fault(order.number, "the worker ran out of memory", "memory")
        except Exception:
            _LOG.exception("the request %s", type(order.request).__name__)
            return Fault(order.number, traceback.format_exc(limit=-8))

    def _progress(self, done: int, of: int, hunt: HuntState | None) -> None:
        """Tell how far the present request is. Raises InterruptedError to stop it."""
        number = self._current
        now = time.monotonic()
        if done == of or now - self._reported_at >= TELLING:
            self._reported_at = now
            self._write(Progress(number, done, of, hunt))
        if number in self._cancelled:
            raise InterruptedError

    def _started(self, stop: Callable[[], None]) -> None:
        with self._lock:
            self._stop = stop
            if self._current in self._cancelled:
                stop()


def serve(source: int, sink: int, memory: int) -> None:
    """Serve on two pipes until the first one ends; the terminal is none of its business."""
    nowhere = os.open(os.devnull, os.O_RDWR)
    for standard in (0, 1, 2):
        os.dup2(nowhere, standard)
    start_logging()
    limit_memory(memory)
    sys.setswitchinterval(0.002)
    collect_seldom()
    use_cache()
    gc.freeze()  # what it was forked with stays, and stays shared
    if hasattr(os, "nice"):
        os.nice(YIELDING)
    Worker(os.fdopen(source, "rb"), os.fdopen(sink, "wb")).serve()
