"""Where faults of Embrix itself are written down: a file in the user's state folder."""

from __future__ import annotations

import logging
from pathlib import Path

from embrix.text.user_folders import state_folder

MOST_BYTES, KEPT = 1 << 20, 2
"""How large the file may get before a new one begins, and how many old ones are kept."""


def log_file() -> Path:
    """The file, whether or not it exists."""
    return state_folder() / "embrix.log"


class _AtNeed(logging.Handler):
    """Writes to the file, which is looked for when there is something to write; nowhere, where
    there can be no such file."""

    def __init__(self) -> None:
        super().__init__()
        self._file: logging.Handler | None = None

    def emit(self, record: logging.LogRecord) -> None:
        if self._file is None:
            self._file = _opened()
            self._file.setFormatter(self.formatter)
        self._file.emit(record)

    def close(self) -> None:
        if self._file is not None:
            self._file.close()
        super().close()


def _opened() -> logging.Handler:
    from logging.handlers import RotatingFileHandler  # most runs write nothing

    try:
        path = log_file()
        path.parent.mkdir(parents=True, exist_ok=True)
        return RotatingFileHandler(
            path, maxBytes=MOST_BYTES, backupCount=KEPT, encoding="utf-8", delay=True,
            errors="backslashreplace",
        )  # fmt: skip
    except OSError:
        return logging.NullHandler()


def start_logging() -> None:
    """Write what goes wrong to the file from now on."""
    logger = logging.getLogger("embrix")
    if logger.handlers:
        return
    logger.propagate = False
    logger.setLevel(logging.INFO)
    handler = _AtNeed()
    handler.setFormatter(logging.Formatter("%(asctime)s %(process)d %(levelname)s %(message)s"))
    logger.addHandler(handler)
    logging.raiseExceptions = False
