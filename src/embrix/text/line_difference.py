"""What tells two texts apart, line by line."""

from __future__ import annotations

import difflib
import re


def difference(old: str, new: str, around: int = 1) -> list[str]:
    """The lines that go (-), come (+) and stand `around` these, each group under the number of its
    first line; none where nothing differs."""
    lines = difflib.unified_diff(
        old.splitlines(), new.splitlines(), "", "", n=around, lineterm=""
    )  # fmt: skip
    return [re.sub(r"^@@ -\d+(?:,\d+)? \+(\d+).*", r"line \1", line) for line in list(lines)[2:]]
