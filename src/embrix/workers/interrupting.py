"""Stopping what a thread does, whatever it is: an exception that is raised in it from outside.

Python raises it between two of its instructions, so work in progress is left as by any other
exception, and what was remembered before stays.
"""

from __future__ import annotations

import ctypes
import sys
import threading


class Stopped(BaseException):
    """Raised in a thread whose work is no longer wanted. No fault, so nothing catches it on the
    way."""


def interrupt(thread: threading.Thread) -> bool:
    """Raise `Stopped` in a thread, soon; whether that could be done now. A module that is being
    imported must not be left half read: nothing can be done until it is there."""
    if thread.ident is None or _importing(thread.ident):
        return False
    ctypes.pythonapi.PyThreadState_SetAsyncExc(
        ctypes.c_ulong(thread.ident), ctypes.py_object(Stopped)
    )
    return True


def _importing(ident: int) -> bool:
    frame = sys._current_frames().get(ident)
    while frame is not None:
        if frame.f_code.co_filename.startswith("<frozen importlib"):
            return True
        frame = frame.f_back
    return False


def forget_interruption(thread: threading.Thread) -> None:
    """Take back what has not been raised yet."""
    if thread.ident is not None:
        ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(thread.ident), None)
