"""What crosses between processes: frames of four bytes of length, then JSON. Texts may hold halves
of surrogate pairs (names of files that are no Unicode), so JSON is written by the standard
library."""

from __future__ import annotations

import json
import struct
from typing import Any, BinaryIO, TypeAlias

import msgspec

from embrix.messages.replies_on_comparing import HuntState
from embrix.messages.request import Request
from embrix.messages.requests import AnyRequest

LONGEST_FRAME = 64 << 20


class Ask(msgspec.Struct, tag="ask"):
    number: int
    request: AnyRequest


class Cancel(msgspec.Struct, tag="cancel"):
    number: int


class Started(msgspec.Struct, tag="started"):
    number: int


class Progress(msgspec.Struct, tag="progress"):
    """How far a request is; more follows."""

    number: int
    done: int = 0
    of: int = 0
    hunt: HuntState | None = None


class Answered(msgspec.Struct, tag="answered"):
    """`answer` is plain data until it is read as the type that its request says."""

    number: int
    answer: Any


class Fault(msgspec.Struct, tag="failed"):
    """A fault of Embrix, `memory` where there was none left, `ended` with the worker; or `missing`,
    which is no fault: what was asked about is not in the course (any more)."""

    number: int
    text: str
    kind: str = "fault"


class Cancelled(msgspec.Struct, tag="cancelled"):
    number: int


Order: TypeAlias = Ask | Cancel
Event: TypeAlias = Started | Progress | Answered | Fault | Cancelled


def read_data(stream: BinaryIO) -> Any:
    """The next frame as plain data, or None at the end of the stream."""
    head = stream.read(4)
    if len(head) < 4:
        return None
    (length,) = struct.unpack(">I", head)
    if length > LONGEST_FRAME:
        return None
    body = stream.read(length)
    return json.loads(body) if len(body) == length else None


def write_data(stream: BinaryIO, data: Any) -> None:
    body = json.dumps(data, separators=(",", ":")).encode()
    stream.write(struct.pack(">I", len(body)) + body)
    stream.flush()


def write_frame(stream: BinaryIO, frame: Order | Event) -> None:
    write_data(stream, msgspec.to_builtins(frame))


def read_order(stream: BinaryIO) -> Order | None:
    """What a worker is told to do; None at the end of the stream."""
    data = read_data(stream)
    return None if data is None else msgspec.convert(data, Order)


def read_event(stream: BinaryIO) -> Event | None:
    """What a worker tells; None at the end of the stream."""
    data = read_data(stream)
    return None if data is None else msgspec.convert(data, Event)


def answer_of(request: Request, answered: Answered) -> Any:
    """The answer as the type that belongs to its request."""
    return msgspec.convert(answered.answer, type(request).reply)
