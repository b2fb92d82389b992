"""Room for the frames of deep recursion, in one piece.

CPython keeps the frames of Python functions in pieces of 16 kB and gives each back as soon as its
last frame is left, so that a recursion which goes to and fro across the end of a piece asks the
system for memory at every call (measured: half of the time of some runs). A function that claims
to need much room gets a piece of its own, twice as large; the frames above it take the rest.
Memory that is never touched is never used.
"""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from typing import TypeVar

T = TypeVar("T")

SLOTS = (1 << 21) + (1 << 10)
"""Just above a power of two: 16 MB that stay empty, in a piece of 32 MB."""


def _roomy(work: Callable[[], T]) -> T:
    return work()


_roomy.__code__ = _roomy.__code__.replace(co_stacksize=SLOTS)


def with_room(work: Callable[[], T]) -> T:
    """Do something that recurses deeply; its frames lie side by side as far as there is room."""
    try:
        return _roomy(work)
    except (SystemError, MemoryError):
        # Where CPython finds no memory for the frame of a function, it gives the function back once
        # too often: after some times it would be gone, and another object in its place.
        ctypes.pythonapi.Py_IncRef(ctypes.py_object(_roomy))
        raise
