"""What tells two texts apart, line by line."""

from __future__ import annotations

import difflib


def difference(old: str, new: str, around: int = 1) -> list[str]:
    """The lines that go (-), come (+) and stand `around` these; none where nothing differs."""
    lines = difflib.unified_diff(
        old.splitlines(), new.splitlines(), "", "", n=around, lineterm=""
    )  # fmt: skip
    return list(lines)[2:]
