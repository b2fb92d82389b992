"""Functions that are made up for examples: simple ones that can be written down."""

from __future__ import annotations

from collections.abc import Callable

from embrix.terms.node import Value


class MadeFunction:
    """A function that gives back one of its arguments (`given` is its number), or a value; where
    the first argument is a certain plain value, another one."""

    def __init__(
        self, count: int, given: int | None, value: Value, unless: tuple[Value, Value] | None = None
    ) -> None:
        self.count, self.given, self.value, self.unless = count, given, value, unless

    def __call__(self, *args: Value) -> Value:
        if self.unless is not None and _plainly_same(args[0], self.unless[0]):
            return self.unless[1]
        return self.value if self.given is None else args[self.given]

    def text(self, show: Callable[[Value], str]) -> str:
        """How it is written in the notation, with values as `show` shows them."""
        names = ["x", "y", "z"][: self.count] if self.count <= 3 else [
            f"x{number}" for number in range(self.count)
        ]  # fmt: skip
        body = show(self.value) if self.given is None else names[self.given]
        if self.unless is not None:
            known, other = map(show, self.unless)
            body = f"if {names[0]} == {known} then {other} else {body}"
        used = {0} if self.unless is not None else set()
        used |= {self.given} if self.given is not None else set()
        params = [name if number in used else "_" for number, name in enumerate(names)]
        return f"fn({', '.join(params)}) => {body}"


def _plainly_same(one: Value, other: Value) -> bool:
    """Whether two plain values are one; `true` is no number."""
    return isinstance(one, bool) == isinstance(other, bool) and one == other
