"""What `embrix compare --json` prints."""

from __future__ import annotations

from msgspec import UNSET, UnsetType

from embrix.cli.schema_parts import AnswerData, Count, OutcomeData


class SideData(AnswerData):
    """One lane of a comparison."""

    lane: str
    outcome: OutcomeData
    output: list[str]
    state: list[str]
    costs: dict[str, int]


class PartingData(AnswerData):
    """Where two lanes part: the steps of their walks, empty ones where they have none."""

    first: str
    second: str
    sentence: str
    steps: list[int | None]
    more: list[str]


class ApartData(AnswerData):
    """A part that gives something else on another lane: what each gives."""

    step: Count
    place: list[Count]
    part: str
    gives: list[str]


class PartsData(AnswerData):
    """Two lanes held against each other at every part: how many parts were compared, how many were
    not, by the reason, and the first that differs."""

    first: str
    second: str
    sentence: str
    compared: Count
    left_out: dict[str, int]
    apart: ApartData | UnsetType = UNSET


class Compared(AnswerData):
    """embrix compare"""

    lanes: list[SideData]
    partings: list[PartingData]
    parts: list[PartsData] | UnsetType = UNSET
