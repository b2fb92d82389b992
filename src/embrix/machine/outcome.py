"""What a run gives, as plain data."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property
from typing import Literal, TypeAlias, overload

from msgspec import Struct, field

from embrix.terms.node import Place, Value

Kind: TypeAlias = Literal[
    "value", "failure", "stuck", "unfinished", "out of fuel", "cycle", "rejected", "ambiguous",
    "gave up", "fault",
]  # fmt: skip


class Outcome(Struct, frozen=True):
    """How a program ended.

    `text` is the short form: the value as shown, the sentence of the error, what was expected.
    `name` is that of the error, the limit, or what refused the program (tokens or grammar).
    `place` is a pair of offsets into the program, or None. `value` stays inside the process.
    """

    kind: Kind
    text: str
    name: str = ""
    structure: str = ""
    place: Place | None = None
    value: Value = None

    @property
    def _key(self) -> tuple[object, ...]:
        return self.kind, self.text, self.name, self.structure, self.place

    def __eq__(self, other: object) -> bool:
        return self._key == other._key if type(other) is Outcome else NotImplemented

    def __hash__(self) -> int:
        return hash(self._key)

    def __repr__(self) -> str:
        return f"Outcome{self._key}"

    def as_data(self) -> dict[str, object]:
        data: dict[str, object] = {"kind": self.kind, "text": self.text}
        if self.name:
            data["name"] = self.name
        if self.structure:
            data["structure"] = self.structure
        if self.place is not None:
            data["place"] = list(self.place)
        return data

    @property
    def sentence(self) -> str:
        """The outcome on one line, for people."""
        if self.kind == "value":
            return self.text
        if self.kind in ("failure", "out of fuel"):
            return f"{self.name if self.kind == 'failure' else self.kind}: {self.text}"
        return f"{self.kind}: {self.text}"


class Shown(Sequence[str]):
    """Values as text, made when they are looked at: a large store takes longer to print than many
    a run takes."""

    def __init__(
        self,
        values: Sequence[Value] | Callable[[], Sequence[Value]] = (),
        show: Callable[[Value], str] = str,
    ) -> None:
        """The values may be made when they are looked at as well."""
        self._given = values
        self._show = show

    @cached_property
    def values(self) -> Sequence[Value]:
        """The values themselves; they stay inside the process."""
        return self._given() if callable(self._given) else self._given

    @cached_property
    def _texts(self) -> tuple[str, ...]:
        return tuple(map(self._show, self.values))

    def __len__(self) -> int:
        return len(self.values)

    @overload
    def __getitem__(self, index: int) -> str: ...
    @overload
    def __getitem__(self, index: slice) -> Sequence[str]: ...
    def __getitem__(self, index: int | slice) -> str | Sequence[str]:
        return self._texts[index]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Shown | tuple) and self._texts == tuple(other)

    def __hash__(self) -> int:
        return hash(self._texts)


class Result(Struct, frozen=True):
    """An outcome with what came on the way: output, and counted costs (none for a plain run)."""

    outcome: Outcome
    output: tuple[str, ...] = ()
    costs: dict[str, int] = field(default_factory=dict)
    state: Sequence[str] = field(default_factory=Shown)
    """What came beside the value, as shown: a store, say."""
    ways: tuple[tuple[int, int], ...] = ()
    """Where several ways were open: the number of the one that was taken, and how many there were.
    """
    spent: int = 0
    """The calls made, with what counts as much as calls do."""

    @property
    def cut(self) -> bool:
        """Whether it came to the most calls it may make."""
        return self.outcome.kind == "out of fuel" and self.outcome.name == "calls"
