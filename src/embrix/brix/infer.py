"""Checking expressions: names, numbers of arguments, types. What comes out is core.

A part that is wrong is reported once; its type is then unknown and agrees with everything, so that
it hides nothing else and causes no further reports.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from embrix.brix import core as k
from embrix.brix import slips
from embrix.brix import syntax as s
from embrix.brix.builtins import BUILT_INS, BuiltIn
from embrix.brix.patterns import Patterns
from embrix.brix.world import FunctionSignature, World, components, count, unify
from embrix.terms.node import NONE, SOME
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
    Tup,
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

WRONG: k.Core = k.Todo("this rests on what is wrong elsewhere", Span(0, 0), "unknown_type")
"""Stands in for an expression that was reported."""

_ARITHMETIC = {
    "+": "add", "-": "subtract", "*": "multiply", "/": "divide", "div": "floor_divide",
    "mod": "modulo",
}  # fmt: skip
_ORDER = {"<": "less", "<=": "at_most", ">": "more", ">=": "at_least"}

KEYED = ("Env", "Store", "Map")
"""Types of what has something under each of some keys."""
BUILT_IN = (
    "free", "substitute", "alike", "fresh", "final", "empty", "fold", "map", "filter", "lookup",
)  # fmt: skip


def as_number(found: Type, wanted: Type) -> str:
    """How an Int is written where a number of the language is wanted."""
    return "write number(…)" if (settle(found), settle(wanted)) == (INT, NUMBER) else ""


class Infer:
    """Checks the inside of one function."""

    def __init__(self, world: World, *, wavering: bool = False) -> None:
        """One that is `wavering` leaves open of what sort a term is that nothing tells yet."""
        self.world = world
        self._wavering = wavering
        self.scopes: list[dict[str, tuple[int, Type]]] = [{}]
        self.may_ask: s.Ask | None = None
        self.slots = 0
        self.bound: dict[tuple[int, int], Type] = {}
        """The type of each name by where it is bound, in the text of the definition."""
        self.matches: list[tuple[str, k.Match, list[Type]]] = []
        """What has clauses inside of an expression, by its word, with the types of what they take
        apart."""

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
        settled = settle(wanted)
        if isinstance(expr, s.ListOf) and isinstance(settled, Con) and settled.name == "List":
            items = tuple(self.check(item, settled.args[0]) for item in expr.items)
            tail = self.check(expr.rest, settled) if expr.rest is not None else None
            return k.BuildList(items, tail)
        if isinstance(expr, s.Lambda):
            return self.function_value(expr, wanted)
        if isinstance(expr, s.Attempt):
            return self.attempt(expr, wanted)
        result, found = self.towards(expr, wanted)
        if not unify(found, wanted):
            self.mismatch(found, wanted, expr.span)
        return result

    def towards(self, expr: s.Expr, wanted: Type) -> tuple[k.Core, Type]:
        """An expression with its type, where `wanted` says what `empty` is if nothing else does."""
        if isinstance(expr, s.With):
            return self.with_entry(expr.container, expr.key, expr.value, expr.span, wanted)
        return self.infer(expr)

    def mismatch(self, found: Type, wanted: Type, span: Span) -> None:
        self.world.error(
            "type_mismatch",
            f"this is of type {show_type(found)}, but {show_type(wanted)} is expected here", span,
            as_number(found, wanted) or self.wrapping(found, wanted),
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
            case s.If() | s.Match() | s.Block() | s.Tuple() | s.Lambda() | s.Attempt():
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
            self.world.error(
                "type_mismatch",
                f"{names[number]} of {callee} must be of type {show_type(types[number])}, "
                f"but this is of type {show_type(found)}", args[number].span,
                as_number(found, types[number])
                or (f"the order is {callee}({', '.join(names)})" if len(names) > 1
                    else self.wrapping(found, types[number])),
            )  # fmt: skip

    def make(self, expr: s.Make) -> tuple[k.Core, Type]:
        name, args, span = expr.name, expr.args, expr.span
        constructor = self.world.constructors.get(name)
        if constructor is None and name in ("None", "Some"):
            hole = Hole()
            wanted: list[Type] = [hole] if name == "Some" else []
            some = self.arguments(name, args, ["value"] * len(wanted), wanted, span)
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
        parts = self.arguments(name, args, constructor.fields, types, span)
        return (WRONG if parts is None else k.Build(constructor, parts)), kind

    def apply(self, expr: s.Apply) -> tuple[k.Core, Type]:
        span = expr.span
        if not isinstance(expr.callee, s.Ref) or self.find(expr.callee.name) is not None:
            return self.call_value(expr)
        name = expr.callee.name
        signature = self.world.functions.get(name)
        if signature is None:
            return self.built_in(name, expr)
        types, result = signature.instance()
        self.world.blame(*types, result)
        args = self.arguments(name, expr.args, signature.params, types, span)
        call = WRONG if args is None else k.Call(name, args, span)
        return call, result

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
        return k.Lambda(slots, call, span), Fn(types, result)

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
        return k.Lambda(slots, inner, expr.span)

    def attempt(self, expr: s.Attempt, wanted: Type) -> k.Core:
        value = self.check(expr.value, wanted)
        handlers: list[k.Handler] = []
        for clause in expr.handlers:
            pattern = clause.patterns[0]
            error = self.world.errors.get(pattern.name) if isinstance(pattern, s.PMake) else None
            if error is None or not isinstance(pattern, s.PMake):
                known = ", ".join(self.world.errors)
                self.world.error(
                    "unknown_error", "only a declared error can be caught", pattern.span,
                    f"declared are {known}" if known else "declare: error NAME \"…\"",
                )  # fmt: skip
                continue
            if len(pattern.args) != len(error.types):
                self.world.error(
                    "wrong_number", f"{error.name} has {count(len(error.types), 'field')}",
                    pattern.span,
                )  # fmt: skip
                continue
            self.scopes.append({})
            patterns = Patterns(self.world, self.declare)
            parts = tuple(
                patterns.check(p, t) for p, t in zip(pattern.args, error.types, strict=True)
            )
            guard = self.check(clause.guard, BOOL) if clause.guard is not None else None
            handlers.append(k.Handler(error, parts, guard, self.check(clause.body, wanted)))
            self.scopes.pop()
        return k.Attempt(value, tuple(handlers), expr.span)

    # ---------------------------------------------------------------- choices

    def choice_is(self, expr: s.ChoiceIs) -> k.Core:
        choice = self.world.choices.get(expr.name)
        if choice is None:
            self.world.error(
                "unknown_name", f"there is no choice called {expr.name}", expr.span,
                did_you_mean(expr.name, self.world.choices),
            )  # fmt: skip
        elif expr.alternative not in choice.alternatives:
            self.unknown_alternative(choice, expr.alternative, expr.span)
        else:
            return k.Decided(expr.name, expr.alternative)
        return WRONG

    def unknown_alternative(self, choice: k.Choice, name: str, span: Span) -> None:
        known = ", ".join(choice.alternatives)
        self.world.error(
            "unknown_name", f"{choice.name} has no alternative called {name}", span,
            did_you_mean(name, choice.alternatives, f"they are {known}"),
        )  # fmt: skip

    def match_choice(self, choice: k.Choice, expr: s.Match, wanted: Type) -> k.Core:
        """`match CHOICE`: one line for each alternative, or `_` for all others."""
        result: k.Core | None = None
        for clause in reversed(expr.clauses):
            pattern = clause.patterns[0]
            body = self.check(clause.body, wanted)
            if isinstance(pattern, s.PAny):
                result = body
            elif isinstance(pattern, s.PVar) and pattern.name in choice.alternatives:
                test = k.Decided(choice.name, pattern.name)
                result = body if result is None else k.Test(test, body, result)
            else:
                name = pattern.name if isinstance(pattern, s.PVar) else "this"
                self.unknown_alternative(choice, name, pattern.span)
        named = {p.name for c in expr.clauses if isinstance(p := c.patterns[0], s.PVar)}
        others = any(isinstance(clause.patterns[0], s.PAny) for clause in expr.clauses)
        missing = [name for name in choice.alternatives if name not in named]
        if missing and not others:
            self.world.error(
                "missing_clause", f"nothing is said for {', '.join(missing)} of {choice.name}",
                expr.span, f"add: {missing[0]} => …",
            )  # fmt: skip
        return result if result is not None else WRONG

    def built_in(self, name: str, expr: s.Apply) -> tuple[k.Core, Type]:
        """The operations that the binding of the forms gives."""
        if self.world.is_lost(name):
            for arg in expr.args:
                self.infer(arg)
            return WRONG, UNKNOWN
        names = Con("Set", (NAME,))
        if name == "final":
            return self.is_final(expr)
        if name in ("fold", "map", "filter"):
            return self.loop(name, expr)
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
            shape, gives = given.shape()
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

    def of_several_types(self, given: BuiltIn, expr: s.Apply) -> tuple[k.Core, Type]:
        """A function whose first parameter may be of several types; a list where nothing tells."""
        first, found = self.infer(expr.args[0])
        shapes = [shape() for shape in (given.shape, *given.others)]
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

    def loop(self, name: str, expr: s.Apply) -> tuple[k.Core, Type]:
        """`fold(items, start, f)`, `map(items, f)`, `filter(items, f)`."""
        item, other = Hole(), Hole()
        shapes: dict[str, tuple[list[str], list[Type], Type]] = {
            "fold": (["items", "start", "f"], [listing(item), other, Fn((other, item), other)],
                     other),
            "map": (["items", "f"], [listing(item), Fn((item,), other)], listing(other)),
            "filter": (["items", "f"], [listing(item), Fn((item,), BOOL)], listing(item)),
        }  # fmt: skip
        params, types, result = shapes[name]
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
        elif isinstance(settled, Hole) and settle(of_key) in (TEXT, NUMBER, INT, BOOL):
            settled = map_of(of_key, hole)
        elif isinstance(settled, Hole):
            settled = env(hole)
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
        """The sort of a term of which nothing else is told: that of what it is held against, or of
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

    def is_final(self, expr: s.Apply) -> tuple[k.Core, Type]:
        if len(expr.args) != 1:
            self.world.error("wrong_number", "final takes one argument", expr.span)
            return WRONG, BOOL
        value, kind = self.infer(expr.args[0])
        settled = settle(kind)
        item = settled.args[0] if isinstance(settled, Con) and settled.name == "List" else None
        function = self.relation_on(item or kind)
        if function is None:
            self.world.error(
                "no_relation", f"no small-step relation works on {show_type(kind)}", expr.span,
                "a relation is a `define … by` with `final` lines",
            )  # fmt: skip
            return WRONG, BOOL
        return k.IsFinal(function.name, value, item is not None), BOOL

    def relation_on(self, kind: Type) -> FunctionSignature | None:
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
        threads: list[int] = []
        for kind in components(signature.result):
            fits = [
                number
                for number, own in enumerate(signature.types)
                if number not in signature.subjects and show_type(own) == show_type(kind)
                and number not in threads
            ]  # fmt: skip
            if not fits:
                self.world.error(
                    "type_mismatch", f"a step gives {show_type(kind)} besides, and {expr.step} "
                    "takes no parameter of that type", expr.span,
                )  # fmt: skip
                return WRONG, signature.result
            threads.append(fits[0])
        done = WRONG if args is None else k.Repeat(expr.step, args, expr.span, tuple(threads))
        return done, signature.result

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
        base, kind = self.infer(container)
        index, of_key = self.infer(key)
        hole = Hole()
        settled = settle(kind)
        if isinstance(settled, Hole):
            settled = store_of(hole) if settle(of_key) == LOC else env(hole)
        name = settled.name if isinstance(settled, Con) else ""
        wanted: dict[str, tuple[Type, Type]] = {
            "Env": (NAME, env(hole)), "Store": (LOC, store_of(hole)),
            "Map": (of_key, map_of(of_key, hole)), "List": (INT, listing(hole)),
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

    # ---------------------------------------------------------------- blocks and clauses

    def block(self, expr: s.Block, wanted: Type) -> k.Core:
        return self.lines(expr.lines, expr.result, wanted)

    def lines(self, lines: Sequence[s.Line], result: s.Expr, wanted: Type) -> k.Core:
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
        if isinstance(line, s.LetRec):
            return self.knot(line, rest, result, wanted)
        asked = line.value.value if isinstance(line.value, s.Otherwise) else line.value
        self.may_ask = asked if isinstance(asked, s.Ask) else None
        value, kind = self.infer(line.value)
        slot = self.slot()
        misses = self.clauses(line.misses, [kind], wanted)
        self.scopes.append({})
        pattern = Patterns(self.world, self.declare).check(line.pattern, kind)
        then = self.lines(rest, result, wanted)
        self.scopes.pop()
        hit = k.CoreClause((pattern,), None, then, line.pattern.span)
        made = k.Match((value,), (slot,), (hit, *misses), line.span)
        if misses:  # a `let` alone may have a pattern that not everything fits: it is stuck there
            self.matches.append(("let", made, [kind]))
        return made

    def knot(self, line: s.LetRec, rest: Sequence[s.Line], result: s.Expr, wanted: Type) -> k.Core:
        """`let rec NAME = BASE with KEY = VALUE …`: the values may mention NAME."""
        pairs: list[tuple[s.Expr, s.Expr]] = []
        base = line.value
        while isinstance(base, s.With):
            pairs.insert(0, (base.key, base.value))
            base = base.container
        if not pairs:
            self.world.error(
                "wrong_pattern", "`let rec` ties an environment to values inside it", line.span,
                "write: let rec inner = env with f = …",
            )  # fmt: skip
            return WRONG
        hole = Hole()
        outer = self.check(base, env(hole))
        keys = [self.check(key, NAME) for key, _ in pairs]
        self.scopes.append({})
        slot = self.declare(line.name, env(hole), line.span)
        values = [self.check(value, hole) for _, value in pairs]
        then = self.lines(rest, result, wanted)
        self.scopes.pop()
        return k.Knot(outer, tuple(zip(keys, values, strict=True)), slot, then)

    def match(self, expr: s.Match, wanted: Type) -> k.Core:
        only = expr.subjects[0]
        if len(expr.subjects) == 1 and isinstance(only, s.Ref) and self.find(only.name) is None:
            choice = self.world.choices.get(only.name)
            if choice is not None:
                return self.match_choice(choice, expr, wanted)
        pairs = [self.infer(subject) for subject in expr.subjects]
        types = [kind for _, kind in pairs]
        slots = tuple(self.slot() for _ in pairs)
        clauses = self.clauses(expr.clauses, types, wanted)
        made = k.Match(tuple(core for core, _ in pairs), slots, clauses, expr.span)
        self.matches.append(("match", made, types))
        return made

    def clauses(
        self, clauses: Sequence[s.Clause], types: Sequence[Type], wanted: Type
    ) -> tuple[k.CoreClause, ...]:
        """Those of which it can be said what they are about."""
        made = (self.clause(clause, types, wanted) for clause in clauses)
        return tuple(clause for clause in made if clause is not None)

    def clause(self, clause: s.Clause, types: Sequence[Type], wanted: Type) -> k.CoreClause | None:
        """A clause; where what it gives is wrong, that is still to be written; None where it
        cannot be said what it is about."""
        mark = self.world.mark()
        unread = isinstance(clause.body, s.Todo) and bool(clause.body.code)
        if len(clause.patterns) != len(types) and unread:
            return None
        if len(clause.patterns) != len(types):
            self.world.error(
                "wrong_number", f"this clause has {count(len(clause.patterns), 'pattern')} for "
                f"{count(len(types), 'subject')}", clause.span,
            )  # fmt: skip
        self.scopes.append({})
        patterns = Patterns(self.world, self.declare)
        parts = tuple(patterns.check(p, t) for p, t in zip(clause.patterns, types, strict=False))
        parts += tuple(k.Bind(None) for _ in types[len(parts) :])
        if clause.only is not None:
            tags = frozenset(
                c.tag for c in self.world.constructors.values() if c.name in clause.only
            )
            parts = (k.Among(tags, parts[0]), *parts[1:])
        known = self.world.mark() == mark
        guard = self.check(clause.guard, BOOL) if clause.guard is not None else None
        body = self.check(clause.body, wanted)
        self.scopes.pop()
        if not known:
            return None
        hole = self.world.hole(mark, clause.span)
        if hole is not None:
            return k.CoreClause(parts, None, hole, clause.span)
        return k.CoreClause(parts, guard, body, clause.span)
