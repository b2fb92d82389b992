"""Checking expressions: names, numbers of arguments, types. What comes out is core.

A part that is wrong is reported once; its type is then unknown and agrees with everything, so that
it hides nothing else and causes no further reports.
"""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.builtins import BUILT_INS
from embrix.brix.patterns import Patterns
from embrix.brix.world import Signature, World, count, unify
from embrix.terms.node import NONE, SOME
from embrix.terms.types import (
    BOOL,
    INT,
    NAME,
    NUMBER,
    TEXT,
    UNKNOWN,
    Con,
    Hole,
    Tup,
    Type,
    Unknown,
    env,
    listing,
    maybe,
    settle,
    show_type,
)
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean

WRONG: k.Core = k.Const(False)
"""Stands in for an expression that was reported."""

_ARITHMETIC = {
    "+": "add", "-": "subtract", "*": "multiply", "/": "divide", "div": "floor_divide",
    "mod": "modulo",
}  # fmt: skip
_ORDER = {"<": "less", "<=": "at_most", ">": "more", ">=": "at_least"}

BUILT_IN = ("free", "substitute", "alike", "fresh", "final", "empty")


class Infer:
    """Checks the inside of one function."""

    def __init__(self, world: World) -> None:
        self.world = world
        self.scopes: list[dict[str, tuple[int, Type]]] = [{}]
        self.slots = 0

    # ---------------------------------------------------------------- variables

    def slot(self) -> int:
        self.slots += 1
        return self.slots - 1

    def declare(self, name: str, kind: Type, _span: Span) -> int:
        number = self.slot()
        self.scopes[-1][name] = (number, kind)
        return number

    def find(self, name: str) -> tuple[int, Type] | None:
        for scope in reversed(self.scopes):
            if name in scope:
                return scope[name]
        return None

    def visible(self) -> list[str]:
        return [name for scope in self.scopes for name in scope]

    # ---------------------------------------------------------------- checking

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
        result, found = self.infer(expr)
        if not unify(found, wanted):
            self.mismatch(found, wanted, expr.span)
        return result

    def mismatch(self, found: Type, wanted: Type, span: Span) -> None:
        self.world.error(
            "type_mismatch",
            f"this is of type {show_type(found)}, but {show_type(wanted)} is expected here", span,
        )  # fmt: skip

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
                hole = Hole()
                base = self.check(container, env(hole))
                name = self.check(key, NAME)
                return k.Extend(base, name, self.check(value, hole)), env(hole)
            case s.WithAll(container, items, _):
                hole = Hole()
                base = self.check(container, env(hole))
                pairs = self.check(items, listing(Tup((NAME, hole))))
                return k.ExtendAll(base, pairs), env(hole)
            case s.ListOf(items, rest, _):
                hole = Hole()
                firsts = tuple(self.check(item, hole) for item in items)
                tail = self.check(rest, listing(hole)) if rest is not None else None
                return k.BuildList(firsts, tail), listing(hole)
            case s.Fail():
                return self.failure(expr), Hole()
            case s.Repeat():
                return self.repeat(expr)
            case s.Todo(note, span):
                return k.Todo(note, span), Hole()
            case s.If() | s.Match() | s.Block() | s.Tuple():
                hole = Hole()
                return self.check(expr, hole), hole

    # ---------------------------------------------------------------- names and calls

    def reference(self, expr: s.Ref) -> tuple[k.Core, Type]:
        name = expr.name
        found = self.find(name)
        if found is not None:
            return k.Local(found[0]), found[1]
        if name in ("true", "false"):
            return k.Const(name == "true"), BOOL
        if name == "empty":
            hole = Hole()
            return k.Empty(hole), hole
        if name in self.world.functions:
            self.world.error(
                "function_as_value", f"{name} is a function and must be called", expr.span,
                f"write {name}(…)",
            )  # fmt: skip
            return WRONG, UNKNOWN
        known = [*self.visible(), *self.world.functions, *BUILT_IN]
        self.world.error(
            "unknown_name", f"nothing called {name} is known here", expr.span,
            did_you_mean(name, known),
        )  # fmt: skip
        return WRONG, UNKNOWN

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
        return tuple(
            self.argument(name, arg, part, kind)
            for arg, part, kind in zip(args, names, types, strict=True)
        )

    def argument(self, callee: str, arg: s.Expr, name: str, kind: Type) -> k.Core:
        """An argument; a wrong type is told in the author's terms."""
        if not isinstance(arg, s.Ref | s.Make | s.Apply | s.Index | s.With):
            return self.check(arg, kind)
        result, found = self.infer(arg)
        if not unify(found, kind):
            self.world.error(
                "type_mismatch",
                f"{name} of {callee} must be of type {show_type(kind)}, "
                f"but this is of type {show_type(found)}", arg.span,
            )  # fmt: skip
        return result

    def make(self, expr: s.Make) -> tuple[k.Core, Type]:
        name, args, span = expr.name, expr.args, expr.span
        constructor = self.world.constructors.get(name)
        if constructor is None and name in ("None", "Some"):
            hole = Hole()
            types = [hole] if name == "Some" else []
            some = self.arguments(name, args, ["value"] * len(types), types, span)
            return k.Optional(some[0] if some else None), maybe(hole)
        if constructor is None:
            hint = did_you_mean(name, self.world.constructors)
            if name in self.world.errors:
                hint = f"{name} is an error: write fail {name}"
            self.world.error(
                "unknown_constructor", f"there is no form or constructor called {name}", span, hint
            )
            for arg in args:
                self.infer(arg)
            return WRONG, UNKNOWN
        parts = self.arguments(name, args, constructor.fields, constructor.types, span)
        kind = Con(constructor.owner)
        return (WRONG if parts is None else k.Build(constructor, parts)), kind

    def apply(self, expr: s.Apply) -> tuple[k.Core, Type]:
        span = expr.span
        if not isinstance(expr.callee, s.Ref):
            self.world.error("not_a_function", "only a function can be called", span)
            return WRONG, UNKNOWN
        name = expr.callee.name
        if self.find(name) is not None:
            self.world.error("not_a_function", f"{name} is no function", expr.callee.span)
            return WRONG, UNKNOWN
        signature = self.world.functions.get(name)
        if signature is None:
            return self.built_in(name, expr)
        args = self.arguments(name, expr.args, signature.params, signature.types, span)
        call = WRONG if args is None else k.Call(name, args, span)
        return call, signature.result

    def built_in(self, name: str, expr: s.Apply) -> tuple[k.Core, Type]:
        """The operations that the binding of the forms gives."""
        names = Con("Set", (NAME,))
        if name == "final":
            return self.is_final(expr)
        if name in ("free", "substitute", "alike"):
            subject = expr.args[:1] if name == "alike" else expr.args[-1:]
            term: Type = Hole()
            core = self.check(subject[0], term) if subject else WRONG
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
        if given is not None:
            shape, gives = given.shape()
            args = self.arguments(name, expr.args, given.params, shape, expr.span)
            return (WRONG if args is None else k.Primitive(name, args, expr.span)), gives
        known = [*self.world.functions, *BUILT_IN, *BUILT_INS]
        self.world.error(
            "unknown_name", f"there is no function called {name}", expr.callee.span,
            did_you_mean(name, known),
        )  # fmt: skip
        for arg in expr.args:
            self.infer(arg)
        return WRONG, UNKNOWN

    def _sort_of_names(self, kind: Type) -> str:
        """The sort of the form that marks an occurrence of a name: what a name stands for."""
        for constructor in self.world.constructors.values():
            if constructor.uses:
                return constructor.owner
        return kind.name if isinstance(kind, Con) else ""

    def is_final(self, expr: s.Apply) -> tuple[k.Core, Type]:
        if len(expr.args) != 1:
            self.world.error("wrong_number", "final takes one argument", expr.span)
            return WRONG, BOOL
        value, kind = self.infer(expr.args[0])
        function = self.relation_on(kind)
        if function is None:
            self.world.error(
                "no_relation", f"no small-step relation works on {show_type(kind)}", expr.span,
                "a relation is a `define … by` with `final` lines",
            )  # fmt: skip
            return WRONG, BOOL
        return k.IsFinal(function.name, value), BOOL

    def relation_on(self, kind: Type) -> Signature | None:
        kind = settle(kind)
        for signature in self.world.functions.values():
            if signature.small_step and settle(signature.types[signature.subjects[0]]) == kind:
                return signature
        return None

    def repeat(self, expr: s.Repeat) -> tuple[k.Core, Type]:
        signature = self.world.functions.get(expr.step)
        if signature is None or not signature.small_step:
            relations = [f.name for f in self.world.functions.values() if f.small_step]
            self.world.error(
                "no_relation", f"{expr.step} is no small-step relation", expr.span,
                did_you_mean(expr.step, relations, "a relation has `final` lines"),
            )  # fmt: skip
            for arg in expr.args:
                self.infer(arg)
            return WRONG, UNKNOWN
        args = self.arguments(expr.step, expr.args, signature.params, signature.types, expr.span)
        return (WRONG if args is None else k.Repeat(expr.step, args, expr.span)), signature.result

    # ---------------------------------------------------------------- operators

    def numeric(self, kind: Type, at: s.Expr) -> None:
        settled = settle(kind)
        if isinstance(settled, Hole):
            unify(settled, NUMBER)
        elif settled not in (NUMBER, INT) and not isinstance(settled, Unknown):
            self.mismatch(kind, NUMBER, at.span)

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

    def lookup(
        self, container: s.Expr, key: s.Expr, instead: s.Expr | None, span: Span
    ) -> tuple[k.Core, Type]:
        hole = Hole()
        base = self.check(container, env(hole))
        name = self.check(key, NAME)
        other = self.check(instead, hole) if instead is not None else None
        return k.Lookup(base, name, other, span), hole

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

    def failure(self, expr: s.Fail) -> k.Core:
        error = self.world.errors.get(expr.error)
        at = self.infer(expr.at)[0] if expr.at is not None else None
        if error is None:
            self.world.error(
                "unknown_error", f"no error called {expr.error} is declared", expr.span,
                did_you_mean(expr.error, self.world.errors, f"declare: error {expr.error} \"…\""),
            )  # fmt: skip
            for arg in expr.args:
                self.infer(arg)
            return WRONG
        args = self.arguments(expr.error, expr.args, error.fields, error.types, expr.span)
        return WRONG if args is None else k.Fail(error, args, at, expr.span)

    # ---------------------------------------------------------------- blocks and clauses

    def block(self, expr: s.Block, wanted: Type) -> k.Core:
        return self.lines(expr.lines, expr.result, wanted)

    def lines(
        self, lines: Sequence[s.Let | s.Require | s.Emit], result: s.Expr, wanted: Type
    ) -> k.Core:
        if not lines:
            return self.check(result, wanted)
        line, rest = lines[0], lines[1:]
        if isinstance(line, s.Emit):
            text = self.check(line.text, TEXT)
            return k.Emit(text, self.lines(rest, result, wanted))
        if isinstance(line, s.Require):
            test = self.check(line.test, BOOL)
            otherwise = self.check(line.otherwise, wanted)
            return k.Test(test, self.lines(rest, result, wanted), otherwise)
        value, kind = self.infer(line.value)
        slot = self.slot()
        misses = tuple(self.clause(miss, [kind], wanted) for miss in line.misses)
        self.scopes.append({})
        pattern = Patterns(self.world, self.declare).check(line.pattern, kind)
        then = self.lines(rest, result, wanted)
        self.scopes.pop()
        hit = k.CoreClause((pattern,), None, then, line.pattern.span)
        return k.Match((value,), (slot,), (hit, *misses), line.span)

    def match(self, expr: s.Match, wanted: Type) -> k.Core:
        pairs = [self.infer(subject) for subject in expr.subjects]
        types = [kind for _, kind in pairs]
        slots = tuple(self.slot() for _ in pairs)
        clauses = tuple(self.clause(clause, types, wanted) for clause in expr.clauses)
        return k.Match(tuple(core for core, _ in pairs), slots, clauses, expr.span)

    def clause(self, clause: s.Clause, types: Sequence[Type], wanted: Type) -> k.CoreClause:
        if len(clause.patterns) != len(types):
            self.world.error(
                "wrong_number", f"this clause has {count(len(clause.patterns), 'pattern')} for "
                f"{count(len(types), 'subject')}", clause.span,
            )  # fmt: skip
        self.scopes.append({})
        patterns = Patterns(self.world, self.declare)
        parts = tuple(patterns.check(p, t) for p, t in zip(clause.patterns, types, strict=False))
        parts += tuple(k.Bind(None) for _ in types[len(parts) :])
        guard = self.check(clause.guard, BOOL) if clause.guard is not None else None
        body = self.check(clause.body, wanted)
        self.scopes.pop()
        return k.CoreClause(parts, guard, body, clause.span)
