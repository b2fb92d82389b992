"""Where output, input and `any of` have no place: guards, displays, laws."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from msgspec import Struct

from embrix.brix.core import (
    Ask,
    Call,
    CallValue,
    Emit,
    Function,
    Law,
    TakeWay,
    once_each,
    parts_inside,
    parts_of,
)
from embrix.brix.world import World
from embrix.text.source import Span


def check_effects(
    world: World, functions: Mapping[str, Function], shown: Iterable[Function], laws: list[Law]
) -> None:
    """Report effects in what is looked at without being run. What a function value does is not
    known; calling one there is refused as well when any function of the definition has effects."""
    effects = _with_effects(functions)
    for function in functions.values():
        if function.helper:
            continue  # that is reported with the clause it was made for
        for clause in (*function.clauses, *function.finals):
            if clause.guard is not None and _has_effect(clause.guard, effects):
                _report(world, "a guard", clause.span)
    for display in shown:
        if _has_effect(display.body, effects):
            _report(world, "what is shown", display.span)
    for law in laws:
        if any(_has_effect(one.body, effects) for one in law.functions):
            _report(world, "a law", law.span)


def _report(world: World, what: str, span: Span) -> None:
    world.error(
        "wrong_place", f"{what} neither writes output nor asks for input nor has several ways",
        span, "do that in a line of its own, before or after",
    )  # fmt: skip


def _with_effects(functions: Mapping[str, Function]) -> set[str]:
    found = {name for name, function in functions.items() if _deeds(function).itself}
    while True:
        more = {
            name
            for name, function in functions.items()
            if name not in found and (
                not found.isdisjoint(_deeds(function).calls)
                or (found and _deeds(function).calls_values)
            )
        }  # fmt: skip
        if not more:
            return found
        found |= more


class _Deeds(Struct, frozen=True):
    """What may be an effect of a function: something that it does `itself`, or what it calls."""

    itself: bool
    calls: frozenset[str]
    calls_values: bool


@once_each
def _deeds(function: Function) -> _Deeds:
    parts = parts_inside(function)
    kinds = set(map(type, parts))
    return _Deeds(
        not kinds.isdisjoint((Emit, Ask, TakeWay)),
        frozenset(part.function for part in parts if type(part) is Call),
        # What a helper calls that is a value only puts a term together.
        CallValue in kinds and not function.helper,
    )


def _has_effect(body: object, effects: set[str]) -> bool:
    return any(_effect(part, effects) for part in parts_of(body))


def _effect(part: object, effects: set[str]) -> bool:
    if isinstance(part, CallValue):
        return bool(effects)
    if isinstance(part, Call):
        return part.function in effects
    return isinstance(part, Emit | Ask | TakeWay)
