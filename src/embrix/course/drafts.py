"""Text that has not been saved yet, kept outside the course so that nothing is lost.

A draft is one JSON file in the user's state folder, named after the program it belongs to.
"""

from __future__ import annotations

import hashlib
import json
from pathlib import Path

import platformdirs

from embrix.text.saving import save_text


def _file(program: Path) -> Path:
    name = hashlib.sha256(str(program.resolve()).encode()).hexdigest()[:24]
    return Path(platformdirs.user_state_dir("embrix")) / "drafts" / f"{name}.json"


def keep_draft(program: Path, text: str) -> None:
    """Remember unsaved text of a program. Raises OSError."""
    target = _file(program)
    target.parent.mkdir(parents=True, exist_ok=True)
    data = {"version": 1, "program": str(program.resolve()), "text": text}
    save_text(target, json.dumps(data))


def find_draft(program: Path) -> str | None:
    """The unsaved text of a program, or None."""
    try:
        data = json.loads(_file(program).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return None
    text = data.get("text") if isinstance(data, dict) else None
    return text if isinstance(text, str) else None


def drop_draft(program: Path) -> None:
    """Forget the draft of a program; it has been saved or given up."""
    _file(program).unlink(missing_ok=True)
