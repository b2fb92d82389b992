"""Functions that one interpreter takes over from another are not checked again, where everything is
the same that they are checked by: types, constructors, signatures, errors, choices."""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from typing import TypeVar

from msgspec import Struct, field
from msgspec.structs import astuple

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.world import World
from embrix.terms.node import Constructor

Declared = TypeVar("Declared", Constructor, k.ErrorType)


class CheckedBefore(Struct, eq=False):
    """The functions of an interpreter in which nothing is wrong, and what they were checked by."""

    constructors: dict[str, Constructor]
    errors: dict[str, k.ErrorType]
    by: tuple[object, ...]
    """Everything else that they were checked by."""
    functions: dict[str, tuple[s.Define, k.TemplateParts | None, k.Function]] = field(
        default_factory=dict
    )

    @staticmethod
    def begin(world: World) -> CheckedBefore:
        """What the functions of a world are checked by, apart from each other's bodies."""
        signatures: dict[str, tuple[Hashable, ...]] = {
            name: (one.params, one.types, one.result, one.subjects, one.small_step, one.variables,
                   one.control, one.damaged)
            for name, one in world.functions.items()
        }  # fmt: skip
        by = (world.sorts, world.numbers, world.one_number, world.types, world.arities,
              world.choices, world.abbreviations, set(world.lost), signatures)  # fmt: skip
        return CheckedBefore(world.constructors, world.errors, by)

    def holds_in(self, other: CheckedBefore) -> bool:
        """Whether what was checked by this would be checked by the same there."""
        return (self.by, self.constructors, self.errors) == (
            other.by, other.constructors, other.errors
        )  # fmt: skip

    def of(self, define: s.Define, judgement: k.TemplateParts | None) -> k.Function | None:
        """What was made of the very same function, stated by the same judgement."""
        known = self.functions.get(define.name)
        if known is None or known[0] is not define or known[1] != judgement:
            return None
        return known[2]


def as_before(
    declared: Iterable[Declared], world: dict[str, Declared], before: dict[str, Declared]
) -> list[Declared]:
    """What an interpreter declares, with what was declared before in place of what says the very
    same: functions hold the thing itself. A world has it from now on as well."""
    found: list[Declared] = []
    for one in declared:
        other = before.get(one.name)
        same = other is not None and astuple(other) == astuple(one)
        found.append(other if other is not None and same else one)
        if world.get(one.name) is one:
            world[one.name] = found[-1]
    return found
