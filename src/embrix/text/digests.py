"""What stands for something that is kept on disk: the same in every process, another for anything
else."""

from __future__ import annotations

import os
import sys
from functools import cache
from importlib.util import MAGIC_NUMBER

import embrix


def digest_of(value: object) -> bytes | None:
    """What stands for a value of plain parts; None where its text would not be the same in every
    process."""
    text = repr(value)
    return None if " at 0x" in text else digest(text)


def digest(said: str | bytes) -> bytes:
    """What stands for a text, or for some bytes (BLAKE2b, RFC 7693)."""
    import hashlib  # most commands need none

    content = said.encode("utf-8", "surrogatepass") if isinstance(said, str) else said
    return hashlib.blake2b(content, digest_size=16).digest()


@cache
def makers(packages: tuple[str, ...]) -> bytes:
    """What stands for the files of some packages of Embrix, and for the Python that runs them.
    Where the packages are no folders, the version of Embrix stands for them."""
    root = os.path.dirname(embrix.__file__)
    pending = [one for one in (os.path.join(root, package) for package in packages)
               if os.path.isdir(one)]  # fmt: skip
    found: list[tuple[str, int, int]] = []
    for folder in pending:  # which grows while it is gone through
        for entry in os.scandir(folder):
            if entry.name.endswith(".py"):
                of = entry.stat()
                found.append((entry.name, of.st_mtime_ns, of.st_size))
            elif entry.is_dir() and not entry.name.startswith("_"):
                pending.append(entry.path)
    found.sort()
    return digest(f"{embrix.__version__} {sys.version} {MAGIC_NUMBER!r} {found}")
