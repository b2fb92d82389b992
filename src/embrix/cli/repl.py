"""The prompt on a terminal."""

from __future__ import annotations

import argparse
import contextlib
import sys
from collections.abc import Callable

from embrix.cli.choice import lanes_of
from embrix.services.prompt import Prompt


def prompt(arguments: argparse.Namespace) -> int:
    """A prompt; what is typed at a terminal can be edited and is remembered for the session."""
    session, language, lanes = lanes_of(arguments)
    if sys.stdin.isatty():
        import readline  # noqa: F401  (gives input() its line editing)

        print(f"{language}: an entry is a program; ? lists what can be asked, ?quit leaves")
        converse(Prompt(session, language, lanes, print), input)
    else:
        converse(Prompt(session, language, lanes, print), lambda _: input())
    return 0


def converse(prompt: Prompt, read: Callable[[str], str]) -> None:
    """Read lines until the end of the input. Interrupting gives up the entry, not the prompt."""
    while not prompt.done:
        try:
            prompt.take(read(prompt.sign))
        except EOFError:
            with contextlib.suppress(KeyboardInterrupt):
                prompt.finish()
            return
        except KeyboardInterrupt:
            prompt.give_up()
