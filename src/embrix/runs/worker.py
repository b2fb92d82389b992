"""A worker process: answers requests about a course, one at a time, until its input ends.

A frame is four bytes of length and that many bytes of JSON. While a request is worked on, a thread
keeps reading, so that a run can be stopped. Memory is limited from outside the runs: reaching that
limit is an outcome.
"""

from __future__ import annotations

import os
import queue
import sys
import threading
import time
import traceback
from collections.abc import Callable
from pathlib import Path
from typing import Any, BinaryIO

from embrix.machine.limits import LIVE, MEMORY, Limits
from embrix.runs.asked import ANSWERS
from embrix.runs.interrupting import Stopped, forget_interruption, interrupt
from embrix.runs.memory_limit import limit_memory
from embrix.runs.prompt import Prompt
from embrix.runs.scratch import Scratch
from embrix.runs.session import Session
from embrix.runs.transport import read_frame, write_frame
from embrix.runs.verdicts import with_history
from embrix.runs.walks import Recipe


class Worker:
    """The loop of a worker process."""

    def __init__(self, source: BinaryIO, sink: BinaryIO) -> None:
        self._source = source
        self._sink = sink
        self._requests: queue.Queue[dict[str, Any] | None] = queue.Queue()
        self._lock = threading.Lock()
        self._writing = threading.Lock()
        self._current = -1
        self._stop: Callable[[], None] | None = None
        self._cancelled: set[int] = set()
        self._thread = threading.current_thread()
        self._session: Session | None = None
        self._scratch: Scratch | None = None
        self._prompt: tuple[tuple[int, str], Prompt] | None = None

    def serve(self) -> None:
        self._thread = threading.current_thread()
        threading.Thread(target=self._listen, daemon=True).start()
        while (request := self._requests.get()) is not None:
            number = request["id"]
            with self._lock:
                if number in self._cancelled:
                    self._cancelled.discard(number)
                    continue  # answered when it was cancelled
                self._current = number
            try:
                self._write({"id": number, "started": True})
                answer = self._answer(request)
                self._done()
            except Stopped:
                self._done()
                answer = {"cancelled": True}
            if number in self._cancelled:
                self._cancelled.discard(number)
                answer = {"cancelled": True}
            self._write({"id": number, **answer})

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

    def _write(self, frame: dict[str, Any]) -> None:
        with self._writing:
            write_frame(self._sink, frame)

    def _listen(self) -> None:
        while (frame := read_frame(self._source)) is not None:
            if "cancel" not in frame:
                self._requests.put(frame)
                continue
            number = frame["cancel"]
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
                self._write({"id": number, "cancelled": True})
        self._requests.put(None)

    def _interrupt_later(self, number: int) -> None:
        """Interrupt a request as soon as that can be done."""
        while True:
            time.sleep(0.01)
            with self._lock:
                if self._current != number or interrupt(self._thread):
                    return

    def _answer(self, request: dict[str, Any]) -> dict[str, Any]:
        try:
            return {"answer": self._carry_out(request)}
        except MemoryError:
            self._session = None
            return {"fault": "the worker ran out of memory", "kind": "memory"}
        except Exception:
            return {"fault": traceback.format_exc(limit=-8), "kind": "fault"}

    def _started(self, stop: Callable[[], None]) -> None:
        with self._lock:
            self._stop = stop
            if self._current in self._cancelled:
                stop()

    def _prompt_line(self, session: Session, language: str, line: str | None) -> dict[str, Any]:
        """A line for the prompt of a language, or None to give the entry up; what it answers."""
        said: list[str] = []
        lanes = session.lanes(language)
        key = (id(session), language)
        if self._prompt is None or self._prompt[0] != key:
            self._prompt = (key, Prompt(session, language, lanes, said.append))
        prompt = self._prompt[1]
        prompt.say, prompt.on_start = said.append, self._started
        if line is None:
            prompt.give_up()
        else:
            prompt.take(line)
        return {"lines": said, "sign": prompt.sign, "done": prompt.done}

    def _scratch_of(self, session: Session) -> Scratch:
        """What an unsaved change of a definition does to the course as it was loaded."""
        if self._scratch is None:
            self._scratch = Scratch(session)
        return self._scratch

    def _carry_out(self, request: dict[str, Any]) -> Any:
        do, a = request["do"], request.get("with", {})
        if do == "load":
            unsaved = {Path(path): text for path, text in a.get("unsaved", {}).items()}
            self._session = Session(Path(a["folder"]), unsaved)
            self._scratch = None
            return self._session.summary()
        if do == "ping":
            return {"process": os.getpid()}
        session = self._session
        if session is None:
            raise RuntimeError("no course has been loaded")
        limits = Limits(**a["limits"]) if "limits" in a else LIVE
        number = request["id"]

        def progress(data: dict[str, Any]) -> None:
            self._write({"id": number, "progress": data})
            if number in self._cancelled:
                raise InterruptedError

        match do:
            case "notes":
                return [finding.as_data() for finding in session.diagnostics()]
            case "look":
                return session.look(a["language"], a["text"], a.get("rule"))
            case "prompt":
                return self._prompt_line(session, a["language"], a["line"])
            case "derivation":
                return session.derivation(a["language"], a["text"], a.get("rule"))
            case "scratch":
                return self._scratch_of(session).look(
                    a["language"],
                    a["file"],
                    a["definition"],
                    a["text"],
                    a.get("rule"),
                    a.get("view", "term"),
                )
            case "scratch_compare":
                return self._scratch_of(session).compare(
                    a["language"], a["file"], a["definition"], a.get("rule"), a["text"]
                )
            case "grammar":
                return session.grammar(a["language"], a.get("rule"))
            case "run":
                return session.run(
                    a["language"],
                    a["lane"],
                    a["text"],
                    a.get("given"),
                    limits,
                    self._started,
                    a.get("input", ()),
                )
            case "walk":
                return session.walk(Recipe.of(a["walk"]), limits, self._started)
            case "stations":
                return session.stations(Recipe.of(a["walk"]), a["first"], a["last"], self._started)
            case "seek":
                found = session.seek(
                    Recipe.of(a["walk"]), a["kind"], a["what"], a["start"], a["forward"],
                    self._started, progress,
                )  # fmt: skip
                return {"number": found}
            case "save_walk":
                return {"refused": session.save_walk(Recipe.of(a["walk"]), Path(a["path"]))}
            case "test":
                share = tuple(a.get("share", (0, 1)))
                report = session.test(
                    Path(a["suite"]), progress, a.get("grammar"), share, a.get("ask", False),
                    a.get("lanes", ()),
                )  # fmt: skip

                return with_history(session, report) if a.get("keep", True) else report
            case _ if do in ANSWERS:
                return ANSWERS[do](session, a, progress)
        raise ValueError(f"no request is called {do}")


def main() -> None:
    """Serve on standard input and output; nothing else may be written there."""
    source = os.fdopen(os.dup(0), "rb")
    sink = os.fdopen(os.dup(1), "wb")
    nowhere = os.open(os.devnull, os.O_RDWR)
    os.dup2(nowhere, 0)
    os.dup2(nowhere, 1)
    limit_memory(int(sys.argv[1]) if len(sys.argv) > 1 else MEMORY)
    sys.setswitchinterval(0.002)
    Worker(source, sink).serve()


if __name__ == "__main__":
    main()
