"""Which clauses a run has entered, and which clauses an edit has changed: a run that has entered
none of these gives the same again.

Brief code marks each clause whose body it begins. What was marked is known only where nothing ran
on other code.
"""

from __future__ import annotations

from functools import lru_cache

from msgspec import Struct

from embrix.brix import core as k
from embrix.machine.known_code import InCore, facts_of, settings_of, written
from embrix.machine.numbering import renumbered
from embrix.machine.unit import MarkedClauses, Unit

Clauses = frozenset[tuple[str, int]]
"""Clauses by function and number; a function without clauses is its own clause 0."""


class EnteredClauses:
    """The marks of the runs of a machine."""

    def __init__(self) -> None:
        self._marked: dict[str, bytearray] = {}
        self._whole = True

    def marks(self, of: MarkedClauses) -> bytearray:
        """What the code of a function marks: a byte for each clause."""
        return self._marked.setdefault(of.function, bytearray(of.clauses))

    def unmarked(self) -> None:
        """Something runs whose clauses are not marked, or ends by what this machine can hold."""
        self._whole = False

    def clear(self) -> None:
        """From now on nothing has run."""
        for marks in self._marked.values():
            marks[:] = bytes(len(marks))
        self._whole = True

    def clauses(self) -> Clauses | None:
        """The clauses that were entered; None where that is not known."""
        if not self._whole:
            return None
        return frozenset(
            (name, number)
            for name, marks in self._marked.items() if any(marks)
            for number, marked in enumerate(marks) if marked
        )  # fmt: skip


@lru_cache(32)
def changed_clauses(old: Unit, new: Unit) -> Clauses | None:
    """The clauses whose bodies say something else in the second of two interpreters that declare
    the same; None where more than that has changed."""
    if set(old.functions) != set(new.functions) or _settled(old) != _settled(new):
        return None
    changed: set[tuple[str, int]] = set()
    for name, before in old.functions.items():
        after = new.functions[name]
        if settings_of(old, name) != settings_of(new, name):
            return None
        one, other = written(before), written(after)
        if not one.whole or not other.whole:
            return None
        called = {name, *one.called} & {name, *other.called}
        if facts_of(old, name, called) != facts_of(new, name, called):
            return None
        if one.found == other.found:
            continue
        if name not in new.interpreter.functions:
            return None  # a display or a sentence, which is looked at without being entered
        first, second = _parts(before), _parts(after)
        if len(first) != len(second) or first[0].found != second[0].found:
            return None
        pairs = enumerate(zip(first[1:], second[1:], strict=True))
        changed.update((name, number) for number, (a, b) in pairs if a.found != b.found)
    return frozenset(changed)


class _Settled(Struct, frozen=True):
    """What an interpreter comes to as a whole."""

    main: str
    repeating: str
    steps: str | None
    several: bool
    errors: tuple[str, ...]


@lru_cache(32)
def _settled(unit: Unit) -> _Settled:
    one = unit.interpreter
    steps = one.steps.name if one.steps is not None else None
    return _Settled(
        one.main, one.repeating, steps, one.several, tuple(error.name for error in one.errors)
    )


@k.once_each
def _parts(function: k.Function) -> tuple[InCore, ...]:
    """What a function says outside of the bodies of its clauses, and in each."""
    function = renumbered(function)
    outside = [(clause.patterns, clause.guard, clause.steps) for clause in function.clauses]
    bodies: list[k.Core | None] = [clause.body for clause in function.clauses]
    rest = (function.body is None, tuple(outside), function.finals)
    return tuple(map(InCore, [rest, *(bodies or [function.body])]))
