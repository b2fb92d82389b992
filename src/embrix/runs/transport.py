"""How requests and answers cross between processes: four bytes of length, then JSON.

Nothing of the core is imported here, so that the side that only asks starts quickly.
"""

from __future__ import annotations

import json
import struct
from typing import Any, BinaryIO

LONGEST_FRAME = 64 << 20


def read_frame(stream: BinaryIO) -> dict[str, Any] | None:
    """The next frame, or None at the end of the stream."""
    head = stream.read(4)
    if len(head) < 4:
        return None
    (length,) = struct.unpack(">I", head)
    if length > LONGEST_FRAME:
        return None
    body = stream.read(length)
    if len(body) < length:
        return None
    frame: dict[str, Any] = json.loads(body)
    return frame


def write_frame(stream: BinaryIO, frame: dict[str, Any]) -> None:
    body = json.dumps(frame, separators=(",", ":")).encode()
    stream.write(struct.pack(">I", len(body)) + body)
    stream.flush()
