"""Stopping what a thread does, whatever it is: an exception that is raised in it from outside.

Python raises it between two of its instructions, so work in progress is left as by any other
exception, and what was remembered before stays.
"""

from __future__ import annotations

import ctypes
import threading


class Stopped(BaseException):
    """Raised in a thread whose work is no longer wanted. No fault, so nothing catches it on the
    way."""


def interrupt(thread: threading.Thread) -> None:
    """Raise `Stopped` in a thread, soon."""
    if thread.ident is not None:
        ctypes.pythonapi.PyThreadState_SetAsyncExc(
            ctypes.c_ulong(thread.ident), ctypes.py_object(Stopped)
        )


def forget_interruption(thread: threading.Thread) -> None:
    """Take back what has not been raised yet."""
    if thread.ident is not None:
        ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(thread.ident), None)
