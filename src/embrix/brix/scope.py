"""The inside of a function while it is checked: names, slots, and types that do not fit."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from typing import TypeVar

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.world import World, unify
from embrix.terms.types import (
    INT,
    NUMBER,
    Con,
    Hole,
    Type,
    Unknown,
    settle,
    show_type,
)
from embrix.text.source import Span

T = TypeVar("T")
WRONG: k.Core = k.Todo("this rests on what is wrong elsewhere", Span(0, 0), "unknown_type")
"""Stands in for an expression that was reported."""


def other_number(found: Type, wanted: Type) -> str:
    """How an Int is had where a number of the language is wanted, and the other way round."""
    both = settle(found), settle(wanted)
    if both == (INT, NUMBER):
        return "write number(…)"
    return "whole(…) gives Some(n), or None where it is not whole" if both == (NUMBER, INT) else ""


class Scope(ABC):
    """The inside of one function while it is checked: the names that are bound, and the report
    of a part of the wrong type."""

    def __init__(self, world: World, *, wavering: bool = False) -> None:
        """One that is `wavering` leaves open of what sort a term is that nothing tells yet."""
        self.world = world
        self._wavering = wavering
        self.scopes: list[dict[str, tuple[int, Type]]] = [{}]
        self.may_ask: s.Ask | None = None
        self.slots = 0
        self.bound: dict[tuple[int, int], Type] = {}
        """The type of each name by where it is bound, in the text of the definition."""
        self.environments: dict[Span, None] = {}
        """Where `empty` is taken for an environment, as nothing says that it is a map."""
        self.maps: set[Span] = set()
        """Where it is taken for a map all the same."""
        self.matches: list[tuple[str, k.Match, list[Type]]] = []
        """What has clauses inside of an expression, by its word, with the types of what they take
        apart."""

    @abstractmethod
    def check(self, expr: s.Expr, wanted: Type) -> k.Core:
        """An expression that must have a type."""

    @abstractmethod
    def towards(self, expr: s.Expr, wanted: Type) -> tuple[k.Core, Type]:
        """An expression with its type, where `wanted` says what `empty` is if nothing else does."""

    @abstractmethod
    def infer(self, expr: s.Expr) -> tuple[k.Core, Type]:
        """An expression with its type."""

    def with_maps(self, check: Callable[[], T]) -> T:
        """What checking a part gives. Where something in it is wrong, what was taken for an
        environment is taken for a map if less is wrong then."""
        world = self.world
        before = (world.findings.count, len(world.causes), len(world.contained), len(self.matches))

        def wrong() -> int:
            return len(world.causes) + len(world.contained) - before[1] - before[2]

        def again() -> T:
            world.findings.forget(before[0])
            del world.causes[before[1] :], world.contained[before[2] :], self.matches[before[3] :]
            return check()

        self.environments = {}
        made = check()
        for place in list(self.environments):
            errors = wrong()
            if not errors:
                break
            self.maps.add(place)
            made = again()
            if wrong() >= errors:
                self.maps.discard(place)
                made = again()
        return made

    # ---------------------------------------------------------------- variables

    def slot(self) -> int:
        self.slots += 1
        return self.slots - 1

    def declare(self, name: str, kind: Type, span: Span) -> int:
        number = self.slot()
        if (span.source or self.world.source) is self.world.source:
            self.bound[span.start, span.end] = kind
        self.scopes[-1][name] = (number, kind)
        return number

    def find(self, name: str) -> tuple[int, Type] | None:
        for scope in reversed(self.scopes):
            if name in scope:
                return scope[name]
        return None

    def visible(self) -> list[str]:
        return [name for scope in self.scopes for name in scope]

    # ---------------------------------------------------------------- types

    def mismatch(self, found: Type, wanted: Type, span: Span) -> None:
        self.world.error(
            "type_mismatch",
            f"this is of type {show_type(found)}, but {show_type(wanted)} is expected here", span,
            other_number(found, wanted) or self.wrapping(found, wanted),
        )  # fmt: skip

    def wrapping(self, found: Type, wanted: Type) -> str:
        """The constructor that is meant where what stands inside it is given alone."""
        kind = settle(wanted)
        if not isinstance(kind, Con):
            return ""
        fitting = [
            c.name for c in self.world.of_type(kind.name)
            if [settle(t) for t in c.types] == [settle(found)]
        ]  # fmt: skip
        return f"write {fitting[0]}(…)" if len(fitting) == 1 else ""

    def numeric(self, kind: Type, at: s.Expr) -> None:
        settled = settle(kind)
        if isinstance(settled, Hole):
            unify(settled, NUMBER)
        elif settled not in (NUMBER, INT) and not isinstance(settled, Unknown):
            self.mismatch(kind, NUMBER, at.span)
