"""Checking patterns, and turning them into their compiled and their simplified forms."""

from __future__ import annotations

from collections.abc import Callable

from embrix.brix import exhaustiveness
from embrix.brix import syntax as s
from embrix.brix.core import Among, Bind, CorePattern, Equals, Named, Shape
from embrix.brix.world import World, count, unify
from embrix.terms.node import CONS, NIL, NONE, SOME, TUPLE, Constructor
from embrix.terms.types import (
    BOOL,
    INT,
    NUMBER,
    TEXT,
    UNKNOWN,
    Con,
    Hole,
    Tup,
    Type,
    listing,
    settle,
    show_type,
)
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean

Declare = Callable[[str, Type, Span], int]
"""Gives a pattern variable its slot."""


class Patterns:
    def __init__(self, world: World, declare: Declare) -> None:
        self.world = world
        self.declare = declare
        self.seen: dict[str, Span] = {}

    def check(self, pattern: s.Pattern, kind: Type) -> CorePattern:
        """The compiled form of a pattern for values of a type."""
        match pattern:
            case s.PAny():
                return Bind(None)
            case s.PVar(name, span):
                return Bind(self.variable(name, kind, span))
            case s.PAs(inner, name, span):
                return Named(self.check(inner, kind), self.variable(name, kind, span))
            case s.PConst(value, span):
                return self.constant(value, kind, span)
            case s.PTuple(items, span):
                holes: tuple[Type, ...] = tuple(Hole() for _ in items)
                self.agree(Tup(holes), kind, span)
                fields = [self.check(i, h) for i, h in zip(items, holes, strict=True)]
                return Shape(TUPLE, tuple(fields), wide=False)
            case s.PList(items, rest, span):
                hole = Hole()
                self.agree(listing(hole), kind, span)
                tail: CorePattern = Shape(NIL, (), wide=True)
                parts = [self.check(item, hole) for item in items]
                if rest is not None:
                    tail = self.check(rest, kind)
                for part in reversed(parts):
                    tail = Shape(CONS, (part, tail), wide=True)
                return tail
            case s.PMake():
                return self.shape(pattern, kind)
            case s.PContext(_, inner, _, span):
                self.world.error(
                    "wrong_pattern", "a context stands in the clauses of a small-step relation",
                    span, "`order` lines say where the next step takes place",
                )  # fmt: skip
                return self.check(inner, kind)
            case s.PEither(options, span):
                self.world.error(
                    "wrong_pattern", "alternatives stand in clauses only, where each may give "
                    "the same", span, "write a `match` with a clause for them",
                )  # fmt: skip
                return self.check(options[0], kind)

    def variable(self, name: str, kind: Type, span: Span) -> int:
        if name in self.seen:
            self.world.error(
                "declared_twice", f"{name} stands twice in this pattern", span,
                "give one of them another name, and compare them in a `when`",
            )  # fmt: skip
        self.seen[name] = span
        return self.declare(name, kind, span)

    def constant(self, value: object, kind: Type, span: Span) -> CorePattern:
        if isinstance(value, bool):
            self.agree(BOOL, kind, span)
        elif isinstance(value, str):
            self.agree(TEXT, kind, span)
        elif settle(kind) != INT:
            self.agree(NUMBER, kind, span)
        return Equals(value)  # type: ignore[arg-type]

    def shape(self, pattern: s.PMake, kind: Type) -> CorePattern:
        name, args, span = pattern.name, pattern.args, pattern.span
        if name in ("None", "Some") and name not in self.world.constructors:
            hole = Hole()
            self.agree(Con("Maybe", (hole,)), kind, span)
            if len(args) != (name == "Some"):
                self.world.error("wrong_number", f"{name} takes {count(1, 'pattern')}", span)
                return Bind(None)
            return Shape(SOME if args else NONE, tuple(self.check(a, hole) for a in args), True)
        constructor = self.world.constructors.get(name)
        if constructor is None:
            self.unknown(name, kind, span)
            for arg in args:
                self.check(arg, UNKNOWN)
            return Bind(None)
        types, whole = self.world.instance(constructor)
        self.agree(whole, kind, span)
        if pattern.fields is not None:
            args = self.named(constructor, pattern.fields, span)
        if len(args) != len(constructor.fields):
            written = f"{name}({', '.join(constructor.fields)})" if constructor.fields else name
            self.world.error(
                "wrong_number", f"{name} has {count(len(constructor.fields), 'field')}, "
                f"the pattern lists {len(args)}", span, f"its fields are {written}",
            )  # fmt: skip
            for arg in args:
                self.check(arg, UNKNOWN)
            return Bind(None)
        self.swapped(constructor.fields, args)
        fields = tuple(self.check(a, t) for a, t in zip(args, types, strict=True))
        wide = len(self.world.of_type(constructor.owner)) > 1
        return Shape(constructor.tag, fields, wide)

    def named(
        self,
        constructor: Constructor,
        fields: tuple[tuple[str, s.Pattern, Span], ...],
        span: Span,
    ) -> tuple[s.Pattern, ...]:
        """The patterns of all fields, where only some are named."""
        args: list[s.Pattern] = [s.PAny(span) for _ in constructor.fields]
        for name, pattern, place in fields:
            if name in constructor.fields:
                args[constructor.fields.index(name)] = pattern
            else:
                self.world.error(
                    "unknown_field", f"{constructor.name} has no field called {name}", place,
                    did_you_mean(name, constructor.fields),
                )  # fmt: skip
        return tuple(args)

    def swapped(self, fields: tuple[str, ...], args: tuple[s.Pattern, ...]) -> None:
        for index, arg in enumerate(args):
            if isinstance(arg, s.PVar) and arg.name in fields and fields[index] != arg.name:
                self.world.error(
                    "swapped_fields",
                    f"{arg.name} stands where the field {fields[index]} belongs", arg.span,
                    f"the fields are in the order {', '.join(fields)}; a variable may not bear "
                    "the name of another field",
                )  # fmt: skip

    def unknown(self, name: str, kind: Type, span: Span) -> None:
        if self.world.is_lost(name):
            return
        kind = settle(kind)
        known = [
            c.name
            for c in self.world.constructors.values()
            if not isinstance(kind, Con) or c.owner == kind.name
        ]
        self.world.error(
            "unknown_constructor", f"there is no form or constructor called {name}", span,
            did_you_mean(name, known, "known here are " + ", ".join(known) if known else ""),
        )  # fmt: skip

    def agree(self, found: Type, wanted: Type, span: Span) -> None:
        if not unify(found, wanted):
            self.world.error(
                "type_mismatch", f"this pattern is for {show_type(found)}, but the value is of "
                f"type {show_type(wanted)}", span,
            )  # fmt: skip


def simplify(pattern: CorePattern, names: dict[int, str]) -> exhaustiveness.Pat:
    """The simplified form of a compiled pattern; `names` gives the constructors by tag."""
    match pattern:
        case Bind():
            return exhaustiveness.ANY
        case Named(inner, _) | Among(_, inner):
            return simplify(inner, names)
        case Equals(value):
            return exhaustiveness.Head(value, ())
        case Shape(tag, fields, _):
            builtin = {TUPLE: "()", NIL: "[]", CONS: "::", NONE: "None", SOME: "Some"}
            head = builtin.get(tag) or names[tag]
            return exhaustiveness.Head(head, tuple(simplify(f, names) for f in fields))
