"""Checking calls: of functions, constructors and function values."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix import core as k
from embrix.brix import slips
from embrix.brix import syntax as s
from embrix.brix.scope import WRONG, Scope, other_number
from embrix.brix.world import FunctionSignature, count, lean, unify
from embrix.terms.types import (
    UNKNOWN,
    Fn,
    Hole,
    Type,
    Unknown,
    maybe,
    settle,
    show_type,
)
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


class CallChecks(Scope):
    """Functions, constructors and function values with their arguments."""

    def arguments(
        self, name: str, args: Sequence[s.Expr], names: Sequence[str], types: Sequence[Type],
        span: Span,
    ) -> tuple[k.Core, ...] | None:  # fmt: skip
        """The arguments of a call or constructor, or None after a wrong number of them."""
        if len(args) != len(types):
            self.world.error(
                "wrong_number", f"{name} takes {count(len(types), 'argument')}, not {len(args)}",
                span, f"write {name}({', '.join(names)})" if names else f"write {name}",
            )  # fmt: skip
            for arg in args:
                self.infer(arg)
            return None
        made: list[k.Core] = []
        wrong: list[tuple[int, Type]] = []
        for number, (arg, kind) in enumerate(zip(args, types, strict=True)):
            if not isinstance(arg, s.Ref | s.Make | s.Apply | s.Index | s.With):
                made.append(self.check(arg, kind))
                continue
            result, found = self.towards(arg, kind)
            made.append(result)
            if not unify(found, kind):
                wrong.append((number, found))
        self.misplaced(name, args, names, types, wrong)
        return tuple(made)

    def misplaced(
        self, callee: str, args: Sequence[s.Expr], names: Sequence[str], types: Sequence[Type],
        wrong: Sequence[tuple[int, Type]],
    ) -> None:  # fmt: skip
        """Arguments of a wrong type, told in the author's terms; two that stand in each other's
        place are one mistake."""
        if len(wrong) == 2:
            (one, first), (other, second) = wrong
            if settle(first) == settle(types[other]) and settle(second) == settle(types[one]):
                called = [
                    arg.name if isinstance(arg, s.Ref) else f"what belongs to {names[at]}"
                    for at, arg in ((other, args[one]), (one, args[other]))
                ]
                self.world.error(
                    "type_mismatch", f"{called[0]} stands where {names[one]} of {callee} belongs, "
                    f"and {called[1]} where {names[other]} does", args[one].span,
                    f"the order is {callee}({', '.join(names)})",
                )  # fmt: skip
                return
        for number, found in wrong:
            elsewhere = settle(found) in [settle(kind) for at, kind in enumerate(types)
                                          if at != number]  # fmt: skip
            self.world.error(
                "type_mismatch",
                f"{names[number]} of {callee} must be of type {show_type(types[number])}, "
                f"but this is of type {show_type(found)}", args[number].span,
                other_number(found, types[number])
                or (f"the order is {callee}({', '.join(names)})" if elsewhere
                    else self.wrapping(found, types[number])),
            )  # fmt: skip

    def make(self, expr: s.Make, wanted: Type | None = None) -> tuple[k.Core, Type]:
        name, args, span = expr.name, expr.args, expr.span
        constructor = self.world.constructors.get(name)
        if constructor is None and name in ("None", "Some"):
            hole = Hole()
            lean(maybe(hole), wanted)
            inside: list[Type] = [hole] if name == "Some" else []
            some = self.arguments(name, args, ["value"] * len(inside), inside, span)
            return k.Optional(some[0] if some else None), maybe(hole)
        if constructor is None and self.world.is_lost(name):
            for arg in args:
                self.infer(arg)
            return WRONG, UNKNOWN
        if constructor is None:
            hint = did_you_mean(name, self.world.constructors)
            if name in slips.CONSTANTS:
                hint = f"write {slips.CONSTANTS[name]}"
            if name in self.world.errors:
                hint = f"{name} is an error: write fail {name}"
            self.world.error(
                "unknown_constructor", f"there is no form or constructor called {name}", span, hint
            )
            for arg in args:
                self.infer(arg)
            return WRONG, UNKNOWN
        types, kind = self.world.instance(constructor)
        lean(kind, wanted)
        parts = self.arguments(name, args, constructor.fields, types, span)
        return (WRONG if parts is None else k.Build(constructor, parts)), kind

    def call_value(self, expr: s.Apply) -> tuple[k.Core, Type]:
        """A call of a function that is a value."""
        callee, kind = self.infer(expr.callee)
        settled = settle(kind)
        if isinstance(settled, Hole):
            settled = Fn(tuple(Hole() for _ in expr.args), Hole())
            unify(kind, settled)
        if not isinstance(settled, Fn):
            if not isinstance(settled, Unknown):
                self.world.error(
                    "not_a_function", f"this is of type {show_type(kind)}, which is no function",
                    expr.callee.span,
                )  # fmt: skip
            return WRONG, UNKNOWN
        names = ["_"] * len(settled.params)
        args = self.arguments("the function", expr.args, names, settled.params, expr.span)
        return (WRONG if args is None else k.CallValue(callee, args, expr.span)), settled.result

    def named_function(self, signature: FunctionSignature, span: Span) -> tuple[k.Core, Type]:
        """A function of the definition as a value."""
        types, result = signature.instance()
        slots = tuple(self.slot() for _ in types)
        call = k.Call(signature.name, tuple(k.Local(slot) for slot in slots), span)
        kind = Fn(types, result)
        return k.Lambda(slots, call, span, kind), kind
