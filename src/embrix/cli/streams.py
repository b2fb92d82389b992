"""Standard output and standard error: whatever is printed, nothing in it steers the terminal.

Texts from strangers reach a terminal only through here, so no command has to remember it.
"""

from __future__ import annotations

import contextlib
import io
import os
import sys
from collections.abc import Iterator
from typing import Any, TextIO

from embrix.messages.replies import Refusal
from embrix.text.refusal import refusal
from embrix.text.source import MOST_BYTES, Source, Unreadable, bounded, decoded
from embrix.text.visible import visible

KEPT = "\n\t"
"""Control characters that are printed as they are."""


class SafeStream(io.TextIOBase):
    """A text stream that writes control characters and the like as escapes."""

    def __init__(self, stream: TextIO) -> None:
        self.stream = stream

    def write(self, text: str) -> int:
        self.stream.write(visible(text, keep=KEPT))
        return len(text)

    def show_progress(self, text: str) -> None:
        """Write a line over the present one."""
        self.stream.write(f"\r{visible(text)}")
        self.stream.flush()

    def flush(self) -> None:
        self.stream.flush()

    def isatty(self) -> bool:
        return self.stream.isatty()

    def fileno(self) -> int:
        return self.stream.fileno()

    def writable(self) -> bool:
        return True

    @property
    def encoding(self) -> Any:  # type: ignore[override]
        return self.stream.encoding

    @property
    def errors(self) -> Any:  # type: ignore[override]
        return self.stream.errors


@contextlib.contextmanager
def safe_streams() -> Iterator[None]:
    """Everything printed goes through safe streams, and what is closed is empty; afterwards the
    streams are as before."""
    before = sys.stdin, sys.stdout, sys.stderr
    for stream in before[1:]:
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")
    if sys.stdin is None or sys.stdin.closed:
        sys.stdin = io.TextIOWrapper(io.BytesIO())
    elif hasattr(sys.stdin, "reconfigure"):
        sys.stdin.reconfigure(errors="backslashreplace")
    sys.stdout, sys.stderr = map(_safe, before[1:])
    try:
        yield
    finally:
        sys.stdin, sys.stdout, sys.stderr = before


def standard_input() -> str:
    """All of standard input. Raises `Unreadable` for what is no text, or far too long."""
    try:
        raw = sys.stdin.buffer.read(MOST_BYTES + 1)
    except OSError as fault:
        raise Unreadable(f"standard input: {refusal(fault)}") from fault
    return decoded(bounded(raw, "standard input"), "standard input").replace("\r\n", "\n")


def _safe(stream: TextIO | None) -> TextIO:
    """A safe stream for one that may be closed."""
    if stream is None or stream.closed:
        stream = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115
    return SafeStream(stream)  # type: ignore[return-value]


def progress(text: str) -> None:
    """Tell how far something is, where a person looks: over and over on one line."""
    stream = sys.stderr
    if isinstance(stream, SafeStream) and stream.isatty():
        stream.show_progress(text)


def give_up_output() -> None:
    """Nobody reads standard output any more: what is still to be written goes nowhere, so that
    nothing fails when Python ends."""
    with contextlib.suppress(OSError, ValueError, AttributeError):
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, sys.stdout.fileno())
        os.close(nowhere)


def print_answer(command: str, answer: object) -> None:
    """Print what a command answers as JSON, as its schema says."""
    from embrix.cli.schemas import as_json  # few commands print JSON

    print(as_json(command, answer))


def tell_others(refused: Refusal, source: Source) -> None:
    """The mistakes of a rejected program beyond the first, on standard error."""
    for one in refused.mistakes[1:]:
        line, column = source.position(one.start)
        print(f"also {line}:{column}: {visible(one.message)}", file=sys.stderr)
