"""Which values no clause takes, and which clauses take nothing that an earlier one left.

Source: Maranget, "Warnings for pattern matching" (2007). Patterns are simplified to wildcards and
constructors; a literal is a constructor of a type that has endlessly many.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import islice
from typing import TypeAlias

from msgspec import Struct

from embrix.terms.types import Con, Tup, Type, settle


class Any(Struct, frozen=True):
    """Matches everything."""


class Head(Struct, frozen=True):
    """A constructor (its name), or a literal."""

    name: str | int | float | bool | object
    args: tuple[Pat, ...]


Pat: TypeAlias = Any | Head
Row: TypeAlias = tuple[Pat, ...]
ANY = Any()

Constructors: TypeAlias = Callable[[str], Sequence[tuple[str, tuple[Type, ...]]] | None]
"""For the name of a sort or data type its constructors with the types of their fields."""


class Coverage:
    """Questions about rows of patterns, given the constructors of the types involved."""

    def __init__(self, constructors: Constructors) -> None:
        self._constructors = constructors

    def alternatives(self, kind: Type) -> Sequence[tuple[object, tuple[Type, ...]]] | None:
        """All heads of a type, or None when there are endlessly many."""
        kind = settle(kind)
        if isinstance(kind, Tup):
            return [("()", kind.items)]
        if not isinstance(kind, Con):
            return None
        if kind.name == "Bool":
            return [(True, ()), (False, ())]
        if kind.name == "List":
            return [("[]", ()), ("::", (kind.args[0], kind))]
        if kind.name == "Maybe":
            return [("None", ()), ("Some", kind.args)]
        return self._constructors(kind.name)

    def missing(self, rows: Sequence[Row], types: Sequence[Type]) -> list[Row]:
        """Examples of what no row takes: one for each constructor at the first place that is open.

        Empty when the rows cover everything.
        """
        return list(self._missing(rows, types))

    def _missing(self, rows: Sequence[Row], types: Sequence[Type]) -> Iterator[Row]:
        if _takes_all(rows):
            return
        if not types:
            yield ()
            return
        heads = self.alternatives(types[0])
        used = {row[0].name for row in rows if isinstance(row[0], Head)}
        if heads is None or not used:
            default = [row[1:] for row in rows if isinstance(row[0], Any)]
            first: Pat = ANY
            if heads is not None and len(heads) == 1:
                # The only form there is says more; what is in it is open.
                first = Head(heads[0][0], (ANY,) * len(heads[0][1]))
            for rest in self._missing(default, types[1:]):
                yield (first, *rest)
            return
        some = False
        for name, fields in heads:
            inner = [*fields, *types[1:]]
            examples = self._missing(_narrowed(rows, name, len(fields)), inner)
            for example in islice(examples, 1 if some else None):
                some = True
                args = tuple(example[: len(fields)])
                yield (Head(name, args), *example[len(fields) :])

    def useful(self, rows: Sequence[Row], row: Row, types: Sequence[Type]) -> bool:
        """Whether a row takes anything that the rows before it do not."""
        if _takes_all(rows):
            return False
        if not types:
            return True
        first = row[0]
        if isinstance(first, Head):
            heads = dict(self.alternatives(types[0]) or ())
            fields = heads.get(first.name, ())
            if len(fields) != len(first.args):
                return True
            narrowed = _narrowed(rows, first.name, len(fields))
            return self.useful(narrowed, (*first.args, *row[1:]), [*fields, *types[1:]])
        alternatives = self.alternatives(types[0])
        used = {old[0].name for old in rows if isinstance(old[0], Head)}
        if alternatives is not None and {name for name, _ in alternatives} <= used:
            return any(
                self.useful(
                    _narrowed(rows, name, len(fields)),
                    (*(ANY for _ in fields), *row[1:]),
                    [*fields, *types[1:]],
                )
                for name, fields in alternatives
            )
        default = [old[1:] for old in rows if isinstance(old[0], Any)]
        return self.useful(default, row[1:], types[1:])


def _takes_all(rows: Sequence[Row]) -> bool:
    """Whether one of the rows alone takes everything."""
    for row in rows:
        for part in row:
            if part is not ANY:
                break
        else:
            return True
    return False


def _narrowed(rows: Sequence[Row], name: object, count: int) -> list[Row]:
    """What is left of the rows once the first place is known to have this head."""
    found: list[Row] = []
    for row in rows:
        first = row[0]
        if isinstance(first, Any):
            found.append((*(ANY,) * count, *row[1:]))
        elif first.name == name and type(first.name) is type(name):
            found.append((*first.args, *row[1:]))
    return found


def show_pattern(pattern: Pat) -> str:
    """A simplified pattern as the notation writes it."""
    if isinstance(pattern, Any):
        return "_"
    if pattern.name == "::":
        return f"[{show_pattern(pattern.args[0])}, ..{show_pattern(pattern.args[1])}]"
    inside = ", ".join(map(show_pattern, pattern.args))
    if pattern.name == "()":
        return f"({inside})"
    if isinstance(pattern.name, bool):
        return "true" if pattern.name else "false"
    return f"{pattern.name}({inside})" if pattern.args else str(pattern.name)
