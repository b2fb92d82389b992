"""A limit on the memory of a process, from outside the runs in it."""

from __future__ import annotations

import resource
from pathlib import Path

from embrix.machine.limits import MEMORY

LEAST = 1 << 30
"""Bytes that a process has in any case: deep runs take much address space without using it."""


def share_of_memory(processes: int) -> int:
    """Bytes for each of some processes that run at the same time: together at most three quarters
    of what is free."""
    return min(MEMORY, max(LEAST, _free() * 3 // 4 // max(1, processes)))


def _free() -> int:
    try:
        lines = Path("/proc/meminfo").read_text().splitlines()
        known = dict(line.split(":", 1) for line in lines if ":" in line)
        return int(known["MemAvailable"].split()[0]) << 10
    except (OSError, ValueError, KeyError, IndexError):
        return MEMORY * 2


def limit_memory(size: int = MEMORY) -> None:
    """Let this process have at most `size` bytes of address space more than now."""
    try:
        pages = int(Path("/proc/self/statm").read_text().split()[0])
        now = pages * resource.getpagesize()
    except (OSError, ValueError):
        now = 1 << 30
    _, hard = resource.getrlimit(resource.RLIMIT_AS)
    wanted = now + size
    if hard != resource.RLIM_INFINITY:
        wanted = min(wanted, hard)
    try:
        resource.setrlimit(resource.RLIMIT_AS, (wanted, hard))
    except (OSError, ValueError):
        return
