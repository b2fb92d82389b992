"""Whether a pattern takes what is known of a value, what is left to test, and what its variables
stand for."""

from __future__ import annotations

from typing import Protocol, TypeAlias

from embrix.brix import core as k
from embrix.machine.residual.knowledge import (
    Knowledge,
    KnownValue,
    Later,
    MadeValue,
    NotResidual,
    RunValue,
    part_of,
)
from embrix.machine.residual.program import Program
from embrix.machine.residual.statements import Atom, Field, ResidualTest
from embrix.terms.node import CONS, SOME, TUPLE
from embrix.terms.types import Con, Tup, Type, settle

Binding: TypeAlias = tuple[int, Knowledge]


class Asking(Protocol):
    program: Program
    facts: dict[str, int]

    def let(
        self, operation: str, args: tuple[Atom, ...], about: object = None
    ) -> tuple[str, ...]: ...


def matches(
    asking: Asking, pattern: k.CorePattern, one: Knowledge, conditions: list[ResidualTest],
    bound: list[Binding],
) -> bool:  # fmt: skip
    """False where the pattern cannot take it; what has to hold beside is added to `conditions`."""
    match pattern:
        case k.Bind(slot):
            if slot is not None:
                bound.append((slot, one))
            return True
        case k.Named(inner, slot):
            bound.append((slot, one))
            return matches(asking, inner, one, conditions, bound)
    match one:
        case KnownValue():
            return _takes_known(asking, pattern, one, conditions, bound)
        case MadeValue(tag, fields):
            match pattern:
                case k.Among(tags, inner):
                    return tag in tags and matches(asking, inner, one, conditions, bound)
                case k.Shape(wanted, inners, _):
                    return wanted == tag and all(
                        matches(asking, inner, field, conditions, bound)
                        for inner, field in zip(inners, fields, strict=True)
                    )
            return False
        case RunValue():
            return _takes_unknown(asking, pattern, one, conditions, bound)
    raise NotResidual("a piece of the program that is not known is taken apart")


def _takes_known(
    asking: Asking, pattern: k.CorePattern, one: KnownValue, conditions: list[ResidualTest],
    bound: list[Binding],
) -> bool:  # fmt: skip
    value = one.value
    match pattern:
        case k.Equals(wanted):
            return isinstance(value, bool) == isinstance(wanted, bool) and bool(value == wanted)
        case k.Among(tags, inner):
            return value[0] in tags and matches(asking, inner, one, conditions, bound)
        case k.Shape(tag, fields, _):
            return value[0] == tag and all(
                matches(asking, field, part_of(one, number), conditions, bound)
                for number, field in enumerate(fields)
            )
    return False


def _takes_unknown(
    asking: Asking, pattern: k.CorePattern, one: RunValue, conditions: list[ResidualTest],
    bound: list[Binding],
) -> bool:  # fmt: skip
    atom, layout = one.atom, asking.program.layout
    known = asking.facts.get(atom) if isinstance(atom, str) else None
    match pattern:
        case k.Equals(wanted):
            conditions.append(ResidualTest("equals", atom, wanted))
            return True
        case k.Among(tags, inner):
            if known is None:
                conditions.append(ResidualTest("among", atom, tags))
            elif known not in tags:
                return False
            return matches(asking, inner, one, conditions, bound)
        case k.Shape(tag, fields, wide):
            if known is not None and known != tag:
                return False
            if wide and known is None:
                conditions.append(ResidualTest("tag", atom, tag))
            types = types_inside(asking.program, tag, one.type, len(fields))
            if tag in layout.bare:
                inner_one = RunValue(atom, types[0])
                return matches(_without_facts(asking), fields[0], inner_one, conditions, bound)
            parts: list[Knowledge]
            if tag in layout.shaped:
                free = layout.free_fields(tag)
                parts = [
                    RunValue(Field(atom, free.index(number) - 2), types[number])
                    if number in free
                    else Later(atom, tag, number)
                    for number in range(len(fields))
                ]
            else:
                parts = [RunValue(Field(atom, n), t) for n, t in enumerate(types)]
            return all(
                matches(asking, field, part, conditions, bound)
                for field, part in zip(fields, parts, strict=True)
            )
    return False


class _NoFacts:
    def __init__(self, asking: Asking) -> None:
        self.program = asking.program
        self.facts: dict[str, int] = {}
        self.let = asking.let


def _without_facts(asking: Asking) -> Asking:
    """For what is inside a constructor that is no node: the variable is the same."""
    found: Asking = _NoFacts(asking)
    return found


def types_inside(program: Program, tag: int, kind: Type | None, count: int) -> list[Type | None]:
    """The types of the fields of a node, as far as they are known."""
    constructor = program.layout.constructors.get(tag)
    if constructor is not None:
        return [None if constructor.params else one for one in constructor.types]
    kind = settle(kind) if kind is not None else None
    if isinstance(kind, Tup) and tag == TUPLE and len(kind.items) == count:
        return [*kind.items]
    if isinstance(kind, Con) and kind.args and tag in (SOME, CONS):
        known: list[Type | None] = [kind.args[0], kind]
        return known[:count]
    return [None] * count
