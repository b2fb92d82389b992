"""Checking the operations that every definition has: on terms, environments, lists, maps, texts."""

from __future__ import annotations

from msgspec.structs import replace

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.builtins import BUILT_INS, BuiltIn, Shape
from embrix.brix.relations import RelationChecks
from embrix.brix.scope import WRONG
from embrix.brix.world import lean, unify
from embrix.terms.types import (
    BOOL,
    INT,
    LOC,
    NAME,
    NUMBER,
    TEXT,
    UNKNOWN,
    Con,
    Fn,
    Hole,
    Type,
    Unknown,
    env,
    has_functions,
    listing,
    map_of,
    maybe,
    settle,
    show_type,
    store_of,
)
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean

KEYED = ("Env", "Store", "Map")
"""Types of what has something under each of some keys."""
BUILT_IN = (
    "free", "substitute", "alike", "fresh", "final", "empty", "fold", "map", "filter", "lookup",
)  # fmt: skip


class BuiltInCalls(RelationChecks):
    """What is known without a declaration, applied."""

    def built_in(self, name: str, expr: s.Apply, wanted: Type | None = None) -> tuple[k.Core, Type]:
        """The operations that the binding of the forms gives."""
        if self.world.is_lost(name):
            for arg in expr.args:
                self.infer(arg)
            return WRONG, UNKNOWN
        names = Con("Set", (NAME,))
        if name == "final":
            return self.is_final(expr)
        if name in ("fold", "map", "filter"):
            return self.loop(name, expr, wanted)
        if name == "lookup":
            return self.lookup_maybe(expr)
        if name in ("free", "substitute", "alike"):
            subject = expr.args[:1] if name == "alike" else expr.args[-1:]
            term: Type = Hole()
            core = self.check(subject[0], term) if subject else WRONG
            kind = settle(term)
            if isinstance(kind, Hole) and subject:
                if self._wavering:
                    for arg in expr.args[1:] if name == "alike" else expr.args[:-1]:
                        self.infer(arg)
                    return WRONG, BOOL if name == "alike" else names if name == "free" else kind
                unify(kind, self._sort_for(name, expr))
                kind = settle(term)
            sort = isinstance(kind, Unknown) or (
                isinstance(kind, Con) and kind.name in self.world.sorts
            )
            if subject and not sort:
                self.world.error(
                    "type_mismatch", f"{name} works on terms of the language, "
                    f"not on {show_type(kind)}", subject[0].span,
                )  # fmt: skip
            shapes: dict[str, tuple[list[str], list[Type], Type]] = {
                "free": (["e"], [], names),
                "alike": (["a", "b"], [kind], BOOL),
                "substitute": (["v", "x", "e"], [Con(self._sort_of_names(kind)), NAME], kind),
            }
            params, types, result = shapes[name]
            others = expr.args[1:] if name == "alike" else expr.args[:-1]
            more = self.arguments(name, others, params[:-1], types, expr.span)
            if more is None or not subject:
                return WRONG, result
            parts = (core, *more) if name == "alike" else (*more, core)
            return k.Primitive(name, parts, expr.span), result
        if name == "fresh":
            args = self.arguments(name, expr.args, ["x", "names"], [NAME, names], expr.span)
            return (k.Primitive("fresh", args, expr.span) if args else WRONG), NAME
        given = BUILT_INS.get(name)
        if given is not None and given.others and len(expr.args) == len(given.params):
            return self.of_several_types(given, expr)
        if given is not None:
            shape, gives = self.as_here(given.shape())
            args = self.arguments(name, expr.args, given.params, shape, expr.span)
            if name in ("has", "added") and args is not None:
                self.plain_key(shape[-1], expr.args[-1].span)
            return (WRONG if args is None else k.Primitive(name, args, expr.span)), gives
        known = [*self.world.functions, *BUILT_IN, *BUILT_INS]
        self.world.error(
            "unknown_name", f"there is no function called {name}", expr.callee.span,
            did_you_mean(name, known),
        )  # fmt: skip
        for arg in expr.args:
            self.infer(arg)
        return WRONG, UNKNOWN

    def as_here(self, shape: Shape) -> Shape:
        """The types of a built-in operation as this language has them."""
        types, gives = shape
        return tuple(map(self.world.as_here, types)), self.world.as_here(gives)

    def of_several_types(self, given: BuiltIn, expr: s.Apply) -> tuple[k.Core, Type]:
        """A function whose first parameter may be of several types; a list where nothing tells."""
        first, found = self.infer(expr.args[0])
        shapes = [self.as_here(shape()) for shape in (given.shape, *given.others)]
        for types, gives in shapes:
            if unify(found, types[0]):
                rest = [self.check(arg, kind)
                        for arg, kind in zip(expr.args[1:], types[1:], strict=True)]  # fmt: skip
                return k.Primitive(given.name, (first, *rest), expr.span), gives
        wanted = " or ".join(show_type(types[0]) for types, _ in shapes)
        self.world.error(
            "type_mismatch", f"{given.params[0]} of {given.name} must be of type {wanted}, but "
            f"this is of type {show_type(found)}", expr.args[0].span,
        )  # fmt: skip
        for arg in expr.args[1:]:
            self.infer(arg)
        return WRONG, UNKNOWN

    def loop(self, name: str, expr: s.Apply, wanted: Type | None) -> tuple[k.Core, Type]:
        """`fold(items, start, f)`, `map(items, f)`, `filter(items, f)`."""
        item, other = Hole(), Hole()
        shapes: dict[str, tuple[list[str], list[Type], Type]] = {
            "fold": (["items", "start", "f"], [listing(item), other, Fn((other, item), other)],
                     other),
            "map": (["items", "f"], [listing(item), Fn((item,), other)], listing(other)),
            "filter": (["items", "f"], [listing(item), Fn((item,), BOOL)], listing(item)),
        }  # fmt: skip
        params, types, result = shapes[name]
        lean(result, wanted)
        args = self.arguments(name, expr.args, params, types, expr.span)
        if args is None:
            return WRONG, result
        start = args[1] if name == "fold" else None
        return k.Loop(name, args[0], start, args[-1], expr.span), result  # type: ignore[arg-type]

    def lookup_maybe(self, expr: s.Apply) -> tuple[k.Core, Type]:
        """`lookup(container, key)`: `Some` of what is there, or `None`."""
        if len(expr.args) != 2:
            self.world.error("wrong_number", "lookup takes two arguments", expr.span)
            return WRONG, UNKNOWN
        found, kind = self.lookup(expr.args[0], expr.args[1], None, expr.span)
        nothing = k.Optional(None)
        if isinstance(found, k.Lookup):
            return replace(found, instead=nothing, wraps=True), maybe(kind)
        if isinstance(found, k.Fetch):
            return replace(found, instead=nothing, wraps=True), maybe(kind)
        return WRONG, maybe(kind)

    def lookup(
        self, container: s.Expr, key: s.Expr, instead: s.Expr | None, span: Span
    ) -> tuple[k.Core, Type]:
        base, kind = self.infer(container)
        index, of_key = self.infer(key)
        hole = Hole()
        settled = settle(kind)
        if isinstance(settled, Hole):
            settled = store_of(hole) if settle(of_key) == LOC else env(hole)
        name = settled.name if isinstance(settled, Con) else ""
        wanted: dict[str, tuple[Type, Type]] = {
            "Env": (NAME, env(hole)), "Store": (LOC, store_of(hole)),
            "Map": (of_key, map_of(of_key, hole)), "List": (self.world.as_here(INT), listing(hole)),
        }  # fmt: skip
        key_type, whole = wanted.get(name, (NAME, env(hole)))
        if isinstance(key, s.NumberLit) and key_type == INT:
            of_key = INT
        if not unify(kind, whole):
            self.mismatch(kind, whole, container.span)
        if not unify(of_key, key_type):
            self.mismatch(of_key, key_type, key.span)
        other = self.check(instead, hole) if instead is not None else None
        if name in ("Store", "Map", "List"):
            return k.Fetch(name.lower(), base, index, other, span), hole  # type: ignore[arg-type]
        return k.Lookup(base, index, other, span), hole

    def with_entry(
        self, container: s.Expr, key: s.Expr, value: s.Expr, span: Span, wanted: Type = UNKNOWN
    ) -> tuple[k.Core, Type]:
        """`container with key = value` on an environment, store or map: which of these an empty
        one is, the `wanted` type says, or the key."""
        base, kind = self.towards(container, wanted)
        expected = settle(wanted)
        if isinstance(settle(kind), Hole) and isinstance(expected, Con) and expected.name in KEYED:
            unify(kind, expected)
        index, of_key = self.infer(key)
        hole = Hole()
        settled = settle(kind)
        if isinstance(settled, Hole) and settle(of_key) == LOC:
            settled = store_of(hole)
        elif isinstance(settled, Hole):
            plain = settle(of_key) in (TEXT, NUMBER, INT, BOOL)
            settled = map_of(of_key, hole) if plain or span in self.maps else env(hole)
            if settled.name == "Env":
                self.environments[span] = None
        name = settled.name if isinstance(settled, Con) else ""
        by = settled.args[0] if isinstance(settled, Con) and name == "Map" else of_key
        known: dict[str, tuple[Type, Type]] = {
            "Env": (NAME, env(hole)), "Store": (LOC, store_of(hole)),
            "Map": (by, map_of(by, hole)),
        }  # fmt: skip
        if name not in known:
            if not isinstance(settled, Unknown):
                self.mismatch(kind, env(hole), container.span)
            self.infer(value)
            return WRONG, UNKNOWN
        key_type, whole = known[name]
        if not unify(kind, whole):
            self.mismatch(kind, whole, container.span)
        if not unify(of_key, key_type):
            self.mismatch(of_key, key_type, key.span)
        if name == "Map":
            self.plain_key(of_key, key.span)
        bound = self.check(value, hole)
        if name == "Env":
            return k.Extend(base, index, bound), whole
        return k.Primitive(f"{name.lower()}_with", (base, index, bound), span), whole

    def plain_key(self, kind: Type, span: Span) -> None:
        """Keys of maps and members of sets are compared, which functions cannot be."""
        if has_functions(kind):
            self.world.error(
                "type_mismatch", f"{show_type(kind)} cannot be a key of a map or a member of a "
                "set: functions cannot be compared", span,
            )  # fmt: skip

    def _sort_for(self, name: str, expr: s.Apply) -> Type:
        """The sort of a term of which nothing else is known: that of what it is held against, or of
        names."""
        if name == "alike" and len(expr.args) == 2:
            other = settle(self.infer(expr.args[1])[1])
            if not isinstance(other, Hole):
                return other
        named = self._sort_of_names(UNKNOWN)
        return Con(named) if named else UNKNOWN

    def _sort_of_names(self, kind: Type) -> str:
        """The sort of the form that marks an occurrence of a name: what a name stands for."""
        for constructor in self.world.constructors.values():
            if constructor.uses:
                return constructor.owner
        return kind.name if isinstance(kind, Con) else ""
