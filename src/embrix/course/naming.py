"""What lanes are called: `NAME`, `NAME[choice=way, …]`, either with `@VERSION`."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path


def split_version(lane: str) -> tuple[str, str]:
    """A lane without its version, and the version (empty for that of the course)."""
    plain, _, version = lane.partition("@")
    return plain, version


def plain_name(lane: str) -> str:
    """The name of the interpreter of a lane, without choices and version."""
    return lane.partition("@")[0].partition("[")[0].strip()


def decisions_in(lane: str) -> dict[str, str]:
    """The choices that a name decides, each with its alternative."""
    inside = lane.partition("@")[0].partition("[")[2].rstrip("]")
    pairs = (part.partition("=") for part in inside.split(",") if part.strip())
    return {choice.strip(): way.strip() for choice, _, way in pairs}


def short_name(lane: str, lanes: Iterable[str]) -> str:
    """A lane as it is told apart from others: of the file or folder of its version as many of the
    last parts as that takes."""
    plain, version = split_version(lane)
    if not version:
        return lane
    parts = Path(version).parts
    others = [Path(split_version(one)[1]).parts for one in lanes
              if one != lane and split_version(one)[0] == plain]  # fmt: skip
    for many in range(1, len(parts)):
        if all(one[-many:] != parts[-many:] for one in others):
            return f"{plain}@{'/'.join(parts[-many:])}"
    return lane
