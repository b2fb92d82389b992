"""What can be asked about several lanes. `reply` is the type of the answer."""

from __future__ import annotations

from typing import Any, ClassVar

from embrix.messages import replies as r
from embrix.messages import replies_on_comparing as on_comparing
from embrix.messages.request import OnRun, Request


class CompareLanes(OnRun, frozen=True, kw_only=True, tag="compare"):
    reply: ClassVar[Any] = on_comparing.LaneComparison
    lanes: list[str]


class AlignWalks(OnRun, frozen=True, kw_only=True, tag="align"):
    reply: ClassVar[Any] = on_comparing.AlignedWalks
    one: str
    other: str


class HoldEveryPart(OnRun, frozen=True, kw_only=True, tag="every_part"):
    """Whether two lanes agree on every part of a program that the first evaluates in an
    environment."""

    reply: ClassVar[Any] = on_comparing.EveryPartHeld
    one: str
    other: str


class MeasureGrowth(OnRun, frozen=True, kw_only=True, tag="growth"):
    """Counted costs with a name over a range."""

    reply: ClassVar[Any] = on_comparing.GrowthTable
    lanes: list[str]
    name: str
    first: int
    last: int
    step: int
    costs: list[str]


class HuntDifference(Request, frozen=True, kw_only=True, tag="hunt"):
    """The smallest program on which two lanes differ."""

    reply: ClassVar[Any] = on_comparing.HuntState
    language: str
    lanes: list[str]
    most: int
    seed: int
    costs: bool
    endless: bool


class CompareMeaning(Request, frozen=True, kw_only=True, tag="meaning"):
    """What two lanes say otherwise."""

    reply: ClassVar[Any] = r.TextLines
    language: str
    lanes: list[str]


class ShowExtension(Request, frozen=True, kw_only=True, tag="extension"):
    """What a language and a lane add to those that they extend."""

    reply: ClassVar[Any] = r.TextLines
    language: str
    lane: str
