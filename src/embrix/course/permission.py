"""Which commands of a course may be run: what the user has allowed, kept outside the course.

A permission is for exactly this command, word by word, in exactly this folder, with what it may use
and with the files that it names as they are (of programs only those of the course): after a change
the user is asked again.
"""

from __future__ import annotations

from pathlib import Path

from embrix.course.outside import Outside
from embrix.course.records import Damaged, Record, alone, read_record, write_record
from embrix.text.user_folders import config_folder


class Allowed(Record):
    """By folder the commands that may run there."""

    allowed: dict[str, list[list[str]]]
    version: int = 1


def _file() -> Path:
    return config_folder() / "allowed.json"


def _known() -> dict[str, list[list[str]]]:
    found = read_record(_file(), Allowed)
    return found.allowed if found is not None else {}


def _words(folder: Path, outside: Outside) -> list[str]:
    """Everything that makes up the command: its words, the arguments for steps and names, what it
    may use, and the contents of the files of the course that it names."""
    names = ["\n", *outside.names] if outside.names else []
    limits = ["\n", f"seconds={outside.seconds}", f"memory={outside.memory}"]
    files = ["\n", *_contents(folder, outside)]
    return [*outside.command, "\n", *outside.steps, *names, *limits, *files]


def _without_files(words: list[str]) -> list[str]:
    """The words of a permission without the contents of files, which may have changed since."""
    return words[: len(words) - 1 - words[::-1].index("\n")] if "\n" in words else words


def _contents(folder: Path, outside: Outside) -> list[str]:
    import hashlib

    found = []
    root = folder.resolve()
    for word in dict.fromkeys((*outside.command, *outside.steps)):
        path = root / word
        program = word == outside.command[0]
        try:
            if path.is_file() and (root in path.resolve().parents or not program):
                with path.open("rb") as content:
                    digest = hashlib.file_digest(content, "sha256").hexdigest()
                found.append(f"{word}={digest}")
        except (OSError, ValueError):
            continue  # no name of a file
    return found


def is_allowed(folder: Path, outside: Outside) -> bool:
    """Whether the user has allowed this command for this folder; not where it cannot be known."""
    try:
        return _words(folder, outside) in _known().get(str(folder.resolve()), [])
    except Damaged:
        return False


def allow(folder: Path, outside: Outside, *, allowed: bool = True) -> None:
    """Allow a command for a folder, or no longer. Raises OSError and `Damaged`."""
    target = _file()
    with alone(target):
        known = _known()
        words = _words(folder, outside)
        others = [
            one for one in known.get(str(folder.resolve()), [])
            if _without_files(one) != _without_files(words)
        ]  # fmt: skip
        known[str(folder.resolve())] = [*others, words] if allowed else others
        write_record(target, Allowed(known))
