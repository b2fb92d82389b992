"""Where faults of Embrix itself are written down: a file in the user's state folder."""

from __future__ import annotations

import logging
import logging.handlers
from pathlib import Path

import platformdirs

MOST_BYTES, KEPT = 1 << 20, 2
"""How large the file may get before a new one begins, and how many old ones are kept."""


def log_file() -> Path:
    """The file, whether or not it exists."""
    return Path(platformdirs.user_state_dir("embrix")) / "embrix.log"


def start_logging() -> None:
    """Write what goes wrong to the file from now on; nowhere, where there can be no such file."""
    logger = logging.getLogger("embrix")
    if logger.handlers:
        return
    logger.propagate = False
    logger.setLevel(logging.INFO)
    handler: logging.Handler = logging.NullHandler()
    try:
        path = log_file()
        path.parent.mkdir(parents=True, exist_ok=True)
        handler = logging.handlers.RotatingFileHandler(
            path, maxBytes=MOST_BYTES, backupCount=KEPT, encoding="utf-8", delay=True,
            errors="backslashreplace",
        )  # fmt: skip
    except OSError:
        pass
    handler.setFormatter(logging.Formatter("%(asctime)s %(process)d %(levelname)s %(message)s"))
    logger.addHandler(handler)
    logging.raiseExceptions = False
