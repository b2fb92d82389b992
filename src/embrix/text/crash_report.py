"""What is left behind where Embrix itself fails: a file in the user's state folder that says what
failed, doing what, with which versions."""

from __future__ import annotations

import logging
import os
import platform
import sys
import traceback
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path

from embrix.text.log import log_file

KEPT = 10
"""Reports that are kept; older ones go."""
PACKAGES = ("textual", "rich", "msgspec")
_LOG = logging.getLogger(__name__)


def write_crash_report(fault: BaseException, doing: str) -> Path:
    """Write down a fault in a report of its own and in the log; the file to read: the log, where no
    report can be written."""
    _LOG.error("%s", doing, exc_info=fault)
    folder = log_file().parent
    lines = [
        f"time     {datetime.now(UTC).isoformat(timespec='seconds')}",
        f"doing    {doing}",
        f"Embrix   {_version('embrix')}",
        f"Python   {platform.python_version()} ({platform.platform()})",
        *(f"{name:<8} {_version(name)}" for name in PACKAGES if name in sys.modules),
        f"terminal {os.environ.get('TERM', 'none')}",
        "",
        *traceback.format_exception(fault),
    ]
    try:
        folder.mkdir(parents=True, exist_ok=True)
        path = _new_file(folder)
        path.write_text("\n".join(lines), encoding="utf-8", errors="backslashreplace")
    except OSError:
        return log_file()
    with suppress(OSError):
        for old in sorted(folder.glob("crash-*.txt"))[:-KEPT]:
            old.unlink()
    return path


def _new_file(folder: Path) -> Path:
    """A file that nobody else has: two processes may fail at once."""
    while True:
        path = folder / f"crash-{datetime.now(UTC):%Y%m%d-%H%M%S-%f}.txt"
        with suppress(FileExistsError):
            path.touch(exist_ok=False)
            return path


def _version(package: str) -> str:
    from importlib.metadata import PackageNotFoundError, version  # seldom needed

    try:
        return version(package)
    except PackageNotFoundError:
        return "not installed"
