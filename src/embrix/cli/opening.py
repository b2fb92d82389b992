"""Opening the workbench."""

from __future__ import annotations

import argparse
import gc
import signal
import sys
from pathlib import Path

from embrix.cli.status import INTERNAL, OK
from embrix.cli.usage import Usage, course_folder, here
from embrix.course.finding import find_course, holds_course_files, is_empty
from embrix.course.shipped import writable_copy
from embrix.text.refusal import refusal


def _nearest(near: Path) -> Path | None:
    """The course found from a folder on, or a folder that holds files of one."""
    for start in (near, here()):
        found = find_course(start)
        if found is not None:
            return found
    return next((start for start in (near, here()) if holds_course_files(start)), None)


def _shipped() -> Path:
    """The user's copy of the shipped course. Raises `Usage`."""
    try:
        return writable_copy()
    except OSError as fault:
        raise Usage(f"no course can be put into your data folder: {refusal(fault)}") from fault


def _begin(folder: Path) -> None:
    """Begin a course in an empty folder. Raises `NotBegun` and OSError."""
    from embrix.documents.beginnings import begin_course, write_new  # seldom needed

    write_new(begin_course(folder, folder.resolve().name))


def open_workbench(arguments: argparse.Namespace) -> int:
    """Open the workbench, on a writable copy of the shipped course when none is found here; in an
    empty folder it asks whether a course is to be begun there."""
    from embrix.workers.ahead import reading_ahead
    from embrix.workers.process import prepare

    prepare()
    if arguments.file is not None and arguments.file.is_dir() and arguments.course is None:
        arguments.course, arguments.file = arguments.file, None
    near = arguments.file.resolve().parent if arguments.file is not None else here()
    folder: Path | None
    if arguments.course is not None:
        folder = course_folder(arguments.course)
    else:
        folder = _nearest(near)
    unasked = folder is None and arguments.file is None
    empty = here() if unasked and is_empty(here()) else None
    if folder is None and empty is None:
        folder = _shipped()
    if arguments.file is not None and not arguments.file.is_file():
        raise Usage(f"there is no file {arguments.file}")
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise Usage("the workbench needs a terminal; see embrix --help for single commands")
    # A terminal that is closed ends the workbench at once: unsaved text has been kept.
    for name in ("SIGTERM", "SIGHUP"):
        if hasattr(signal, name):
            signal.signal(getattr(signal, name), signal.SIG_DFL)
    pool = reading_ahead(folder, arguments.file) if folder is not None else None
    # The interface library, which is only loaded for the workbench, is loaded meanwhile.
    from embrix.tui.app import BeginningApp, WorkbenchApp

    if folder is not None:
        workbench = WorkbenchApp(folder, arguments.file, pool)
    else:
        assert empty is not None
        workbench = BeginningApp(empty, _begin, _shipped)
    gc.freeze()  # modules stay: collecting garbage between two keys does not look through them
    workbench.run()
    if pool is not None:
        pool.close()  # where the bench has not come to it
    return INTERNAL if workbench.return_code else OK
