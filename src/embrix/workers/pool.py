"""Warm worker processes, seen from the side that asks.

Every worker loads the same course. Requests go to a named worker or to the least busy one; answers
come to a callback on a thread of the pool. A request can be cancelled: the run is told to stop, and
a worker that does not is ended and replaced by a fresh one with the course loaded again.
"""

from __future__ import annotations

import itertools
import logging
import queue
import signal
import threading
import time
from collections.abc import Callable
from typing import TypeAlias

import msgspec
from msgspec import Struct, field

from embrix.messages.replies import Ending, RunResult
from embrix.messages.request import Request
from embrix.messages.requests import DescribeCourse, Load, RunLane
from embrix.messages.wire import (
    Answered,
    Ask,
    Cancel,
    Cancelled,
    Event,
    Fault,
    Order,
    Progress,
    Started,
    answer_of,
    read_event,
    write_frame,
)
from embrix.workers.memory_limit import share_of_memory
from embrix.workers.process import WorkerProcess

Callback: TypeAlias = Callable[[Event], None]
"""Takes what a worker tells of a request: `Progress` any number of times, then `Answered` (with the
answer as its type), `Fault` or `Cancelled`."""

_LOG = logging.getLogger(__name__)

PATIENCE = 2.0
"""Seconds that a worker has to stop a cancelled request before it is ended."""

MOST_UNANSWERED = 3
"""Workers in a row that end without an answer before no other is started."""

CRASHES = (-signal.SIGSEGV, -signal.SIGABRT, -signal.SIGBUS)
"""How a process ends when Python itself finds no memory for a frame (some versions crash then)."""

NO_WORKER = "no worker process can be started"

NO_MEMORY = RunResult(
    Ending("out of fuel", "more memory than a run may use", "memory"),
    "out of fuel: more memory than a run may use", [], {},
)  # fmt: skip


class _Request(Struct, eq=False):
    number: int
    request: Request
    callback: Callback
    cancelled: bool = False
    started: bool = False
    again: bool = False
    """Whether a worker ended over it before."""


class _Pause(Struct, eq=False):
    """Among the orders for a worker: what follows waits until the pause is over, or so long."""

    seconds: float
    over: threading.Event = field(default_factory=threading.Event)


class _Worker(Struct, eq=False):
    process: WorkerProcess
    orders: queue.SimpleQueue[Order | _Pause | None] = field(default_factory=queue.SimpleQueue)
    """What is to be told to it, in order; None at the end. A thread of its own tells it, so that
    nobody waits for a worker that is too busy to listen."""
    pending: dict[int, _Request] = field(default_factory=dict)
    closing: bool = False
    answered: bool = False
    unanswered_before: int = 0
    """How many workers before it, in a row, ended without an answer."""


