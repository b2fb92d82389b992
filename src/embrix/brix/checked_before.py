"""Functions that one interpreter takes over from another are not checked again, where everything is
the same that they are checked by: types, constructors, signatures, errors, choices."""

from __future__ import annotations

from collections.abc import Hashable, Iterable
from typing import TypeVar

from msgspec.structs import astuple

from embrix.brix import core as k
from embrix.brix.world import World
from embrix.terms.node import Constructor

Declared = TypeVar("Declared", Constructor, k.ErrorType)


def checked_by(world: World) -> k.CheckedBefore:
    """No functions yet, and what those of a world are checked by, each other's bodies aside."""
    signatures: dict[str, tuple[Hashable, ...]] = {
        name: (one.params, one.types, one.result, one.subjects, one.small_step, one.variables,
               one.control, one.damaged)
        for name, one in world.functions.items()
    }  # fmt: skip
    by = (world.sorts, world.numbers, world.one_number, world.types, world.arities,
          world.choices, world.abbreviations, set(world.lost), signatures)  # fmt: skip
    return k.CheckedBefore(world.constructors, world.errors, by)


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
