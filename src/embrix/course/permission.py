"""Which commands of a course may be run: what the user has allowed, kept outside the course.

A permission is for exactly this command, word by word, in exactly this folder.
"""

from __future__ import annotations

import json
from pathlib import Path

import platformdirs

from embrix.course.outside import Outside
from embrix.text.saving import save_text

MOST_BYTES = 4 << 20


def _file() -> Path:
    return Path(platformdirs.user_config_dir("embrix")) / "allowed.json"


def _known() -> dict[str, list[list[str]]]:
    try:
        if _file().stat().st_size > MOST_BYTES:
            return {}
        data = json.loads(_file().read_text(encoding="utf-8"))
    except (OSError, ValueError, RecursionError):
        return {}
    allowed = data.get("allowed") if isinstance(data, dict) else None
    if not isinstance(allowed, dict):
        return {}
    return {
        folder: [one for one in commands if _is_command(one)]
        for folder, commands in allowed.items() if isinstance(commands, list)
    }  # fmt: skip


def _is_command(one: object) -> bool:
    return isinstance(one, list) and all(isinstance(word, str) for word in one)


def _words(outside: Outside) -> list[str]:
    """Everything that makes up the command; the arguments for steps and names and what it may use
    belong to it."""
    names = ["\n", *outside.names] if outside.names else []
    limits = ["\n", f"seconds={outside.seconds}", f"memory={outside.memory}"]
    return [*outside.command, "\n", *outside.steps, *names, *limits]


def is_allowed(folder: Path, outside: Outside) -> bool:
    """Whether the user has allowed this command for this folder."""
    return _words(outside) in _known().get(str(folder.resolve()), [])


def allow(folder: Path, outside: Outside, *, allowed: bool = True) -> None:
    """Allow a command for a folder, or no longer. Raises OSError."""
    known = _known()
    key = str(folder.resolve())
    commands = [one for one in known.get(key, []) if one != _words(outside)]
    known[key] = [*commands, _words(outside)] if allowed else commands
    target = _file()
    target.parent.mkdir(parents=True, exist_ok=True)
    save_text(target, json.dumps({"version": 1, "allowed": known}, indent=2))
