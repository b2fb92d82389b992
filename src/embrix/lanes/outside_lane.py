"""Running an interpreter that is somebody else's program.

It gets limits on processor time, memory and files, an environment with next to nothing in it, and a
process group of its own that is ended with it. What it writes is data: cut off at a length, decoded
with marks for what is no text, never carried out.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import IO

from msgspec.structs import replace

from embrix.course.outside import Outside
from embrix.grammar.parser import Parser
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Outcome, Result
from embrix.machine.unit import Variant
from embrix.suite.cases import Case
from embrix.suite.check import Verdict, check_case
from embrix.suite.expected_steps import reads_like
from embrix.terms.node import Value
from embrix.text.plural import counted
from embrix.text.refusal import refusal
from embrix.text.saving import alive
from embrix.text.visible import cut

MOST_READ = 1 << 20
"""Bytes of its output that are looked at."""
PATIENCE = 3.0
"""Seconds beyond its processor time after which it is ended, whatever it waits for."""

OnStart = Callable[[Callable[[], None]], None]


class OutsideLane(Lane):
    """A lane whose programs are run by a command."""

    def __init__(self, outside: Outside, folder: Path, parser: Parser) -> None:
        self.outside = outside
        self.folder = folder
        self.parser = parser

    records = False

    @property
    def name(self) -> str:
        return self.outside.name

    @property
    def role(self) -> str:
        return self.outside.name

    @property
    def language(self) -> str:
        return self.outside.language

    @property
    def tells_value(self) -> bool:  # type: ignore[override]
        return self.outside.gives != "output"

    @property
    def tells_output(self) -> bool:  # type: ignore[override]
        return self.outside.gives != "value"

    def run(
        self,
        text: str,
        given: Mapping[str, str] | None = None,
        *,
        limits: Limits | None = None,
        variant: Variant = "counted",
        on_start: OnStart | None = None,
        given_input: Sequence[str] = (),
        kept: Sequence[Value] | None = None,
        ways: Sequence[int] = (),
        explain: bool = True,
        few: int | None = None,
    ) -> Result:
        """What the command makes of a program. Names supplied by hand and lines of input are
        handed on where the command has a place for them."""
        missing = self.without(given or {}, given_input)
        if missing:
            return Result(Outcome("unfinished", missing))
        ended = self.carry_out(text, self._named(given or {}), on_start, given_input)
        if isinstance(ended, Outcome):
            return Result(ended)
        status, out, err = ended
        return self._result(status, out, err)

    def without(self, given: Mapping[str, str], given_input: Sequence[str]) -> str:
        """What the command has no place for, as a sentence; nothing when it has for all."""
        if given and not self.outside.names:
            return f"{self.name} takes no names supplied by hand (it has no `names`)"
        if given_input and self.outside.program != "file":
            return f"{self.name} takes no input: its program comes on standard input"
        return ""

    def _named(self, given: Mapping[str, str]) -> list[str]:
        """The arguments for names supplied by hand."""
        return [
            word.replace("{name}", name).replace("{value}", value)
            for name, value in given.items()
            for word in self.outside.names
        ]

    def steps(self, text: str, given: Mapping[str, str] | None = None) -> bytes | Outcome:
        """The lines of a walk that the command writes, or how it ended without any."""
        if not self.outside.steps:
            return Outcome("unfinished", f"{self.name} reports no steps")
        missing = self.without(given or {}, ())
        if missing:
            return Outcome("unfinished", missing)
        more = [*self.outside.steps, *self._named(given or {})]
        ended = self.carry_out(text, more, None)
        if isinstance(ended, Outcome):
            return ended
        return ended[1].encode("utf-8", "replace")

    def carry_out(
        self,
        text: str,
        more: Sequence[str],
        on_start: OnStart | None,
        lines: Sequence[str] = (),
    ) -> tuple[int, str, str] | Outcome:
        """Exit status, standard output and standard error of the command; an outcome when it could
        not be seen through."""
        outside = self.outside
        _sweep_scratch()
        with tempfile.TemporaryDirectory(prefix=f"embrix-{os.getpid()}-") as scratch:
            command = [*outside.command, *more]
            if outside.program == "file":
                program = Path(scratch) / "program"
                program.write_text(text, encoding="utf-8")
                places = [number for number, word in enumerate(command) if "{program}" in word]
                command = [word.replace("{program}", str(program)) for word in command]
                command += [] if places else [str(program)]
            limits = [str(outside.seconds), str(outside.memory)]
            try:
                process = subprocess.Popen(
                    [sys.executable, "-I", "-S", str(Path(__file__).with_name("confined.py")),
                     *limits, *command],
                    stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
                    cwd=self.folder, start_new_session=True, close_fds=True,
                    env={"PATH": os.environ.get("PATH", os.defpath), "LANG": "C.UTF-8",
                         "HOME": scratch, "TMPDIR": scratch},
                )  # fmt: skip
            except OSError as fault:
                return Outcome("fault", f"{self.name} cannot be started: {refusal(fault)}")
            fed = text if outside.program == "input" else "".join(f"{line}\n" for line in lines)
            return self._watch(process, fed, on_start)

    def _watch(
        self, process: subprocess.Popen[bytes], text: str, on_start: OnStart | None
    ) -> tuple[int, str, str] | Outcome:
        stopped = threading.Event()

        def stop() -> None:
            stopped.set()
            _end(process)

        if on_start is not None:
            on_start(stop)
        assert process.stdin is not None
        assert process.stdout is not None
        assert process.stderr is not None
        taken: dict[str, bytes] = {}
        threads = [
            threading.Thread(target=_take, args=(process, "out", process.stdout, taken)),
            threading.Thread(target=_take, args=(process, "err", process.stderr, taken)),
            threading.Thread(target=_hand, args=(process.stdin, text)),
        ]
        for thread in threads:
            thread.daemon = True
            thread.start()
        late = f"more than {counted(self.outside.seconds, 'second')}"
        until = time.monotonic() + self.outside.seconds + PATIENCE
        try:
            # Waiting for a process looks again and again; the end of its output comes at once.
            for thread in threads[:2]:
                thread.join(max(0.0, until - time.monotonic()))
            process.wait(max(0.0, until - time.monotonic()))
        except subprocess.TimeoutExpired:
            _end(process)
            return Outcome("out of fuel", late, "time")
        finally:
            _end(process)
            for thread in threads[:2]:
                thread.join(PATIENCE)
        if stopped.is_set():
            return Outcome("out of fuel", "it was stopped", "time")
        if len(taken.get("out", b"")) >= MOST_READ:
            return Outcome("out of fuel", f"more than {MOST_READ:,} bytes of output", "output")
        if process.returncode in (-signal.SIGXCPU, -signal.SIGKILL):
            return Outcome("out of fuel", late, "time")
        out, err = (taken.get(key, b"").decode("utf-8", "replace") for key in ("out", "err"))
        return process.returncode, out, err

    def _result(self, status: int, out: str, err: str) -> Result:
        outside = self.outside
        value, output = out.strip(), ""
        if outside.gives == "output":
            value, output = "()", out
        elif outside.gives == "both":
            before, _, value = out.rstrip("\n").rpartition("\n")
            output = f"{before}\n" if before else ""
        written = (output,) if output else ()
        lines = [line.strip() for line in (*err.splitlines(), *out.splitlines()) if line.strip()]
        for name, pattern in outside.errors.items():
            for line in lines:
                if reads_like(pattern, line):
                    return Result(Outcome("failure", line, name), written)
        if outside.rejected and any(reads_like(outside.rejected, line) for line in lines):
            return Result(Outcome("rejected", lines[0], "grammar"), written)
        if status != 0:
            said = cut(lines[-1], 200) if lines else "it wrote nothing"
            return Result(Outcome("fault", f"{self.name} ended with status {status}: {said}"),
                          written)  # fmt: skip
        return Result(Outcome("value", value), written)


@cache
def _sweep_scratch() -> None:
    """Remove the folders of commands whose Embrix was killed."""
    with contextlib.suppress(OSError):
        for folder in Path(tempfile.gettempdir()).glob("embrix-*-*"):
            owner = folder.name.split("-")[1]
            if owner.isdecimal() and not alive(int(owner)) and folder.stat().st_uid == os.getuid():
                shutil.rmtree(folder, ignore_errors=True)


def _take(
    process: subprocess.Popen[bytes], key: str, stream: IO[bytes], taken: dict[str, bytes]
) -> None:
    found = b""
    with contextlib.suppress(OSError, ValueError):
        while len(found) < MOST_READ and (piece := stream.read1(65_536)):  # type: ignore[attr-defined]
            found += piece
            taken[key] = found[:MOST_READ]
        if len(found) >= MOST_READ:
            _end(process)


def _hand(stream: IO[bytes], text: str) -> None:
    with contextlib.suppress(OSError, ValueError):
        stream.write(text.encode())
        stream.close()


def _end(process: subprocess.Popen[bytes]) -> None:
    """End the command and everything it has started: the process beside it does, when asked."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        process.terminate()
    try:
        process.wait(PATIENCE)
    except subprocess.TimeoutExpired:
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(process.pid, signal.SIGKILL)


def check_outside(case: Case, lane: OutsideLane) -> Verdict:
    """A case on an outside interpreter: its value, error by name, rejection and output. What a
    command cannot tell (places, sentences, costs, states, how values are built) is not asked."""
    expected = case.expectation_for(lane.name)
    if expected is not None and expected.kind == "value" and expected.text.endswith(")"):
        expected = None
    if expected is not None:
        # Nor can it tell whether tokens or grammar refuse a program.
        text = "grammar" if expected.kind == "rejected" else expected.text
        expected = replace(expected, text=text, at=None, says="")
    plain = replace(
        case, expected=expected, instead={}, steps={}, costs={}, state=None, states={},
        tokens=None, term="", outputs={}, output=case.output_for(lane.name),
    )  # fmt: skip
    if lane.without(case.given, case.input) or not plain.applies_to(lane.name):
        return Verdict(case.name, lane.name, "left out")
    return check_case(plain, lane)
