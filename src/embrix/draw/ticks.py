"""Round numbers along an axis."""

from __future__ import annotations

import math

from embrix.compare.range import Scale


def ticks(low: float, high: float, scale: Scale = "linear", most: int = 7) -> list[float]:
    """Round numbers along an axis: 1, 2 or 5 times a power of ten apart, or powers of ten."""
    if scale == "logarithmic":
        first = math.floor(math.log10(max(low, 1)))
        last = math.ceil(math.log10(max(high, 1)))
        step = max(1, math.ceil((last - first + 1) / most))
        return [10.0**power for power in range(first, last + 1, step)]
    span = high - low
    if span <= 0:
        return [low]
    rough = span / most
    power = 10.0 ** math.floor(math.log10(rough))
    apart = next(m * power for m in (1, 2, 5, 10) if m * power >= rough * 0.999)
    start = math.ceil(low / apart - 1e-9)
    return [number * apart for number in range(start, math.floor(high / apart + 1e-9) + 1)]
