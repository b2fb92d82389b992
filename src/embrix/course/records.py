"""Files of our own in the user's folders: permissions, drafts, what can be undone. They are read
as data from strangers (a bound on their size, a type for what is in them), one process at a time
changes them, and one that is damaged is reported and left as it is."""

from __future__ import annotations

import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TypeVar

import msgspec

from embrix.text.refusal import refusal
from embrix.text.saving import save_text
from embrix.text.user_folders import state_folder

T = TypeVar("T")

MOST_BYTES = 32 << 20
WAITING = 10.0
"""Seconds to wait for another process that is changing the same file."""


class Damaged(Exception):
    """A file of our own cannot be used; the message names it and says why."""


class Record(msgspec.Struct):
    """What a file of our own holds. Entries that are not known are passed over, so that a later
    version may add some."""


def read_record(path: Path, kind: type[T]) -> T | None:
    """What a file holds, None where there is none. Raises `Damaged`."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise Damaged(f"{path} is too large; it is left as it is")
        return msgspec.convert(json.loads(path.read_bytes()), kind)
    except FileNotFoundError:
        return None
    except OSError as fault:
        raise Damaged(f"{path} cannot be read: {refusal(fault)}") from fault
    except (ValueError, msgspec.ValidationError, RecursionError) as bad:
        raise Damaged(f"{path} is damaged ({bad}); it is left as it is") from bad


def write_record(path: Path, record: Record) -> None:
    """Write a file of our own as a whole. Raises OSError."""
    path.parent.mkdir(parents=True, exist_ok=True)
    save_text(path, json.dumps(msgspec.to_builtins(record)))


def name_for(path: str) -> str:
    """What stands for a path in the name of a file of our own."""
    import hashlib

    return hashlib.sha256(path.encode("utf-8", "surrogateescape")).hexdigest()[:24]


@contextmanager
def alone(path: Path) -> Iterator[None]:
    """Hold a file against all other processes of Embrix of this user while it is read, changed and
    written. Raises OSError when another one holds it for too long."""
    import filelock  # seldom needed

    folder = state_folder() / "locks"
    folder.mkdir(parents=True, exist_ok=True)
    lock = filelock.FileLock(folder / f"{name_for(str(path.resolve()))}.lock", timeout=WAITING)
    try:
        lock.acquire()
    except filelock.Timeout as late:
        raise OSError(11, f"{path.name} is being changed by another process", None) from late
    try:
        yield
    finally:
        lock.release()
