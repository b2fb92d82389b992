"""Files in the user's cache folder that hold what can be made again.

Such a file is believed only where this program has written it for this user. It begins with a seal
that nobody can make who does not have the user's key (BLAKE2b with a key, RFC 7693); the key is in
another folder. A file with another seal is as good as none, whatever it holds: one that was
damaged, cut off, moved, or put there by somebody else.

Nothing here raises: what cannot be kept is made again the next time.
"""

from __future__ import annotations

import os
import re
import stat
from contextlib import suppress
from pathlib import Path

from embrix.text.saving import save_private
from embrix.text.user_folders import cache_folder, state_folder

MOST_BYTES = 8 << 20
"""Of a file that is believed."""
MOST_FILES, OFTEN = 4_000, 50
"""In a folder; above that those written longest ago go. It is looked whether there are too many
when a process writes the first one, and then once for so many."""
NAME = re.compile("[0-9a-f]{32}")
"""Of such a file. Nothing else is taken away, wherever the folder leads."""
SIZE = 32
"""Bytes of a key, and of a seal."""


class SealedFolder:
    """A folder of such files, and the file that holds the key."""

    def __init__(self, folder: Path, key: Path) -> None:
        self.folder = folder
        self._key_file = key
        self._key: bytes | None = None
        self._written = 0

    @classmethod
    def of_user(cls, name: str) -> SealedFolder:
        """A folder inside the user's cache folder."""
        return cls(cache_folder() / name, state_folder() / "cache-key")

    def read(self, name: str) -> bytes | None:
        """What was written under a name, if that is there as it was written."""
        try:
            found, _ = _read(self.folder / name, MOST_BYTES)
        except (OSError, ValueError):
            return None
        key, content = self._known_key(), found[SIZE:]
        if key is None or _seal(key, name, content) != found[:SIZE]:
            return None
        return content

    def write(self, name: str, content: bytes) -> None:
        """Keep this under a name (`NAME`), as a whole or not at all."""
        with suppress(OSError, ValueError):
            self.folder.mkdir(parents=True, exist_ok=True)
            key = self._known_key() or self._new_key()
            save_private(self.folder / name, _seal(key, name, content) + content)
            if self._written % OFTEN == 0:
                self._make_room()
            self._written += 1

    def _known_key(self) -> bytes | None:
        """The key of this user, if there is one that nobody else could read or write."""
        if self._key is None:
            with suppress(OSError):
                found, of = _read(self._key_file, SIZE)
                private = os.name != "posix" or (
                    of.st_uid == os.getuid() and not of.st_mode & 0o077
                )
                self._key = found if private and len(found) == SIZE else None
        return self._key

    def _new_key(self) -> bytes:
        self._key_file.parent.mkdir(parents=True, exist_ok=True)
        save_private(self._key_file, os.urandom(SIZE))
        key = self._known_key()  # that of another process where it came later
        if key is None:
            raise OSError("there is no key")
        return key

    def _make_room(self) -> None:
        ours = [one for one in os.scandir(self.folder) if NAME.fullmatch(one.name)]
        if len(ours) > MOST_FILES:
            ours.sort(key=lambda one: one.stat(follow_symlinks=False).st_mtime)
            for one in ours[: len(ours) - MOST_FILES]:
                os.unlink(one.path)


def _read(path: Path, most: int) -> tuple[bytes, os.stat_result]:
    """What a file holds, and what kind of file it is. Raises OSError for what is no ordinary file
    or too large."""
    # Without waiting for whoever writes at the other end, where there is another end.
    descriptor = os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0))
    with os.fdopen(descriptor, "rb") as file:
        of = os.fstat(descriptor)
        if not stat.S_ISREG(of.st_mode) or of.st_size > most:
            raise OSError(f"{path} is not such a file")
        return file.read(most), of


def _seal(key: bytes, name: str, content: bytes) -> bytes:
    import hashlib  # most commands need none

    made = hashlib.blake2b(key=key, digest_size=SIZE)
    made.update(f"{len(name)} {name} ".encode())
    made.update(content)
    return made.digest()
