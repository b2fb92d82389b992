"""The course that ships with Embrix, and the copy of it that a user may write to."""

from __future__ import annotations

from pathlib import Path

import embrix
from embrix.text.user_folders import data_folder


def shipped_course() -> Path:
    """The folder of the shipped course inside the installed package (not to be written to)."""
    return Path(embrix.__file__).parent / "demo" / "lockside"


def writable_copy() -> Path:
    """The user's own copy of the shipped course, made on first use. Raises OSError.

    A copy that is there already is left as it is.
    """
    target = data_folder() / "courses" / "lockside"
    if (target / "course.toml").is_file():
        return target
    import shutil  # nor write one
    import tempfile

    from embrix.text.saving import before, sweep

    target.parent.mkdir(parents=True, exist_ok=True)
    sweep(target)
    staging = Path(tempfile.mkdtemp(prefix=before(target), suffix="~", dir=target.parent))
    try:
        shutil.copytree(shipped_course(), staging / "lockside")
        (staging / "lockside").rename(target)
    finally:
        shutil.rmtree(staging, ignore_errors=True)
    return target
