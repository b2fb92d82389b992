"""What a run reads and writes, within its limits."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from embrix.machine.faults import OutOfFuel
from embrix.machine.limits import Limits
from embrix.machine.primitives import CHARACTERS
from embrix.terms.node import NONE_NODE, SOME, Node


class Exchange:
    """The lines of input, how many were asked for, and what has been written."""

    limits: Limits
    input: Sequence[str]

    def open_exchange(self, given_input: Sequence[str]) -> None:
        self.input = given_input
        self.asked = 0
        self.output: list[str] = []
        self._written = 0

    def emit(self, text: str) -> None:
        self._written += len(text)
        if self._written > self.limits.output:
            raise OutOfFuel("output")
        self.output.append(text)

    def ask(self) -> Node:
        """The next line of input."""
        if self.asked >= len(self.input):
            return NONE_NODE
        self.asked += 1
        return (SOME, None, self.input[self.asked - 1])

    def joined(self, pieces: Sequence[str], spend: Callable[[int], None]) -> str:
        """The text of a template; nothing in it is cut off, it is too long or it is whole."""
        length = sum(map(len, pieces))
        if length > self.limits.text:
            raise OutOfFuel("text")
        if length > CHARACTERS:
            spend(length // CHARACTERS)
        return "".join(pieces)
