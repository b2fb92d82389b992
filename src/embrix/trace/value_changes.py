"""Where something in a run changes, met going up or down its steps."""

from __future__ import annotations

from collections.abc import Callable

from embrix.terms.node import Value

NOTHING = object()
"""What is found where there is nothing that could change."""


class ValueChanges:
    """Whether what is found is not what was found last; where nothing is found nothing changes."""

    def __init__(self, find: Callable[[int], Value]) -> None:
        self.find = find
        self.last: Value = NOTHING

    def __call__(self, number: int) -> bool:
        found = self.find(number)
        if found is NOTHING:
            return False
        before, self.last = self.last, found
        return before is not NOTHING and _differ(before, found)

    def ahead(self) -> ValueChangesAhead:
        """The same for going down, while one goes up."""
        return ValueChangesAhead(self)


class ValueChangesAhead:
    """Finds, going up to what was found last, what is met first on the way down from there."""

    def __init__(self, test: ValueChanges) -> None:
        self._test = test
        self._hit: int | None = None
        self._begin: Value = NOTHING
        self._before: tuple[int, Value] | None = None

    def step(self, number: int) -> None:
        found = self._test.find(number)
        if found is NOTHING:
            return
        if self._before is None:
            self._begin = found
        elif _differ(self._before[1], found):
            self._hit = self._before[0]
        self._before = number, found

    def end(self) -> int | None:
        """The last number whose value the next one, or what was found last, has no more."""
        if self._before is None:
            return None
        last = self._test.last
        if last is not NOTHING and _differ(self._before[1], last):
            return self._before[0]
        self._test.last = self._begin
        return self._hit


def _differ(one: Value, other: Value) -> bool:
    return one is not other and bool(one != other)
