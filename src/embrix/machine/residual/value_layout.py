"""How values are laid out in residual programs: a constructor that alone in its type holds a
number, a truth value or a text is that; one that holds pieces of the program is an object of the
shape that it was made with; every other is a node as in any run."""

from __future__ import annotations

from collections import Counter
from typing import Literal, TypeAlias

from embrix.brix.core import Interpreter
from embrix.machine.residual.known_data import always_known
from embrix.terms.node import Constructor
from embrix.terms.types import ARITY, Con, Tup, Type, settle

Bare: TypeAlias = Literal["number", "whole", "truth", "text"]
_BARE: dict[str, Bare] = {"Number": "number", "Int": "whole", "Bool": "truth", "Text": "text"}
_ALIKE = {"whole": "number"}
"""What cannot be told apart where it is not a node."""


class ValueLayout:
    """The layout of the values of an interpreter."""

    def __init__(self, interpreter: Interpreter, *, with_data: bool, with_labels: bool) -> None:
        """`with_data`: data that hold pieces of the program are pieces themselves, where that can
        be. `with_labels`: what holds names, but no other pieces, is an object of a shape too."""
        self.constructors = interpreter.constructors
        self.sorts = {one.owner for one in self.constructors.values() if one.is_form}
        own = [one for one in self.constructors.values() if not one.is_form]
        bare = {one.tag: kind for one in own if (kind := self._bare(one))}
        times = Counter(map(self._told_by, bare.items()))
        self.bare: dict[int, Bare] = {
            tag: kind for tag, kind in bare.items() if times[self._told_by((tag, kind))] == 1
        }  # fmt: skip
        """What a constructor is in place of a node."""
        self.known_data: frozenset[str] = frozenset()
        """Data types whose values are known where they are made."""
        if with_data:
            self.known_data = always_known(interpreter, self)
        self.shaped = {
            one.tag for one in own
            if any(self.is_piece(kind) and (with_labels or not _is_name(kind))
                   for kind in one.types)
        }  # fmt: skip
        """Constructors that hold pieces of the program."""
        self.opening: dict[int, bool] = {}
        """By the identity of a clause whether its patterns open values."""
        self.handing_on: dict[tuple[int, tuple[int, ...]], bool] = {}
        """By the identity of a clause and the place of a value that it opens, whether it only
        hands on what it finds there."""

    def _told_by(self, one: tuple[int, Bare]) -> tuple[str, str]:
        tag, kind = one
        return self.constructors[tag].owner, _ALIKE.get(kind, kind)

    def _bare(self, one: Constructor) -> Bare | None:
        if len(one.types) != 1 or one.role:
            return None
        kind = settle(one.types[0])
        return _BARE.get(kind.name) if isinstance(kind, Con) else None

    def is_piece(self, kind: Type) -> bool:
        """Whether values of a type are known where they are made: terms, names, environments."""
        kind = settle(kind)
        if not isinstance(kind, Con):
            return False
        if kind.name in ("List", "Maybe"):
            return self.is_piece(kind.args[0])
        return (
            kind.name in self.sorts or kind.name in self.known_data or kind.name in ("Env", "Name")
        )

    def is_plain(self, kind: Type | None, around: frozenset[str] = frozenset()) -> bool:
        """Whether values of a type are laid out as in any run, with all that is in them."""
        kind = settle(kind) if kind is not None else None
        if isinstance(kind, Tup):
            return all(self.is_plain(one, around) for one in kind.items)
        if not isinstance(kind, Con) or kind.name in ("Loc", "Env", "Store", "Map", "Set"):
            return False
        if kind.name in ARITY:
            return all(self.is_plain(one, around) for one in kind.args)
        if kind.name in self.sorts or kind.name in around:
            return True
        own = [one for one in self.constructors.values() if one.owner == kind.name]
        return bool(own) and all(
            one.tag not in self.bare and one.tag not in self.shaped and not one.params
            and all(self.is_plain(inner, around | {kind.name}) for inner in one.types)
            for one in own
        )  # fmt: skip

    def type_of(self, tag: int) -> Type | None:
        """The type that a constructor belongs to, where it has no parameters."""
        one = self.constructors.get(tag)
        return Con(one.owner) if one is not None and not one.params else None

    def free_fields(self, tag: int) -> list[int]:
        """The fields of a shaped constructor that are no pieces: they come first in its objects."""
        types = self.constructors[tag].types
        return [number for number, kind in enumerate(types) if not self.is_piece(kind)]


def layouts(interpreter: Interpreter) -> list[ValueLayout]:
    """The ways to lay out values, in the order in which they are tried."""
    found: list[ValueLayout] = []
    for with_data, with_labels in ((True, False), (False, False), (True, True), (False, True)):
        one = ValueLayout(interpreter, with_data=with_data, with_labels=with_labels)
        if all((one.shaped, one.known_data) != (other.shaped, other.known_data)
               for other in found):  # fmt: skip
            found.append(one)
    return found


def _is_name(kind: Type) -> bool:
    kind = settle(kind)
    if isinstance(kind, Con) and kind.name in ("List", "Maybe"):
        return _is_name(kind.args[0])
    return of_name(kind, "Name")


def of_name(kind: Type | None, *names: str) -> bool:
    """Whether a type is known to have one of these names."""
    if kind is None:
        return False
    kind = settle(kind)
    return isinstance(kind, Con) and kind.name in names
