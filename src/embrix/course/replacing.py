"""Replacing a file of the course that somebody may be writing at the same time, with a way back."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path

import platformdirs

from embrix.text.saving import save_text
from embrix.text.source import Unreadable, read_source

MOST_BACK = 20
"""Texts of one file that can be gone back to."""


class Changed(Exception):
    """The file is no longer what it was when the new text was made."""


def _before(path: Path) -> Path:
    name = hashlib.sha256(str(path.resolve()).encode()).hexdigest()[:24]
    return Path(platformdirs.user_state_dir("embrix")) / "before" / f"{name}.json"


def _known(path: Path) -> list[list[str]]:
    try:
        data = json.loads(_before(path).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return []
    texts = data.get("texts") if isinstance(data, dict) else None
    return texts if isinstance(texts, list) else []


def replace_file(path: Path, old: str, new: str) -> None:
    """Write a new text over an old one, which can be gone back to. Raises `Changed` when the file
    holds something else by now, OSError and `Unreadable`."""
    if read_source(path).text != old:
        raise Changed(f"{path.name} was changed elsewhere in the meantime; nothing was written")
    texts = [*_known(path), [old, new]][-MOST_BACK:]
    kept = _before(path)
    kept.parent.mkdir(parents=True, exist_ok=True)
    save_text(kept, json.dumps({"version": 1, "file": str(path.resolve()), "texts": texts}))
    save_text(path, new)


def go_back(path: Path) -> str | None:
    """Undo the last replacement; the text that is there now, or None when there is nothing to
    undo. Raises `Changed` when the file was written by somebody else since, OSError."""
    texts = _known(path)
    if not texts:
        return None
    old, new = texts[-1]
    try:
        present = read_source(path).text
    except Unreadable as fault:
        raise Changed(str(fault)) from fault
    if present != new:
        raise Changed(f"{path.name} was changed elsewhere since; nothing was written")
    save_text(path, old)
    save_text(_before(path), json.dumps(
        {"version": 1, "file": str(path.resolve()), "texts": texts[:-1]}
    ))  # fmt: skip
    return old
