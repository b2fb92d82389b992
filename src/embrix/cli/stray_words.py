"""What is said of words on a command line that its command does nothing with."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path

from embrix.cli.usage import folder_given
from embrix.text.suggest import nearest
from embrix.text.visible import visible

NAMED_BY = (
    ("--language", "a language by --language NAME"), ("--with", "a lane by --with LANE"),
    ("-e", "a program by its file or by -e TEXT"),
)  # fmt: skip
"""The options by which a command is told what it works on."""
OTHERWISE = {"--lane": "--with", "--interpreter": "--with", "--program": "-e",
             "--folder": "--course"}  # fmt: skip
"""What somebody may call an option."""


def stray(command: argparse.ArgumentParser, words: Sequence[str]) -> str:
    """A sentence about the first of some words that a command does not know."""
    word = words[0]
    shown = visible(word) or "an empty word"
    name = command.prog.rpartition(" ")[2]
    known = _options(command)
    if not word.startswith("-"):
        if word and Path(word).is_dir() and "--course" in known:
            return folder_given(word)
        ways = [said for option, said in NAMED_BY if option in known]
        named = f"; it is told {', '.join(ways)}" if ways else ""
        return f"{name} does nothing with {shown}{named}"
    option = word.partition("=")[0]
    meant = OTHERWISE.get(option)
    near = meant if meant in known else nearest(option, known)
    alone = option.lstrip("-").upper()
    if near is not None:
        hint = f"did you mean {near}?"
    elif alone in _alone(command):
        hint = f"write {alone} without it: {command.prog} {alone}"
    else:
        hint = f"{command.prog} --help lists its options"
    return f"{name} has no option {visible(option)}; {hint}"


def _options(command: argparse.ArgumentParser) -> list[str]:
    return [name for action in command._actions for name in action.option_strings]


def _alone(command: argparse.ArgumentParser) -> list[str]:
    """What stands in a command line without an option."""
    return [str(action.metavar) for action in command._actions if not action.option_strings]
