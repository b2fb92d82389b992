"""A limit on the memory of a process, from outside the runs in it."""

from __future__ import annotations

import resource
from pathlib import Path

from embrix.machine.limits import MEMORY


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
