"""Checking expressions: names, numbers of arguments, types. What comes out is core.

A part that is wrong is reported once; its type is then unknown and agrees with everything, so that
it hides nothing else and causes no further reports.
"""

from __future__ import annotations

from embrix.brix import core as k
from embrix.brix import slips
from embrix.brix import syntax as s
from embrix.brix.blocks import Blocks
from embrix.brix.built_in_calls import BUILT_IN
from embrix.brix.patterns import Patterns
from embrix.brix.scope import WRONG
from embrix.brix.world import lean, unify
from embrix.terms.node import NONE, SOME
from embrix.terms.types import (
    BOOL,
    INT,
    NAME,
    NUMBER,
    TEXT,
    UNKNOWN,
    Con,
    Fn,
    Hole,
    Tup,
    Type,
    env,
    listing,
    maybe,
    settle,
)
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean

_ARITHMETIC = {
    "+": "add", "-": "subtract", "*": "multiply", "/": "divide", "div": "floor_divide",
    "mod": "modulo",
}  # fmt: skip
_ORDER = {"<": "less", "<=": "at_most", ">": "more", ">=": "at_least"}


class Infer(Blocks):
    """Checks the inside of one function."""

    def check(self, expr: s.Expr, wanted: Type) -> k.Core:
        """An expression that must have a type."""
        if isinstance(expr, s.If):
            return k.Test(
                self.check(expr.test, BOOL), self.check(expr.yes, wanted),
                self.check(expr.no, wanted),
            )  # fmt: skip
        if isinstance(expr, s.Match):
            return self.match(expr, wanted)
        if isinstance(expr, s.Block):
            return self.block(expr, wanted)
        if isinstance(expr, s.NumberLit) and settle(wanted) == INT:
            if not isinstance(expr.value, int):
                self.mismatch(NUMBER, wanted, expr.span)
            return k.Const(expr.value)
        if isinstance(expr, s.Tuple):
            return self.tuple_value(expr, wanted)
        settled = settle(wanted)
        if isinstance(expr, s.ListOf) and isinstance(settled, Con) and settled.name == "List":
            items = tuple(self.check(item, settled.args[0]) for item in expr.items)
            tail = self.check(expr.rest, settled) if expr.rest is not None else None
            return k.BuildList(items, tail)
        if isinstance(expr, s.Lambda):
            return self.function_value(expr, wanted)
        if isinstance(expr, s.Attempt):
            return self.attempt(expr, wanted)
        if isinstance(expr, s.AnyOf):
            return self.any_of(expr, wanted)
        result, found = self.towards(expr, wanted)
        if not unify(found, wanted):
            self.mismatch(found, wanted, expr.span)
        return result

    def towards(self, expr: s.Expr, wanted: Type) -> tuple[k.Core, Type]:
        """An expression with its type, where `wanted` says what is generic in it, and what `empty`
        is if nothing else does."""
        match expr:
            case s.With():
                return self.with_entry(expr.container, expr.key, expr.value, expr.span, wanted)
            case s.Make():
                return self.make(expr, wanted)
            case s.Apply():
                return self.apply(expr, wanted)
        return self.infer(expr)

    def tuple_value(self, expr: s.Tuple, wanted: Type) -> k.Core:
        kind = settle(wanted)
        if isinstance(kind, Tup) and len(kind.items) == len(expr.items):
            items = [self.check(e, t) for e, t in zip(expr.items, kind.items, strict=True)]
            return k.BuildTuple(tuple(items))
        pairs = [self.infer(item) for item in expr.items]
        found = Tup(tuple(t for _, t in pairs))
        if not unify(found, wanted):
            self.mismatch(found, wanted, expr.span)
        return k.BuildTuple(tuple(c for c, _ in pairs))

    def infer(self, expr: s.Expr) -> tuple[k.Core, Type]:
        """An expression with its type."""
        match expr:
            case s.NumberLit(value):
                floating = self.world.numbers == "float"
                return k.Const(float(value) if floating else value), NUMBER
            case s.TextLit(parts):
                return self.text(parts), TEXT
            case s.Ref():
                return self.reference(expr)
            case s.Make():
                return self.make(expr)
            case s.Apply():
                return self.apply(expr)
            case s.Index(container, key, span):
                return self.lookup(container, key, None, span)
            case s.Otherwise(value, instead, span):
                return self.otherwise(value, instead, span)
            case s.Binary():
                return self.binary(expr)
            case s.Unary("not", operand, _):
                return k.Test(self.check(operand, BOOL), k.Const(False), k.Const(True)), BOOL
            case s.Unary(_, operand, span):
                negated, kind = self.infer(operand)
                self.numeric(kind, operand)
                return k.Primitive("negate", (negated,), span), kind
            case s.With(container, key, value, span):
                return self.with_entry(container, key, value, span)
            case s.WithAll(container, items, _):
                hole = Hole()
                base = self.check(container, env(hole))
                pairs = self.check(items, listing(Tup((NAME, hole))))
                return k.ExtendAll(base, pairs), env(hole)
            case s.ListOf():
                kind = listing(Hole())
                return self.check(expr, kind), kind
            case s.Fail():
                return self.failure(expr), Hole()
            case s.Repeat():
                return self.repeat(expr)
            case s.Todo(note, span, code):
                return k.Todo(note, span, code), Hole()
            case s.If() | s.Match() | s.Block() | s.Tuple() | s.Lambda() | s.Attempt() | s.AnyOf():
                hole = Hole()
                return self.check(expr, hole), hole
            case s.ChoiceIs():
                return self.choice_is(expr), BOOL
            case s.Ask(span):
                if expr is not self.may_ask:
                    self.world.error(
                        "wrong_place", "input is asked for in a line of its own", span,
                        "write: let line = ask()",
                    )  # fmt: skip
                return k.Ask(), maybe(TEXT)

    # ---------------------------------------------------------------- names and calls

    def reference(self, expr: s.Ref) -> tuple[k.Core, Type]:
        name = expr.name
        found = self.find(name)
        if found is not None:
            self.world.blame(found[1])
            return k.Local(found[0]), found[1]
        if name in ("true", "false"):
            return k.Const(name == "true"), BOOL
        if name == "empty":
            hole = Hole()
            return k.Empty(hole), hole
        if name in self.world.functions:
            return self.named_function(self.world.functions[name], expr.span)
        if name in self.world.choices:
            self.world.error(
                "wrong_place", f"{name} is a choice: it is asked for an alternative", expr.span,
                f"write {name} is {self.world.choices[name].default}, or match {name}",
            )  # fmt: skip
            return WRONG, UNKNOWN
        if self.world.is_lost(name):
            return WRONG, UNKNOWN
        known = [*self.visible(), *self.world.functions, *BUILT_IN]
        meant = slips.CONSTANTS.get(name)
        self.world.error(
            "unknown_name", f"nothing called {name} is known here", expr.span,
            f"write {meant}" if meant else did_you_mean(name, known),
        )  # fmt: skip
        return WRONG, UNKNOWN

    def apply(self, expr: s.Apply, wanted: Type | None = None) -> tuple[k.Core, Type]:
        span = expr.span
        if not isinstance(expr.callee, s.Ref) or self.find(expr.callee.name) is not None:
            return self.call_value(expr)
        name = expr.callee.name
        signature = self.world.functions.get(name)
        if signature is None:
            return self.built_in(name, expr, wanted)
        types, result = signature.instance()
        lean(result, wanted)
        self.world.blame(*types, result)
        args = self.arguments(name, expr.args, signature.params, types, span)
        call = WRONG if args is None else k.Call(name, args, span)
        return call, result

    def function_value(self, expr: s.Lambda, wanted: Type) -> k.Core:
        """`fn(PATTERN, …) => BODY`: each parameter is a pattern that takes everything."""
        kinds: tuple[Type, ...] = tuple(Hole() for _ in expr.params)
        result: Type = Hole()
        if not unify(Fn(kinds, result), wanted):
            self.mismatch(Fn(kinds, result), wanted, expr.span)
        slots = tuple(self.slot() for _ in kinds)
        self.scopes.append({})
        patterns = Patterns(self.world, self.declare)
        parts = tuple(patterns.check(p, t) for p, t in zip(expr.params, kinds, strict=True))
        body = self.check(expr.body, result)
        self.scopes.pop()
        clause = k.CoreClause(parts, None, body, expr.span)
        subjects = tuple(k.Local(slot) for slot in slots)
        inner = k.Match(subjects, slots, (clause,), expr.span) if slots else body
        return k.Lambda(slots, inner, expr.span, Fn(kinds, result))

    # ---------------------------------------------------------------- operators and texts

    def binary(self, expr: s.Binary) -> tuple[k.Core, Type]:
        op, span = expr.operator, expr.span
        if op in ("and", "or"):
            left, right = self.check(expr.left, BOOL), self.check(expr.right, BOOL)
            if op == "and":
                return k.Test(left, right, k.Const(False)), BOOL
            return k.Test(left, k.Const(True), right), BOOL
        left, kind = self.infer(expr.left)
        if isinstance(expr.left, s.NumberLit) and not isinstance(expr.right, s.NumberLit):
            right, kind = self.infer(expr.right)
            left = self.check(expr.left, kind)
        else:
            right = self.check(expr.right, kind)
        if op in ("==", "!="):
            plain = settle(kind) in (NUMBER, INT, NAME, TEXT, BOOL)
            equal = k.Primitive("equal_plain" if plain else "equal", (left, right), span)
            return (equal if op == "==" else k.Test(equal, k.Const(False), k.Const(True))), BOOL
        if op in _ORDER:
            if settle(kind) != TEXT:
                self.numeric(kind, expr.left)
            return k.Primitive(_ORDER[op], (left, right), span), BOOL
        self.numeric(kind, expr.left)
        if op == "/" and settle(kind) == INT:
            self.world.error(
                "type_mismatch", "`/` divides Number, not Int", span, "write `div` or `mod`"
            )
        return k.Primitive(_ARITHMETIC[op], (left, right), span), kind

    def otherwise(self, value: s.Expr, instead: s.Expr, span: Span) -> tuple[k.Core, Type]:
        if isinstance(value, s.Index):
            return self.lookup(value.container, value.key, instead, span)
        hole = Hole()
        subject = self.check(value, maybe(hole))
        slot, inner = self.slot(), self.slot()
        some = k.CoreClause((k.Shape(SOME, (k.Bind(inner),), True),), None, k.Local(inner), span)
        none = k.CoreClause((k.Shape(NONE, (), True),), None, self.check(instead, hole), span)
        return k.Match((subject,), (slot,), (some, none), span), hole

    def text(self, parts: tuple[str | s.Expr, ...]) -> k.Core:
        if all(isinstance(part, str) for part in parts):
            return k.Const("".join(part for part in parts if isinstance(part, str)))
        return k.Template(
            tuple(part if isinstance(part, str) else self.infer(part)[0] for part in parts)
        )

    # ---------------------------------------------------------------- failures

    def failure(self, expr: s.Fail) -> k.Core:
        """What is wrong with it matters only to a run that comes to it."""
        mark = self.world.mark()
        made = self._failure(expr)
        return self.world.contain(mark, expr.span) or made

    def _failure(self, expr: s.Fail) -> k.Core:
        error = self.world.errors.get(expr.error)
        at = self.infer(expr.at)[0] if expr.at is not None else None
        if error is None:
            if not self.world.is_lost(expr.error):
                self.world.error(
                    "unknown_error", f"no error called {expr.error} is declared", expr.span,
                    did_you_mean(
                        expr.error, self.world.errors, f"declare: error {expr.error} \"…\""
                    ),
                )  # fmt: skip
            for arg in expr.args:
                self.infer(arg)
            return WRONG
        args = self.arguments(expr.error, expr.args, error.fields, error.types, expr.span)
        return WRONG if args is None else k.Fail(error, args, at, expr.span)
