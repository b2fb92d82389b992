"""Texts with a name, and places in them.

Inside Embrix a place is a pair of offsets in code points; lines and columns exist only where a
person reads them.
"""

from __future__ import annotations

import stat
from bisect import bisect_right
from pathlib import Path

from msgspec import Struct, field

from embrix.text.refusal import refusal

BYTE_ORDER_MARK = "\ufeff"


class Span(Struct, frozen=True):
    """A slice of a text: offsets in code points, `end` not included.

    `source` is known for parts of definitions, which may come from several files.
    """

    start: int
    end: int
    source: Source | None = None

    def __eq__(self, other: object) -> bool:
        if type(other) is not Span:
            return NotImplemented
        return self.start == other.start and self.end == other.end

    def __hash__(self) -> int:
        return hash((self.start, self.end))

    def __lt__(self, other: Span) -> bool:
        return (self.start, self.end) < (other.start, other.end)

    def __repr__(self) -> str:
        return f"Span({self.start}, {self.end})"


class Source(Struct, frozen=True, eq=False):
    """A text with the name it is called by in messages. `text` holds no byte-order mark."""

    name: str
    text: str
    path: Path | None = None
    _starts: list[int] = field(default_factory=list)

    def __repr__(self) -> str:
        return f"Source({self.name!r})"

    def _lines(self) -> list[int]:
        """Where each line begins; found when it is asked for."""
        if not self._starts:
            starts = [0]
            at = self.text.find("\n")
            while at >= 0:
                starts.append(at + 1)
                at = self.text.find("\n", at + 1)
            self._starts[:] = starts
        return self._starts

    def position(self, offset: int) -> tuple[int, int]:
        """Line and column of an offset, both counted from one, in code points."""
        starts = self._lines()
        line = bisect_right(starts, offset) - 1
        return line + 1, offset - starts[line] + 1

    def offset(self, line: int, column: int) -> int:
        """The offset of a line and column counted from one; beyond the end it is the end."""
        starts = self._lines()
        if line > len(starts):
            return len(self.text)
        return min(starts[line - 1] + column - 1, len(self.text))

    def line(self, number: int) -> str:
        """The text of a line counted from one, without its line end."""
        start = self._lines()[number - 1]
        end = self.text.find("\n", start)
        return self.text[start : len(self.text) if end < 0 else end].removesuffix("\r")


class Unreadable(Exception):
    """A file that is no text or cannot be read; the message says why, in a sentence."""


MOST_BYTES = 16 << 20
"""The largest file that is read as a text."""


def read_bytes(path: Path, name: str) -> bytes:
    """What is in a file. Raises `Unreadable`, also for one that is too large to be a text."""
    try:
        # Whatever waits for somebody to write (a pipe) or never ends (a device) is no text.
        if not stat.S_ISREG(path.stat().st_mode):
            raise Unreadable(f"{name} is {'a folder' if path.is_dir() else 'no file with a text'}")
        with path.open("rb") as handle:
            raw = handle.read(MOST_BYTES + 1)
    except (OSError, ValueError) as fault:
        raise Unreadable(f"{name}: {refusal(fault)}") from fault
    return bounded(raw, name)


def bounded(raw: bytes, name: str) -> bytes:
    """The same bytes. Raises `Unreadable` for more than a text may have."""
    if len(raw) > MOST_BYTES:
        raise Unreadable(f"{name} is larger than {MOST_BYTES >> 20} MB")
    return raw


def read_source(path: Path, name: str | None = None) -> Source:
    """Read a UTF-8 file. Raises `Unreadable`. Line ends are kept as they are."""
    text = decoded(read_bytes(path, name or str(path)), name or str(path))
    return Source(name or str(path), text.removeprefix(BYTE_ORDER_MARK), path)


def decoded(raw: bytes, name: str) -> str:
    """Bytes as text. Raises `Unreadable` for what is not UTF-8."""
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError as fault:
        raise Unreadable(f"{name}: byte {fault.start + 1} is not UTF-8 text") from fault
