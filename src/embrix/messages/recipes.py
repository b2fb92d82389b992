"""What several requests say of a run."""

from __future__ import annotations

import msgspec


class RunLimits(msgspec.Struct, frozen=True):
    calls: int
    depth: int
    output: int


class WalkRecipe(msgspec.Struct, frozen=True):
    """What a walk is a walk of: a program on a lane with names and lines of input, or a file.
    Whoever has this can make it again.

    Recipes with different keys are different walks: the key counts what the recipe does not say,
    such as changes of the definitions.
    """

    key: str
    language: str = ""
    lane: str = ""
    text: str = ""
    given: dict[str, str] = {}
    input: list[str] = []
    file: str = ""
    ways: list[int] = []
