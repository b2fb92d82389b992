"""What comes of printing a term, and how parts that no grammar writes are shown."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any, TypeAlias

from msgspec import Struct

from embrix.terms.node import Value
from embrix.text.source import Span

Path: TypeAlias = tuple[int, ...]
"""The way from a term to a part of it: indexes of fields."""

Way: TypeAlias = tuple[()] | tuple[int, Any]
"""The same as linked pairs: what is left of it is at hand at every step."""


class Part(Struct, frozen=True):
    """A value inside the text of another one."""

    value: Value
    built: bool = False
    """Whether it is written as the notation would build it."""


Parts: TypeAlias = Iterator[str | Part]
"""What a value is shown as, one level deep: text, and the values that stand in it."""

Others: TypeAlias = Callable[[Part], Parts]


class Printed(Struct, frozen=True):
    """A term as text. `focus` is where the part asked for stands; `whole` is False when cut off."""

    text: str
    focus: Span | None = None
    whole: bool = True
