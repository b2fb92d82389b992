"""What lanes are called: `NAME`, `NAME[choice=way, …]`, either with `@VERSION`."""

from __future__ import annotations


def split_version(lane: str) -> tuple[str, str]:
    """A lane without its version, and the version (empty for that of the course)."""
    plain, _, version = lane.partition("@")
    return plain, version


def plain_name(lane: str) -> str:
    """The name of the interpreter of a lane, without choices and version."""
    return lane.partition("@")[0].partition("[")[0].strip()
