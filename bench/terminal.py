"""A program in a terminal of its own: what is typed goes in, and what it draws comes out."""

from __future__ import annotations

import fcntl
import os
import pty
import select
import signal
import struct
import termios
import time
from collections.abc import Sequence
from pathlib import Path

ROWS, COLUMNS = 44, 140


class Terminal:
    def __init__(self, command: Sequence[str], folder: Path) -> None:
        self.process, self._end = pty.fork()
        if self.process == 0:
            os.chdir(folder)
            os.environ |= {"TERM": "xterm-256color", "COLORTERM": "truecolor"}
            os.execv(command[0], command)
        size = struct.pack("HHHH", ROWS, COLUMNS, 0, 0)
        fcntl.ioctl(self._end, termios.TIOCSWINSZ, size)

    def type(self, keys: str) -> None:
        os.write(self._end, keys.encode())

    def drawn(self, seconds: float, until: str = "") -> str:
        """What is drawn within some seconds, or up to the first piece with a text in it."""
        found = b""
        end = time.monotonic() + seconds
        while (left := end - time.monotonic()) > 0:
            ready, _, _ = select.select([self._end], [], [], left)
            if ready:
                found += os.read(self._end, 1 << 16)
            if until and until.encode() in found:
                break
        return found.decode(errors="replace")

    def close(self) -> None:
        os.kill(self.process, signal.SIGKILL)
        os.waitpid(self.process, 0)
        os.close(self._end)
