"""Atomic saving: the file is either the old text or the new one, whatever happens in between."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path


def save_text(path: Path, text: str) -> None:
    """Write UTF-8 text to a temporary file beside `path`, flush it, and rename it over `path`.

    Raises OSError when that cannot be done; the old file is then untouched.
    """
    save_bytes(path, text.encode("utf-8"))


def save_bytes(path: Path, content: bytes) -> None:
    """The same with bytes. Raises OSError."""
    target = path.resolve()
    descriptor, name = tempfile.mkstemp(prefix=f".{target.name}.", dir=target.parent)
    try:
        with os.fdopen(descriptor, "wb") as handle:
            handle.write(content)
            handle.flush()
            os.fsync(handle.fileno())
        if target.exists():
            os.chmod(name, target.stat().st_mode & 0o777)
        else:
            mask = os.umask(0)
            os.umask(mask)
            os.chmod(name, 0o666 & ~mask)
        os.replace(name, target)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise
