"""Which step of a walk a stop means."""

from __future__ import annotations

from collections.abc import Iterator

from embrix.lessons.lesson import Where
from embrix.trace.seeking import Kind, seek
from embrix.trace.walk import Walk

_KINDS: dict[str, Kind] = {
    "lookup": "lookup", "location": "location", "text": "text", "output": "output",
}  # fmt: skip
MOST_LOOKED_AT = 20_000
"""Steps among which a clause or a binding is looked for."""


def found(walk: Walk, where: Where | None) -> tuple[int, bool]:
    """The number of the step that is meant, and whether it is there. Where it is not, the number of
    the nearest that is: the last time that it happens, or the first step."""
    if where is None:
        return 0, True
    last = len(walk) - 1
    if where.happening == "step":
        wanted = int(where.what)
        return max(0, min(wanted, last)), 0 <= wanted <= last
    if where.happening == "end":
        return max(0, last), where.time == 1 and last >= 0
    nearest, times = 0, 0
    for number in _each(walk, where):
        nearest, times = number, times + 1
        if times == where.time:
            return number, True
    return nearest, False


def _each(walk: Walk, where: Where) -> Iterator[int]:
    """Every step at which something happens."""
    if where.happening == "applies":
        wanted = _plain(where.what)
        for number in range(min(len(walk), MOST_LOOKED_AT)):
            if _leaves(walk, number):
                continue  # it is the same one that was entered
            clause = walk.step(number, renewed=False).clause
            source = clause.source if clause is not None else None
            if clause is None or source is None:
                continue
            if _plain(source.text[clause.start : clause.end]).startswith(wanted):
                yield number
        return
    if where.happening == "binds":
        before: str | None = None
        for number in range(min(len(walk), MOST_LOOKED_AT)):
            bindings = walk.step(number, renewed=False).bindings
            own = [one.value for one in bindings if one.name == where.what and not one.shadowed]
            if own and own[0] != before:
                before = own[0]
                yield number
        return
    kind = _KINDS[where.happening]
    if kind == "text" and len(walk) and where.what in walk.step(0, renewed=False).text:
        yield 0
    at = seek(walk, kind, where.what, 0, True)
    while at is not None:
        yield at
        at = seek(walk, kind, where.what, at, True)


def _leaves(walk: Walk, number: int) -> bool:
    """Whether a judgement is left at a step."""
    return walk.relation is None and number < len(walk) - 1 and walk.raw(number)[2]


def _plain(text: str) -> str:
    return "".join(text.split())
