"""How much a run may use."""

from __future__ import annotations

from dataclasses import dataclass

from embrix.terms.numbers import MOST_BITS


@dataclass(frozen=True, slots=True)
class Limits:
    """`calls` counts calls of functions of the definition, `depth` calls inside calls, `output`
    characters, `number_bits` bits of a number, `text` characters of a text, `moments` recorded
    enterings and leavings of judgements."""

    calls: int = 20_000_000
    depth: int = 1_000_000
    output: int = 1_000_000
    number_bits: int = MOST_BITS
    text: int = 1_000_000
    moments: int = 2_000_000


LIVE = Limits(calls=400_000, depth=200_000, output=100_000, moments=1_000_000)
"""What a run while typing may use."""

COMMAND = Limits(calls=400_000, depth=200_000)
"""What a run on the command line or at a prompt and a case of a suite may use, unless it is told
otherwise: far more than teaching programs take, and told in seconds when a run does not end."""

MEMORY = 3 << 30
"""Bytes of address space that a process may have for runs beyond what it starts with. The other
limits end a run first; this one stands behind them."""
