"""How much a run may use."""

from __future__ import annotations

from msgspec import Struct

from embrix.terms.numbers import MOST_BITS


class Limits(Struct, frozen=True):
    """`calls` counts calls of functions of the definition, `depth` calls inside calls, `output`
    characters, `number_bits` bits of a number, `text` characters of a text, `events` recorded
    enterings and leavings of judgements. What is not reported otherwise is for a run on the command
    line, at a prompt, or for a case of a suite: far more than teaching programs take, and reported
    in seconds when a run does not end."""

    calls: int = 400_000
    depth: int = 200_000
    output: int = 1_000_000
    number_bits: int = MOST_BITS
    text: int = 1_000_000
    events: int = 2_000_000


LIVE = Limits(output=100_000, events=1_000_000)
"""What a run while typing may use."""

BRIEF = 20_000
"""Calls that nearly all programs do with."""

MEMORY = 3 << 30
"""Bytes of address space that a process may have for runs beyond what it starts with. The other
limits end a run first; this one stands behind them."""
