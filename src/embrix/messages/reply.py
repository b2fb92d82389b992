"""What all answers have in common."""

from __future__ import annotations

from typing import TypeAlias

import msgspec

Place: TypeAlias = tuple[int, int]
TokenSlice: TypeAlias = tuple[int, int, str]
"""Where a token begins and ends, and its kind."""


class Reply(msgspec.Struct):
    """An answer, or a part of one."""


class Packed(msgspec.Struct, array_like=True):
    """A part that comes so often that it crosses between processes without names."""
