"""Starts a command with limits on what it may use. Run as a program: seconds of processor time,
millions of bytes of memory, then the command."""

from __future__ import annotations

import contextlib
import ctypes
import os
import resource
import signal
import sys

LARGEST_FILE = 16 << 20


PARENT_DEATH = 1
"""PR_SET_PDEATHSIG of prctl."""


def _end_with_parent() -> None:
    """Have the command ended when the process that asked for it is gone, where the system can."""
    if sys.platform.startswith("linux"):
        with contextlib.suppress(OSError, AttributeError):
            ctypes.CDLL(None).prctl(PARENT_DEATH, signal.SIGKILL, 0, 0, 0)


def main() -> None:
    _end_with_parent()
    seconds, memory = int(sys.argv[1]), int(sys.argv[2]) * 1_000_000
    for limit, value in (
        (resource.RLIMIT_CPU, seconds),
        (resource.RLIMIT_AS, memory),
        (resource.RLIMIT_FSIZE, LARGEST_FILE),
        (resource.RLIMIT_CORE, 0),
    ):
        _, hard = resource.getrlimit(limit)
        wanted = value if hard == resource.RLIM_INFINITY else min(value, hard)
        resource.setrlimit(limit, (wanted, wanted))
    command = sys.argv[3:]
    try:
        os.execvp(command[0], command)
    except OSError as fault:
        os.write(2, f"cannot be started: {fault.strerror}\n".encode())
        os._exit(127)


if __name__ == "__main__":
    main()
