"""What has been worked out once is found again by every later process, as long as all that it rests
on says the same."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from typing import TypeVar

import msgspec

from embrix.text.digests import digest_of
from embrix.text.sealed import SealedFolder
from embrix.text.user_folders import cache_in_use

T = TypeVar("T")


def found_again(
    folder: str, rests_on: tuple[object, ...], kind: type[T], make: Callable[[], T]
) -> T:
    """What `make` gives, or what it has given before for the same; `folder` is where that is kept.
    Nothing is kept where a part that it rests on is None: then more matters than is known."""
    name = digest_of(rests_on) if cache_in_use() and None not in rests_on else None
    if name is None:
        return make()
    files = SealedFolder.of_user(folder)
    content = files.read(name.hex())
    if content is not None:
        with suppress(msgspec.DecodeError):
            return msgspec.json.decode(content, type=kind)
    made = make()
    files.write(name.hex(), msgspec.json.encode(made))
    return made
