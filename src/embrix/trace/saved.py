"""Walks in files: JSON Lines, compressed. The first line tells of the walk, each other one is a
station. A file from somewhere else is data: what is wrong with it is told by its line."""

from __future__ import annotations

import gzip
import io
import json
import os
import tempfile
import zlib
from array import array
from collections.abc import Callable
from pathlib import Path
from typing import Any

from embrix.trace.data import head_data, station_data
from embrix.trace.walk import Walk

VERSION = 1
LONGEST_LINE = 4 << 20
MOST_STATIONS = 20_000_000
_HEAD = {"language": str, "lane": str, "program": str, "style": str, "length": int, "levels": list}
_STATION = {
    "number": int, "kind": str, "text": str, "brief": str, "depth": int, "bindings": list,
    "store": list, "store_size": int, "note": str, "changed": list, "refused": list, "stack": list,
    "put": list,
}  # fmt: skip


class Unusable(Exception):
    """The file is no walk; the message says where and why."""


def save_walk(
    walk: Walk,
    program: str,
    language: str,
    path: Path,
    progress: Callable[[int], None] | None = None,
) -> None:
    """Write a walk to a file, whole or not at all. Raises OSError."""
    target = path.resolve()
    descriptor, name = tempfile.mkstemp(prefix=f".{target.name}.", dir=target.parent)
    try:
        with os.fdopen(descriptor, "wb") as raw:
            with gzip.GzipFile(fileobj=raw, mode="wb", mtime=0, compresslevel=6) as packed:
                packed.write(_line(head_data(walk, program, language)))
                for number in range(len(walk)):
                    packed.write(_line(station_data(walk, walk.station(number))))
                    if progress is not None and number % 1_000 == 0:
                        progress(number)
            raw.flush()
            os.fsync(raw.fileno())
        os.replace(name, target)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


def _line(data: dict[str, Any]) -> bytes:
    return json.dumps(data, ensure_ascii=False, separators=(",", ":")).encode() + b"\n"


class SavedWalk:
    """A walk that was opened again. Its stations stay in a file; only their places are held."""

    def __init__(self, path: Path) -> None:
        """Raises `Unusable`."""
        try:
            with gzip.open(path, "rb") as packed:
                self._take(packed, path.name)
        except (OSError, EOFError, zlib.error) as fault:
            raise Unusable(f"{path.name} cannot be read: {fault}") from fault

    @staticmethod
    def of_lines(lines: bytes, name: str) -> SavedWalk:
        """A walk that somebody else's program has written. Raises `Unusable`."""
        walk = SavedWalk.__new__(SavedWalk)
        walk._take(io.BytesIO(lines), name)
        for number in range(len(walk)):
            walk.station(number)
        return walk

    def _take(self, lines: Any, name: str) -> None:
        self._file = tempfile.TemporaryFile()  # noqa: SIM115  (it lives as long as the walk)
        self._places = array("Q")
        self._name = name
        self.head = _checked(lines.readline(LONGEST_LINE), _HEAD, name, 1)
        if self.head.get("embrix") != "walk":
            raise Unusable(f"{name} is not a walk as Embrix saves it")
        if self.head.get("version") != VERSION:
            raise Unusable(f"{name} was saved by another version of Embrix")
        while line := lines.readline(LONGEST_LINE):
            if not line.endswith(b"\n") or len(self._places) >= MOST_STATIONS:
                raise Unusable(f"{name}:{len(self._places) + 2}: the line is not whole")
            self._places.append(self._file.tell())
            self._file.write(line)
        if len(self._places) != self.head["length"]:
            raise Unusable(
                f"{name} holds {len(self._places):,} stations of {self.head['length']:,}"
            )

    def __len__(self) -> int:
        return len(self._places)

    def station(self, number: int) -> dict[str, Any]:
        """The station with a number as plain data. Raises IndexError and `Unusable`."""
        if not 0 <= number < len(self):
            raise IndexError(number)
        self._file.seek(self._places[number])
        station = _checked(self._file.readline(), _STATION, self._name, number + 2)
        if station["number"] != number:
            raise Unusable(f"{self._name}:{number + 2}: station {number} is not where it belongs")
        return station

    def find(self, text: str, start: int, forward: bool) -> int | None:
        """The next station with a text in it."""
        wanted = text.casefold()
        numbers = range(start + 1, len(self)) if forward else range(start - 1, -1, -1)
        found = (n for n in numbers if wanted in self.station(n)["text"].casefold())
        return next(found, None)


def _checked(line: bytes, wanted: dict[str, type], name: str, number: int) -> dict[str, Any]:
    try:
        data = json.loads(line)
    except ValueError as bad:
        raise Unusable(f"{name}:{number}: this is not JSON: {bad}") from bad
    if not isinstance(data, dict):
        raise Unusable(f"{name}:{number}: an object is expected")
    for key, kind in wanted.items():
        if not isinstance(data.get(key), kind) or isinstance(data.get(key), bool):
            raise Unusable(f"{name}:{number}: `{key}` is missing or of the wrong type")
    return data
