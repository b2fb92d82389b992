"""Atomic saving: the file is either the old text or the new one, whatever happens in between."""

from __future__ import annotations

import contextlib
import os
import re
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO


def save_text(path: Path, text: str) -> None:
    """Write UTF-8 text to a temporary file beside `path`, flush it, and rename it over `path`.

    Raises OSError when that cannot be done; the old file is then untouched.
    """
    save_bytes(path, text.encode("utf-8"))


def save_bytes(path: Path, content: bytes) -> None:
    """The same with bytes. Raises OSError."""
    with replacing(path) as handle:
        handle.write(content)


def save_private(path: Path, content: bytes) -> None:
    """The same for what only this user may read and what can be made again: nobody waits until a
    disk has it, and a link is replaced, not what it leads to. Raises OSError."""
    with replacing(path, private=True) as handle:
        handle.write(content)


@contextmanager
def replacing(path: Path, *, private: bool = False) -> Iterator[IO[bytes]]:
    """A temporary file that takes the place of `path` when all has been written to it. Raises
    OSError. What writers that were killed have left beside it is taken away."""
    target = path.parent.resolve() / path.name if private else path.resolve()
    sweep(target)
    descriptor, name = tempfile.mkstemp(prefix=before(target), suffix="~", dir=target.parent)
    try:
        with os.fdopen(descriptor, "wb") as handle:
            yield handle
            handle.flush()
            if not private:
                os.fsync(handle.fileno())
        if private:
            os.chmod(name, 0o600)
        elif target.exists():
            os.chmod(name, target.stat().st_mode & 0o777)
        else:
            mask = os.umask(0)
            os.umask(mask)
            os.chmod(name, 0o666 & ~mask)
        os.replace(name, target)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


def before(target: Path) -> str:
    """How the names of temporary files and folders for a target begin; they end in `~`."""
    return f".{target.name}.{os.getpid()}."


def sweep(target: Path) -> None:
    """Remove temporary files and folders for a target whose writers are gone."""
    left = re.compile(rf"\.{re.escape(target.name)}\.(\d+)\..*~")
    with contextlib.suppress(OSError):
        for name in os.listdir(target.parent):
            found = left.fullmatch(name)
            if found is not None and not alive(int(found.group(1))):
                path = target.parent / name
                shutil.rmtree(path) if path.is_dir() else path.unlink(missing_ok=True)


def alive(process: int) -> bool:
    """Whether a process with this number runs on this machine."""
    if process <= 0:
        return False
    try:
        os.kill(process, 0)
    except (ProcessLookupError, OverflowError):
        return False
    except OSError:
        return True
    return True
