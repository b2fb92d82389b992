"""The ways through a clause: what is used, called, updated and tested on each, in order.

Both branches of a condition are ways of their own; what a function value does is put where it
stands. There may be many ways, so that only some are followed; every part is on one of them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, TypeAlias

from msgspec import Struct, field

from embrix.brix import syntax as s
from embrix.terms.types import Type, settle
from embrix.text.source import Span

MOST_WAYS = 96
"""Ways through one expression that are followed."""


class Variable(Struct, eq=False):
    """A name that a parameter, a pattern or a `let` has bound. `form` and `index` say from which
    field of which form or constructor it comes; `base` is what an environment extends."""

    name: str
    type: Type
    span: Span
    origin: str
    form: str = ""
    index: int = -1
    base: Variable | None = None
    added: frozenset[Variable] = frozenset()
    mates: tuple[Variable | None, ...] = ()
    """What stands in the other fields of the same pattern; None for `_` and deeper patterns."""
    used: bool = False


class Given(Struct, frozen=True):
    """An argument: the variable it is, or the environment it extends and by which names."""

    variable: Variable | None
    base: Variable | None
    added: frozenset[Variable]
    key: Any
    span: Span


class Used(Struct, frozen=True):
    variable: Variable
    span: Span


class Called(Struct, frozen=True):
    function: str
    args: tuple[Given, ...]
    span: Span


class Made(Struct, frozen=True):
    """A form or constructor applied to its fields."""

    constructor: str
    args: tuple[Given, ...]
    span: Span


class Updated(Struct, frozen=True):
    """A store has been changed: what was there before is outdated."""

    variable: Variable
    span: Span


class Tested(Struct, frozen=True):
    """A condition that mentions these variables."""

    variables: frozenset[Variable]


Event: TypeAlias = Used | Called | Made | Updated | Tested
Way: TypeAlias = tuple[Event, ...]
Scope: TypeAlias = dict[str, Variable]


def both(first: Sequence[Way], second: Sequence[Way]) -> list[Way]:
    """One way after the other, in every combination that is followed."""
    if len(first) * len(second) > MOST_WAYS:
        # Every way of each is kept at least once.
        longer, shorter = max(len(first), len(second)), min(len(first), len(second))
        return [
            first[n % len(first)] + second[n % len(second)]
            for n in range(max(longer, min(MOST_WAYS, longer * shorter)))
        ][:MOST_WAYS]
    return [one + other for one in first for other in second]


class Paths(Struct):
    """Follows expressions. `types` gives the type of each bound name by where it stands."""

    types: Mapping[tuple[int, int], Type]
    found: list[Variable] = field(default_factory=list)
    """All variables, in the order in which they were bound."""

    def bind(self, pattern: s.Pattern, scope: Scope, origin: str) -> Variable | None:
        """Put the names of a pattern into a scope; the variable, where it is only that."""
        match pattern:
            case s.PVar(name, span):
                return self._variable(name, span, scope, origin)
            case s.PAs(inner, name, span):
                self.bind(inner, scope, origin)
                return self._variable(name, span, scope, origin)
            case s.PMake(name, args, _, None):
                parts = tuple(self.bind(arg, scope, origin) for arg in args)
                for index, part in enumerate(parts):
                    if part is not None:
                        part.form, part.index, part.mates = name, index, parts
            case s.PMake(_, _, _, named) if named is not None:
                for _, inner, _ in named:
                    self.bind(inner, scope, origin)
            case s.PTuple(items):
                for item in items:
                    self.bind(item, scope, origin)
            case s.PList(items, rest):
                for item in (*items, *((rest,) if rest is not None else ())):
                    self.bind(item, scope, origin)
        return None

    def _variable(self, name: str, span: Span, scope: Scope, origin: str) -> Variable | None:
        kind = self.types.get((span.start, span.end))
        if kind is None:
            return None  # an alternative of a choice
        made = Variable(name, settle(kind), span, origin)
        scope[name] = made
        self.found.append(made)
        return made

    # ---------------------------------------------------------------- expressions

    def ways(self, node: s.Expr, scope: Scope) -> list[Way]:
        """All ways through an expression."""
        match node:
            case s.Ref(name, span):
                known = scope.get(name)
                if known is None:
                    return [()]
                known.used = True
                return [(Used(known, span),)]
            case s.Apply(callee, args, span):
                found = self.row(args, scope)
                if isinstance(callee, s.Ref) and callee.name not in scope:
                    given = tuple(self.given(arg, scope) for arg in args)
                    return both(found, [(Called(callee.name, given, span),)])
                return both(self.ways(callee, scope), found)
            case s.Make(name, args, span):
                given = tuple(self.given(arg, scope) for arg in args)
                return both(self.row(args, scope), [(Made(name, given, span),)])
            case s.With(container, key, value, span):
                parts = [value]
                if isinstance(key, s.Ref) and key.name in scope:
                    parts.insert(0, key)
                found = self.row((container, *parts), scope)
                before = self.given(container, scope)
                if before.base is not None:
                    return both(found, [(Updated(before.base, span),)])
                return found
            case s.If(test, yes, no):
                tested: list[Way] = [(Tested(self.mentioned(test, scope)),)]
                chosen = [*self.ways(yes, scope), *self.ways(no, scope)]
                return both(both(self.ways(test, scope), tested), chosen)
            case s.Match(subjects, clauses):
                return both(self.row(subjects, scope), self.chosen(clauses, scope))
            case s.Attempt(value, handlers):
                return [*self.ways(value, scope), *self.chosen(handlers, scope)]
            case s.AnyOf(several):
                found = []
                for one in several:
                    guard = [one.guard] if one.guard is not None else []
                    found += self.row((*guard, one.body), scope)
                return found[:MOST_WAYS]
            case s.Otherwise(value, instead):
                found = self.ways(value, scope)
                return [*found, *both(found[:1], self.ways(instead, scope))][:MOST_WAYS]
            case s.Lambda(params, body):
                inner = dict(scope)
                for param in params:
                    self.bind(param, inner, "function")
                return self.ways(body, inner)
            case s.Block(lines, result):
                return self.block(lines, result, dict(scope))
            case s.TextLit(text_parts):
                return self.row([p for p in text_parts if not isinstance(p, str)], scope)
            case _:
                return self.row(_children(node), scope)

    def row(self, nodes: Sequence[s.Expr], scope: Scope) -> list[Way]:
        """Expressions evaluated from left to right."""
        found: list[Way] = [()]
        for node in nodes:
            found = both(found, self.ways(node, scope))
        return found

    def chosen(self, clauses: Sequence[s.Clause], scope: Scope) -> list[Way]:
        """The ways through the clauses of a `match`."""
        found: list[Way] = []
        for clause in clauses:
            inner = dict(scope)
            for pattern in clause.patterns:
                self.bind(pattern, inner, "match")
            guard: list[Way] = [()]
            if clause.guard is not None:
                tested: list[Way] = [(Tested(self.mentioned(clause.guard, inner)),)]
                guard = both(self.ways(clause.guard, inner), tested)
            found += both(guard, self.ways(clause.body, inner))
        return found or [()]

    def block(self, lines: Sequence[s.Line], result: s.Expr, scope: Scope) -> list[Way]:
        """Lines in order; an `else` ends the whole block."""
        going: list[Way] = [()]
        ended: list[Way] = []
        for line in lines:
            match line:
                case s.Let(pattern, value, misses):
                    going = both(going, self.ways(value, scope))
                    if misses:
                        ended += both(going, self.chosen(misses, scope))
                    origin = self.given(value, scope)
                    bound = self.bind(pattern, scope, "let")
                    if bound is not None and origin.base is not None:
                        bound.base, bound.added = origin.base, origin.added
                case s.LetRec(name, value, span):
                    bound = self._variable(name, span, scope, "let")
                    going = both(going, self.ways(value, scope))
                    origin = self.given(value, scope)
                    if bound is not None:
                        bound.base, bound.added = origin.base, origin.added
                case s.Require(test, otherwise):
                    tested: list[Way] = [(Tested(self.mentioned(test, scope)),)]
                    going = both(both(going, self.ways(test, scope)), tested)
                    ended += both(going, self.ways(otherwise, scope))
                case s.Emit(text):
                    going = both(going, self.ways(text, scope))
        return [*both(going, self.ways(result, scope)), *ended][: 2 * MOST_WAYS]

    # ---------------------------------------------------------------- what arguments are

    def given(self, node: s.Expr, scope: Scope) -> Given:
        """What an argument is. The base of an environment is followed through every `let`."""
        variable = scope.get(node.name) if isinstance(node, s.Ref) else None
        base, added = variable, frozenset[Variable]()
        if variable is not None and variable.base is not None:
            base, added = variable.base, variable.added
        if isinstance(node, s.With | s.WithAll):
            inner = self.given(node.container, scope)
            base, added = inner.base, inner.added
            if isinstance(node, s.With) and isinstance(node.key, s.Ref):
                key = scope.get(node.key.name)
                added = added | {key} if key is not None else added
        return Given(variable, base, added, _key(node, scope), node.span)

    def mentioned(self, node: object, scope: Scope) -> frozenset[Variable]:
        """All variables in an expression."""
        return frozenset(
            scope[part.name] for part in inside(node)
            if isinstance(part, s.Ref) and part.name in scope
        )  # fmt: skip


def inside(node: Any) -> list[Any]:
    """All parts of a piece of syntax, itself among them."""
    found: list[Any] = []
    pending = [node]
    while pending:
        part = pending.pop()
        if type(part) is tuple:
            pending += part
        elif (names := _FIELDS[type(part)]) is not None:
            found.append(part)
            for name in names:
                pending.append(getattr(part, name))
    return found


class _Fields(dict[type, "tuple[str, ...] | None"]):
    """The fields of each kind of syntax; None for a place, or what is no syntax at all."""

    def __missing__(self, kind: type) -> tuple[str, ...] | None:
        syntax = issubclass(kind, Struct) and kind is not Span
        self[kind] = found = kind.__struct_fields__ if syntax else None  # type: ignore[attr-defined]
        return found


_FIELDS = _Fields()


def _children(node: s.Expr) -> list[s.Expr]:
    """The expressions directly inside one, in the order of the page."""
    found: list[s.Expr] = []
    for one in node.__struct_fields__:
        value = getattr(node, one)
        for part in value if isinstance(value, tuple) else (value,):
            if isinstance(part, s.Expr.__args__):
                found.append(part)
    return found


def _key(node: object, scope: Scope) -> Any:
    """What two expressions have in common when they say the same of the same variables."""
    if isinstance(node, s.Ref):
        return scope.get(node.name, node.name)
    if isinstance(node, tuple):
        return tuple(_key(part, scope) for part in node)
    if isinstance(node, Struct) and not isinstance(node, Span):
        parts = [getattr(node, one) for one in node.__struct_fields__ if one != "span"]
        return (type(node).__name__, *(_key(part, scope) for part in parts))
    return None if isinstance(node, Span) else node
