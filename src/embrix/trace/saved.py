"""Walks in files: JSON Lines, compressed. The first line tells of the walk, each other one is a
step. A file from somewhere else is data: what is wrong with it is told by its line."""

from __future__ import annotations

import gzip
import io
import json
import tempfile
import zlib
from array import array
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec

from embrix.messages.replies import StepData
from embrix.text.plural import counted
from embrix.text.refusal import refusal
from embrix.text.saving import replacing
from embrix.trace.data import WALK_VERSION, head_data, step_data
from embrix.trace.walk import Walk

_STYLES = {"steps": "reductions", "moments": "judgements"}
"""What version 1 calls the styles of a walk."""
LONGEST_LINE = 4 << 20
MOST_WALK_STEPS = 20_000_000
MOST_BYTES = 1 << 30
"""What a saved walk may unpack to."""
_HEAD = {"language": str, "lane": str, "program": str, "style": str, "length": int, "levels": list}


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
    with (
        replacing(path) as raw,
        gzip.GzipFile(fileobj=raw, mode="wb", mtime=0, compresslevel=6) as packed,
    ):
        packed.write(_line(head_data(walk, program, language)))
        for number in range(len(walk)):
            packed.write(_line(msgspec.to_builtins(step_data(walk, walk.step(number)))))
            if progress is not None and number % 1_000 == 0:
                progress(number)


def _line(data: dict[str, Any]) -> bytes:
    return json.dumps(data, ensure_ascii=False, separators=(",", ":")).encode() + b"\n"


class SavedWalk:
    """A walk that was opened again. Its steps stay in a file; only their places are held."""

    def __init__(self, path: Path) -> None:
        """Raises `Unusable`."""
        try:
            with gzip.open(path, "rb") as packed:
                self._take(packed, path.name)
        except (OSError, EOFError, zlib.error) as fault:
            raise Unusable(f"{path.name} cannot be read: {refusal(fault)}") from fault

    @staticmethod
    def of_lines(lines: bytes, name: str) -> SavedWalk:
        """A walk that somebody else's program has written. Raises `Unusable`."""
        walk = SavedWalk.__new__(SavedWalk)
        walk._take(io.BytesIO(lines), name)
        for number in range(len(walk)):
            walk.step(number)
        return walk

    def _take(self, lines: Any, name: str) -> None:
        self._file = tempfile.TemporaryFile()  # noqa: SIM115  (it lives as long as the walk)
        self._places = array("Q")
        self._name = name
        self.head = _checked(lines.readline(LONGEST_LINE), _HEAD, name, 1)
        if self.head.get("embrix") != "walk":
            raise Unusable(f"{name} is not a walk as Embrix saves it")
        if self.head.get("version") == 1:
            style = self.head["style"]
            self.head |= {"style": _STYLES.get(style, style), "version": WALK_VERSION}
        if self.head["style"] not in _STYLES.values() or self.head["length"] < 0:
            raise Unusable(f"{name}:1: `style` or `length` is none that a walk has")
        if not all(isinstance(one, int) for one in self.head["levels"]):
            raise Unusable(f"{name}:1: `levels` are numbers")
        if self.head.get("version") != WALK_VERSION:
            raise Unusable(f"{name} was saved by another version of Embrix")
        while line := lines.readline(LONGEST_LINE):
            if not line.endswith(b"\n") or len(self._places) >= MOST_WALK_STEPS:
                raise Unusable(f"{name}:{len(self._places) + 2}: the line is not whole")
            self._places.append(self._file.tell())
            if self._file.tell() > MOST_BYTES:
                raise Unusable(f"{name} unpacks to more than {MOST_BYTES >> 20} MB")
            self._file.write(line)
        if len(self._places) != self.head["length"]:
            raise Unusable(
                f"{name} holds {counted(len(self._places), 'step')} of {self.head['length']:,}"
            )

    def __len__(self) -> int:
        return len(self._places)

    def step(self, number: int) -> StepData:
        """The step with a number. Raises IndexError and `Unusable`."""
        if not 0 <= number < len(self):
            raise IndexError(number)
        self._file.seek(self._places[number])
        data = _object(self._file.readline(), self._name, number + 2)
        try:
            step = msgspec.convert(data, StepData)
        except msgspec.ValidationError as wrong:
            raise Unusable(f"{self._name}:{number + 2}: {wrong}") from wrong
        if not 0 <= step.depth <= MOST_WALK_STEPS:
            raise Unusable(f"{self._name}:{number + 2}: `depth` is none that a walk has")
        if step.number != number:
            raise Unusable(f"{self._name}:{number + 2}: step {number} is not where it belongs")
        return step

    def find(self, text: str, start: int, forward: bool) -> int | None:
        """The next step with a text in it."""
        wanted = text.casefold()
        numbers = range(start + 1, len(self)) if forward else range(start - 1, -1, -1)
        found = (n for n in numbers if wanted in self.step(n).text.casefold())
        return next(found, None)


def _object(line: bytes, name: str, number: int) -> dict[str, Any]:
    try:
        data = json.loads(line)
    except (ValueError, RecursionError) as bad:
        raise Unusable(f"{name}:{number}: this is not JSON: {bad}") from bad
    if not isinstance(data, dict):
        raise Unusable(f"{name}:{number}: an object is expected")
    return data


def _checked(line: bytes, wanted: dict[str, type], name: str, number: int) -> dict[str, Any]:
    data = _object(line, name, number)
    for key, kind in wanted.items():
        if not isinstance(data.get(key), kind) or isinstance(data.get(key), bool):
            raise Unusable(f"{name}:{number}: `{key}` is missing or of the wrong type")
    return data
