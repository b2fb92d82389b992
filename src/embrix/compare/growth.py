"""How a cost grows with a parameter: the growth that fits best, and how well.

Candidates are fitted by least squares (the normal equations), each with all its lower terms:
a cost that is 3n² + 2n + 1 is quadratic without any rest. The simplest growth that leaves next to
nothing over is named; where two leave equally little, both are.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct

from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result

Basis = Callable[[float], list[float]]

NEXT_TO_NOTHING = 0.004
"""A rest (root mean square, as a share of the spread of the cost) that counts as none."""
FEW = 4
"""Points below which nothing is said, unless the cost does not change."""
INDISTINCT = 1.6
"""Rests that differ by less than this factor are not told apart."""


class Fit(Struct, frozen=True):
    """`rest` is what the growth leaves unexplained, as a share of the spread of the cost."""

    name: str
    formula: str
    rest: float


_POLYNOMIAL: list[tuple[str, int]] = [("constant", 0), ("linear", 1), ("quadratic", 2),
                                      ("cubic", 3)]  # fmt: skip


def fits(points: Sequence[tuple[float, float]]) -> list[Fit]:
    """Every growth that can be fitted to these points (parameter, cost), the simplest first."""
    points = sorted(points)
    sizes = [n for n, _ in points]
    found: list[Fit] = []
    spread = max((y for _, y in points), default=0.0) - min((y for _, y in points), default=0.0)
    if spread == 0:
        text = f"{points[0][1]:,.0f}" if points else "0"
        return [Fit("constant", text, 0.0)]
    candidates: list[tuple[str, str, Basis]] = []
    if min(sizes) > 0:
        candidates.append(("logarithmic", "log n", lambda n: [1.0, math.log(n)]))
    for name, degree in _POLYNOMIAL:
        terms = {0: "1", 1: "n", 2: "n²", 3: "n³"}[degree]
        candidates.append((name, terms, lambda n, d=degree: [n**k for k in range(d + 1)]))  # type: ignore[misc]
    if min(sizes) > 0:
        candidates.append(("n log n", "n log n", lambda n: [1.0, n, n * math.log(n)]))
    for name, terms, basis in candidates:
        made = _fitted(points, basis, spread)
        if made is not None:
            weights, rest = made
            found.append(Fit(name, f"{_number(weights[-1])} {terms}", rest))
    found += _exponential(points, spread)
    order = ["constant", "logarithmic", "linear", "n log n", "quadratic", "cubic", "exponential"]
    found.sort(key=lambda fit: order.index(fit.name))
    return found


def best(points: Sequence[tuple[float, float]]) -> list[Fit]:
    """The growth that fits best; several where they cannot be told apart."""
    known = [fit for fit in fits(points) if not math.isnan(fit.rest)]
    if not known:
        return []
    if len(points) < FEW and known[0].rest > 0:
        return []
    least = min(fit.rest for fit in known)
    if least <= NEXT_TO_NOTHING:
        simplest = next(fit for fit in known if fit.rest <= NEXT_TO_NOTHING)
        if simplest.rest > 1e-9:
            near = [f for f in known if f.rest <= max(simplest.rest, least) * INDISTINCT]
            return near if simplest in near else [simplest, *near]
        return [simplest]
    return [fit for fit in known if fit.rest <= least * INDISTINCT]


def _fitted(
    points: Sequence[tuple[float, float]], basis: Basis, spread: float
) -> tuple[list[float], float] | None:
    """Weights and rest of a least-squares fit; None with too few points to say anything."""
    rows = [basis(n) for n, _ in points]
    count = len(rows[0])
    if len(points) < count + 1:
        return None
    scales = [max(abs(row[k]) for row in rows) or 1.0 for k in range(count)]
    scaled = [[value / scale for value, scale in zip(row, scales, strict=True)] for row in rows]
    left = [[math.fsum(row[i] * row[j] for row in scaled) for j in range(count)]
            for i in range(count)]  # fmt: skip
    right = [math.fsum(row[i] * y for row, (_, y) in zip(scaled, points, strict=True))
             for i in range(count)]  # fmt: skip
    solved = _solve(left, right)
    if solved is None:
        return None
    off = [
        y - math.fsum(w * v for w, v in zip(solved, row, strict=True))
        for row, (_, y) in zip(scaled, points, strict=True)
    ]
    free = max(1, len(points) - count)
    rest = math.sqrt(math.fsum(one * one for one in off) / free) / spread
    return [w / s for w, s in zip(solved, scales, strict=True)], rest


def _solve(left: list[list[float]], right: list[float]) -> list[float] | None:
    """Gauss's elimination with pivots."""
    size = len(right)
    rows = [[*left[i], right[i]] for i in range(size)]
    for column in range(size):
        pivot = max(range(column, size), key=lambda i: abs(rows[i][column]))
        if abs(rows[pivot][column]) < 1e-13:
            return None
        rows[column], rows[pivot] = rows[pivot], rows[column]
        for i in range(size):
            if i != column:
                factor = rows[i][column] / rows[column][column]
                rows[i] = [a - factor * b for a, b in zip(rows[i], rows[column], strict=True)]
    return [rows[i][size] / rows[i][i] for i in range(size)]