class Pool:
    """Some workers for one course."""

    def __init__(self, size: int = 1, memory: int | None = None) -> None:
        self._memory = memory or share_of_memory(size)
        self._numbers = itertools.count(1)
        self._course: Load | None = None
        self._lock = threading.Lock()
        self._stopping: queue.SimpleQueue[tuple[float, _Worker, int] | None] = queue.SimpleQueue()
        with self._lock:  # one that cannot be started ends at once, and is looked for here
            self._workers: list[_Worker] = [self._start() for _ in range(size)]
        threading.Thread(target=self._end_what_does_not_stop, daemon=True).start()

    @property
    def size(self) -> int:
        return len(self._workers)

    def processes(self) -> list[int]:
        """The process numbers of the workers."""
        return [worker.process.pid for worker in self._workers]

    def ask(self, asked: Request, callback: Callback, worker: int | None = None) -> int:
        """Send a request; its number. The callback runs on another thread, once or, with progress,
        several times."""
        with self._lock:
            number = next(self._numbers)
            request = _Request(number, asked, callback)
            if worker is None:
                target = min(self._workers, key=lambda w: len(w.pending))
            else:
                target = self._workers[worker % len(self._workers)]
            dead = target.closing
            if not dead:
                target.pending[number] = request
        if dead:
            callback(Fault(number, NO_WORKER, "ended"))
            return number
        self._send(target, Ask(number, asked))  # type: ignore[arg-type]
        return number

    def load(
        self, folder: str, callback: Callback, unsaved: dict[str, str] | None = None,
        extension: str | None = None, worker: int = 0,
    ) -> None:  # fmt: skip
        """Have every worker load a course, or of it what programs with an extension need (with an
        empty one those of the first language); the callback gets what it holds, from one worker.
        """
        self._course = Load(folder=folder, unsaved=unsaved or {}, extension=extension)
        for number in range(self.size):
            self.ask(self._course, _ignore, number)
        self.ask(DescribeCourse(), callback, worker)

    def pause(self, worker: int, seconds: float) -> Callable[[], None]:
        """Give a worker nothing of what is asked from now on for some seconds, so that the others
        have the machine to themselves; what is returned ends the pause."""
        pause = _Pause(seconds)
        self._workers[worker].orders.put(pause)
        return pause.over.set

    def grow(self, size: int) -> None:
        """Have at least so many workers, each with the course."""
        while self.size < size:
            with self._lock:
                self._workers.append(self._start())
            if self._course is not None:
                self.ask(self._course, _ignore, self.size - 1)

    def request(
        self, asked: Request, timeout: float | None = None, worker: int | None = None
    ) -> Event:
        """Ask and wait for what comes in the end. Raises TimeoutError."""
        done = threading.Event()
        ends: list[Event] = []

        def take(event: Event) -> None:
            if not isinstance(event, Progress):
                ends.append(event)
                done.set()

        number = self.ask(asked, take, worker)
        if not done.wait(timeout):
            self.cancel(number)
            raise TimeoutError(type(asked).__name__)
        return ends[0]

    def cancel(self, number: int) -> None:
        """Stop a request: its callback gets `cancelled`, soon, whatever it was doing."""
        for worker in list(self._workers):
            request = worker.pending.get(number)
            if request is not None:
                request.cancelled = True
                self._send(worker, Cancel(number))
                self._stopping.put((time.monotonic() + PATIENCE, worker, number))

    def close(self) -> None:
        """End all workers."""
        self._stopping.put(None)
        for worker in self._workers:
            worker.closing = True
            worker.process.kill()
        for worker in self._workers:
            worker.process.wait()

    # ---------------------------------------------------------------- inside

    def _start(self) -> _Worker:
        worker = _Worker(WorkerProcess(self._memory))
        for work in (self._read, self._write):
            threading.Thread(target=work, args=(worker,), daemon=True).start()
        return worker

    def _send(self, worker: _Worker, order: Order) -> None:
        worker.orders.put(order)

    def _write(self, worker: _Worker) -> None:
        while (order := worker.orders.get()) is not None:
            if isinstance(order, _Pause):
                order.over.wait(order.seconds)
                continue
            try:
                write_frame(worker.process.sink, order)
            except (OSError, ValueError):
                return  # the worker has ended; its reader answers for what was pending

    def _read(self, worker: _Worker) -> None:
        while True:
            try:
                event = read_event(worker.process.stream)
            except (OSError, ValueError, msgspec.MsgspecError):
                event = None
            if event is None:
                break
            worker.answered = True
            request = worker.pending.get(event.number)
            if request is None:
                continue
            if isinstance(event, Started):
                request.started = True
                continue
            if not isinstance(event, Progress):
                worker.pending.pop(event.number, None)
            request.callback(_as_asked(request.request, event))
        self._ended(worker)

    def _ended(self, worker: _Worker) -> None:
        """A worker is gone: answer for its requests, and put a fresh one in its place."""
        worker.process.wait()
        worker.orders.put(None)
        if not worker.closing:
            at = [type(one.request).__name__ for one in worker.pending.values() if one.started]
            _LOG.warning("worker %d ended with %d, at %s", worker.process.pid,
                         worker.process.returncode, ", ".join(at) or "no request")  # fmt: skip
        with self._lock:
            pending = list(worker.pending.values())
            worker.pending.clear()
            # Where several in a row never answered, the next one will not either.
            unanswered = 0 if worker.answered else worker.unanswered_before + 1
            closed = worker.closing
            replace = not closed and unanswered < MOST_UNANSWERED
            fresh = self._start() if replace else worker
            if replace:
                fresh.unanswered_before = unanswered
            self._workers[self._workers.index(worker)] = fresh
            worker.closing = not replace
            if replace and self._course is not None:
                number = next(self._numbers)
                fresh.pending[number] = _Request(number, self._course, _ignore)
                self._send(fresh, Ask(number, self._course))
        for request in pending:
            if request.cancelled or closed:
                request.callback(Cancelled(request.number))
            elif replace and (not request.started or self._tried_again(request, worker)):
                request.again, request.started = request.started or request.again, False
                fresh.pending[request.number] = request
                self._send(fresh, Ask(request.number, request.request))  # type: ignore[arg-type]
            elif isinstance(request.request, RunLane) and worker.process.returncode in CRASHES:
                request.callback(Answered(request.number, NO_MEMORY))
            else:
                text = "the worker process ended" if replace else NO_WORKER
                request.callback(Fault(request.number, text, "ended"))

    def _tried_again(self, request: _Request, worker: _Worker) -> bool:
        """Whether what a worker was doing when it ended is asked for once more: not what may have
        ended it, nor what writes."""
        crashed = worker.process.returncode in CRASHES
        return not request.again and not crashed and not request.request.writes

    def _end_what_does_not_stop(self) -> None:
        """What is cancelled has some time to stop, the same for all, so the first comes first."""
        while (next_one := self._stopping.get()) is not None:
            deadline, worker, number = next_one
            time.sleep(max(0.0, deadline - time.monotonic()))
            self._end_if_running(worker, number)

    def _end_if_running(self, worker: _Worker, number: int) -> None:
        request = worker.pending.get(number)
        if request is not None and request.started:
            worker.process.kill()


def _as_asked(request: Request, event: Event) -> Event:
    """An event with its answer as the type that belongs to the request."""
    if not isinstance(event, Answered):
        return event
    try:
        return Answered(event.number, answer_of(request, event))
    except msgspec.ValidationError as wrong:
        return Fault(event.number, f"an answer of the wrong type: {wrong}")


def _ignore(_event: Event) -> None:
    return None
