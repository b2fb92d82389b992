"""What many answers have in common."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec
from msgspec import UNSET, Meta, UnsetType

Place = Annotated[list[int], Meta(min_length=2, max_length=2, description="From, to: offsets.")]
Line = Annotated[int, Meta(ge=1, description="From one.")]
Count = Annotated[int, Meta(ge=0)]


class AnswerData(msgspec.Struct, omit_defaults=True, forbid_unknown_fields=True):
    """A part of an answer. What has a default may be left out."""


class OutcomeData(AnswerData):
    """How a run ended. `name` is that of an error; `structure` how a value is built."""

    kind: str
    text: str
    name: str | UnsetType = UNSET
    structure: str | UnsetType = UNSET
    place: Place | UnsetType = UNSET
    line: Line | UnsetType = UNSET
    column: Line | UnsetType = UNSET


# ---------------------------------------------------------------------- definitions


class Finding(AnswerData):
    """Something wrong in a definition or a suite; `embrix explain` tells what its code means."""

    code: str
    severity: Literal["error", "warning"]
    message: str
    file: str
    line: Line
    column: Line
    end_line: Line
    end_column: Line
    hint: str | UnsetType = UNSET
