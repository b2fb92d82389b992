"""Which commands of a course may be run: what the user has allowed, kept outside the course.

A permission is for exactly this command, word by word, in exactly this folder.
"""

from __future__ import annotations

import json
from pathlib import Path

import platformdirs

from embrix.course.outside import Outside
from embrix.text.saving import save_text


def _file() -> Path:
    return Path(platformdirs.user_config_dir("embrix")) / "allowed.json"


def _known() -> dict[str, list[list[str]]]:
    try:
        data = json.loads(_file().read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    allowed = data.get("allowed") if isinstance(data, dict) else None
    return allowed if isinstance(allowed, dict) else {}


def _words(outside: Outside) -> list[str]:
    """Everything that makes up the command; the arguments for steps and names belong to it."""
    names = ["\n", *outside.names] if outside.names else []
    return [*outside.command, "\n", *outside.steps, *names]


def is_allowed(folder: Path, outside: Outside) -> bool:
    """Whether the user has allowed this command for this folder."""
    commands = _known().get(str(folder.resolve()), [])
    return isinstance(commands, list) and _words(outside) in commands


def allow(folder: Path, outside: Outside, *, allowed: bool = True) -> None:
    """Allow a command for a folder, or no longer. Raises OSError."""
    known = _known()
    key = str(folder.resolve())
    commands = [one for one in known.get(key, []) if one != _words(outside)]
    known[key] = [*commands, _words(outside)] if allowed else commands
    target = _file()
    target.parent.mkdir(parents=True, exist_ok=True)
    save_text(target, json.dumps({"version": 1, "allowed": known}, indent=2))
