"""The prompt on a terminal."""

from __future__ import annotations

import contextlib
from collections.abc import Callable

from embrix.services.prompt import Prompt


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