def _exponential(points: Sequence[tuple[float, float]], spread: float) -> list[Fit]:
    """a + c·bⁿ, the base found by narrowing."""
    if len(points) < 4:
        return []

    def at(base: float) -> tuple[float, list[float]]:
        made = _fitted(points, lambda n: [1.0, base ** (n - points[-1][0])], spread)
        return (math.inf, []) if made is None else (made[1], made[0])

    bases = [1.05 * 1.05**k for k in range(60)]
    rough = min(bases, key=lambda base: at(base)[0])
    low, high = rough / 1.06, rough * 1.06
    for _ in range(60):
        third = (high - low) / 3
        if at(low + third)[0] < at(high - third)[0]:
            high -= third
        else:
            low += third
    base = (low + high) / 2
    rest, weights = at(base)
    if not weights or weights[1] <= 0:
        return []
    factor = weights[1] / base ** points[-1][0]
    return [Fit("exponential", f"{_number(factor)} · {base:.3g}ⁿ", rest)]


def _number(value: float) -> str:
    return f"{value:.3g}"


Points = list[tuple[float, float]]


def measured(
    lanes: Sequence[Lane], program: str, name: str, numbers: Sequence[int], costs: Sequence[str],
    given: Mapping[str, str], lines: Sequence[str], limits: Limits,
) -> tuple[dict[str, dict[str, Points]], list[tuple[str, int, Result]]]:  # fmt: skip
    """Counted costs against the number that a name stands for: for each cost and lane the points
    up to the first run that does not end in a value; those runs are given as well. Raises
    `BadBinding`."""
    table: dict[str, dict[str, Points]] = {cost: {} for cost in costs}
    ended: list[tuple[str, int, Result]] = []
    for lane in lanes:
        for cost in costs:
            table[cost][lane.name] = []
        for number in numbers:
            supplied = {**given, name: str(number)}
            result = lane.run(program, supplied, limits=limits, given_input=lines)
            if result.outcome.kind != "value":
                ended.append((lane.name, number, result))
                break
            for cost in costs:
                table[cost][lane.name].append((number, result.costs.get(cost, 0)))
    return table, ended


def described(points: Sequence[tuple[float, float]]) -> str:
    """The growth for people, with how well it fits."""
    found = best(points)
    if not found:
        return "too few points to say how it grows"
    names = [
        f"{fit.name} ({fit.formula}, "
        + ("no residual)" if fit.rest <= 1e-6 else f"residual {fit.rest:.2%})")
        for fit in found
    ]
    return names[0] if len(names) == 1 else "cannot be told apart: " + " or ".join(names)
