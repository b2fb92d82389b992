"""Contexts in the clauses of a small-step relation: `k[P]` takes a term in which something that P
takes stands where the next step takes place; `k` puts another term there.

Where that is, the `order` lines say. A clause with a context stands for one with a guard: a
function that is made here looks for the place, and gives what stands there with a function that
puts something else in its place. It goes where `order` leads: into a part as long as it is not
final, to the next one when it is.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.paths import inside
from embrix.brix.world import World
from embrix.terms.types import Con, Type, settle
from embrix.text.source import Span

LOOKING = "looking"
"""Between the name of a function and a number in the names of the functions made for it."""
MOST_LINES = 20
"""`order` lines about one form in a relation with contexts."""


def without_contexts(world: World, define: s.Define) -> list[s.Define]:
    """A function with its clauses as they are meant, and the functions that these need."""
    if not any(isinstance(row, s.Clause) and _contexts(row) for row in define.rows):
        return [define]
    rows: list[s.DefineRow] = []
    made: list[s.Define] = []
    many = 0
    for row in define.rows:
        if isinstance(row, s.Clause) and (found := _contexts(row)):
            clause = _Clause(world, define, row, found, many)
            many += 1
            made += clause.looking()
            rows += clause.plain()
        else:
            rows.append(row)
    return [replace(define, rows=tuple(rows)), *made]


def _contexts(row: s.Clause) -> list[s.PContext]:
    found = [part for part in inside(row.patterns) if isinstance(part, s.PContext)]
    return sorted(found, key=lambda one: one.span.start)


class _Clause:
    """One clause with a context."""

    def __init__(
        self, world: World, define: s.Define, row: s.Clause, found: Sequence[s.PContext],
        number: int,
    ) -> None:  # fmt: skip
        self.row, self.context, self.span = row, found[0], found[0].span
        self.world, self.define = world, define
        orders = [one for one in define.rows if isinstance(one, s.Order)]
        if len(found) > 1:
            self.wrong("a clause has one context", found[1].span, "take the other one apart first")
        elif len(define.subjects) != 1:
            self.wrong("a context stands in a relation with one subject", self.span, "")
        elif not orders:
            self.wrong(
                "a context stands in a small-step relation with `order` lines", self.span,
                "they say in which part the next step takes place",
            )  # fmt: skip
        for name, span in self.context.without:
            if name not in world.constructors:
                self.wrong(f"there is no form called {name}", span, "")
        self.name = f"{define.name} {LOOKING} {number}"
        self.sort = next(
            (param.type for param in define.params
             if define.subjects and param.name == define.subjects[0][0]),
            s.TypeName("Name", (), self.span),
        )  # fmt: skip
        self.orders = orders
        self.lists = False
        """Whether some line leads into the items of a list."""
        own = _names(self.context.inner)
        others = {param.name for param in define.params} | {self.context.name}
        for pattern in row.patterns:
            others |= _names(pattern)
        asked = _mentioned(row.guard)
        self.inside = row.guard is not None and not asked & (others - own)
        """Whether the guard is about what stands at the place alone: then a place where it does not
        hold is none."""

    def wrong(self, text: str, span: Span, hint: str) -> None:
        self.world.error("wrong_pattern", text, span, hint)

    # ---------------------------------------------------------------- the clause

    def plain(self) -> Iterator[s.Clause]:
        """The clause with a variable in the place of the context. Where nothing stands around, it
        takes the term whatever the `order` lines say, so no other clause need do so."""
        if self.row.guard is None:
            yield self.alone()
        yield self.within()

    def alone(self) -> s.Clause:
        """The clause where nothing stands around."""
        context, body = self.context, self.row.body
        patterns = tuple(_with(one, context, context.inner) for one in self.row.patterns)
        if context.name == "_":
            return replace(self.row, patterns=patterns)
        put = self.putting(s.Ref("hole …", self.span))
        named = s.Let(s.PVar(context.name, self.span), put, (), self.span)
        return replace(self.row, patterns=patterns, body=_behind(named, body, self.row.span))

    def within(self) -> s.Clause:
        """The clause where something may stand around."""
        span, context = self.span, self.context
        whole = f"{context.name} …"
        patterns = tuple(_with(one, context, s.PVar(whole, span)) for one in self.row.patterns)
        asked = s.Apply(s.Ref(self.name, span), (s.Ref(whole, span),), span)
        known: s.Pattern = s.PAny(span) if context.name == "_" else s.PVar(context.name, span)
        guard = None if self.inside else self.row.guard
        used = _mentioned(guard)
        found = _some((_only(context.inner, used), _only(known, used)), span)
        test = s.Match((asked,), (
            s.Clause((found,), None, guard or s.Ref("true", span), span),
            s.Clause((s.PAny(span),), None, s.Ref("false", span), span),
        ), span)  # fmt: skip
        taken = s.Let(_some((context.inner, known), span), asked, (), span, certain=True)
        body = _behind(taken, self.row.body, self.row.span)
        return replace(self.row, patterns=patterns, guard=test, body=body)

    # ---------------------------------------------------------------- the function that looks

    def looking(self) -> Iterator[s.Define]:
        """The function that finds the place, and one for the items of lists if it needs that."""
        span, name = self.span, "e …"
        here = s.Tuple((s.Ref(name, span), self.putting(s.Ref("hole …", span))), span)
        guard = self.row.guard if self.inside else None
        first = self.clause(_only(self.context.inner, _mentioned(guard)), self.some(here))
        rows: list[s.Clause] = [replace(first, guard=guard)]
        barred = {form for form, _ in self.context.without}
        open_ = [order for order in self.orders
                 if isinstance(order.pattern, s.PMake) and order.pattern.fields is None
                 and order.pattern.name not in barred]  # fmt: skip
        seen: Counter[str] = Counter()
        for number, order in enumerate(tuple(open_)):
            form = order.pattern.name if isinstance(order.pattern, s.PMake) else ""
            seen[form] += 1
            if seen[form] > MOST_LINES:
                self.wrong(
                    f"more than {MOST_LINES} `order` lines are about {form}: too many for a "
                    "context", self.span, "name the parts in fewer lines",
                )  # fmt: skip
                open_ = open_[:number]
                break
        for number, order in enumerate(open_):
            if guard is not None or not covers(self.context.inner, order.pattern):
                rows.append(self.along(order, open_[number + 1 :]))
        rows.append(self.clause(s.PAny(span), self.none))
        yield self.function(self.name, self.sort, rows)
        if self.lists:
            yield self.function(self.in_items, s.TypeName("List", (self.sort,), span), self.items())

    @property
    def in_items(self) -> str:
        """The name of the function that looks through the items of a list."""
        return f"{self.name} in items"

    def function(self, name: str, kind: s.TypeSyntax, rows: Sequence[s.Clause]) -> s.Define:
        """A function that finds the place in something of a type."""
        span = self.span
        pair = s.TypeTuple((self.sort, s.TypeFunction((self.sort,), kind, span)), span)
        return s.Define(
            name, (s.Param("e …", kind, span),), s.TypeName("Maybe", (pair,), span),
            (("e …", span),), tuple(rows), None, "", span, span, helper=True,
        )  # fmt: skip

    def items(self) -> list[s.Clause]:
        """In the first item that is not final, or in one before it that is what is looked for."""
        span = self.span
        first, rest = s.PVar("first …", span), s.PVar("rest …", span)
        whole = s.PList((first,), rest, span)
        later = self.into("rest …", whole, self.none, self.in_items)
        final = s.Apply(s.Ref("final", span), (s.Ref("first …", span),), span)
        onward = s.If(final, later, self.none, span)
        return [
            self.clause(s.PList((), None, span), self.none),
            self.clause(whole, self.into("first …", whole, onward, self.name)),
        ]

    def along(self, order: s.Order, later: Sequence[s.Order]) -> s.Clause:
        """Through the parts of a form, in their order; then through those that later lines name for
        the same form."""
        pattern = order.pattern
        assert isinstance(pattern, s.PMake)
        args = tuple(
            s.PVar(f"part {n} …", self.span) if isinstance(one, s.PAny) else one
            for n, one in enumerate(pattern.args)
        )
        made = self.world.constructors.get(pattern.name)
        types = made.types if made is not None else ()
        sort = self.sort.name if isinstance(self.sort, s.TypeName) else ""
        result, last = self.further(pattern.name, later)
        for child, _ in reversed(order.children):
            value = s.Ref(child, self.span)
            if not last:
                test = s.Apply(s.Ref("final", self.span), (value,), self.span)
                result = s.If(test, result, self.none, self.span)
            kinds = [
                kind for one, kind in zip(pattern.args, types, strict=False)
                if isinstance(one, s.PVar) and one.name == child and isinstance(kind, Con)
            ]  # fmt: skip
            whole = s.PMake(pattern.name, args, self.span)
            if kinds and kinds[0].name == sort:
                result = self.into(child, whole, result, self.name)
            elif kinds and kinds[0].name == "List" and _name_of(kinds[0].args[0]) == sort:
                self.lists = True
                result = self.into(child, whole, result, self.in_items)
            last = False
        return s.Clause((replace(pattern, args=args),), order.guard, result, self.span)

    def further(self, form: str, later: Sequence[s.Order]) -> tuple[s.Expr, bool]:
        """What is found where all parts that a line names are final; whether that is nothing."""
        for number, order in enumerate(later):
            if isinstance(order.pattern, s.PMake) and order.pattern.name == form:
                clause = self.along(order, later[number + 1 :])
                other = s.Clause((s.PAny(self.span),), None, self.none, self.span)
                whole = s.Ref("e …", self.span)
                return s.Match((whole,), (clause, other), self.span), False
        return self.none, True

    def into(self, child: str, whole: s.Pattern, otherwise: s.Expr, looking: str) -> s.Expr:
        """What is found in a part, put into the whole; else what is found further on."""
        span = self.span
        inner = s.Apply(s.Ref("put …", span), (s.Ref("hole …", span),), span)
        around = _rebuilt(whole, child, inner)
        found = s.Tuple((s.Ref("found …", span), self.putting(around)), span)
        return s.Match((s.Apply(s.Ref(looking, span), (s.Ref(child, span),), span),), (
            s.Clause(
                (_some((s.PVar("found …", span), s.PVar("put …", span)), span),), None,
                self.some(found), span,
            ),
            s.Clause((s.PAny(span),), None, otherwise, span),
        ), span)  # fmt: skip

    def putting(self, body: s.Expr) -> s.Lambda:
        return s.Lambda((s.PVar("hole …", self.span),), body, self.span)

    def clause(self, pattern: s.Pattern, body: s.Expr) -> s.Clause:
        return s.Clause((pattern,), None, body, self.span)

    def some(self, value: s.Expr) -> s.Expr:
        return s.Make("Some", (value,), self.span)

    @property
    def none(self) -> s.Expr:
        return s.Make("None", (), self.span)


def _behind(line: s.Line, body: s.Expr, span: Span) -> s.Block:
    """A body with a line before it."""
    lines, result = (body.lines, body.result) if isinstance(body, s.Block) else ((), body)
    return s.Block((line, *lines), result, span)


def _some(items: tuple[s.Pattern, ...], span: Span) -> s.Pattern:
    return s.PMake("Some", (s.PTuple(items, span),), span)


def _with(pattern: s.Pattern, old: s.Pattern, new: s.Pattern) -> s.Pattern:
    """A pattern with another one in the place of a part."""
    if pattern is old:
        return new
    match pattern:
        case s.PMake(_, args, _, None):
            return replace(pattern, args=tuple(_with(one, old, new) for one in args))
        case s.PMake(_, _, _, fields) if fields is not None:
            made = tuple((name, _with(one, old, new), span) for name, one, span in fields)
            return replace(pattern, fields=made)
        case s.PTuple(items):
            return replace(pattern, items=tuple(_with(one, old, new) for one in items))
        case s.PList(items, rest):
            tail = None if rest is None else _with(rest, old, new)
            return replace(pattern, items=tuple(_with(one, old, new) for one in items), rest=tail)
        case s.PAs(inner):
            return replace(pattern, inner=_with(inner, old, new))
    return pattern


def _only(pattern: s.Pattern, names: set[str]) -> s.Pattern:
    """A pattern that binds only some of its names."""
    match pattern:
        case s.PVar(name, span):
            return pattern if name in names else s.PAny(span)
        case s.PAs(inner, name):
            bare = _only(inner, names)
            return replace(pattern, inner=bare) if name in names else bare
        case s.PMake(_, args, _, None):
            return replace(pattern, args=tuple(_only(one, names) for one in args))
        case s.PMake(_, _, _, fields) if fields is not None:
            made = tuple((name, _only(one, names), span) for name, one, span in fields)
            return replace(pattern, fields=made)
        case s.PTuple(items):
            return replace(pattern, items=tuple(_only(one, names) for one in items))
        case s.PList(items, rest):
            tail = None if rest is None else _only(rest, names)
            return replace(pattern, items=tuple(_only(one, names) for one in items), rest=tail)
    return pattern


def _rebuilt(pattern: s.Pattern, child: str, instead: s.Expr) -> s.Expr:
    """The term that a pattern took, with something else in the place of one variable."""
    match pattern:
        case s.PVar(name, span):
            return instead if name == child else s.Ref(name, span)
        case s.PAs(inner) | s.PContext(_, inner):
            return _rebuilt(inner, child, instead)
        case s.PMake(name, args, span):
            return s.Make(name, tuple(_rebuilt(one, child, instead) for one in args), span)
        case s.PTuple(items, span):
            return s.Tuple(tuple(_rebuilt(one, child, instead) for one in items), span)
        case s.PList(items, rest, span):
            tail = None if rest is None else _rebuilt(rest, child, instead)
            return s.ListOf(tuple(_rebuilt(one, child, instead) for one in items), tail, span)
        case s.PConst(value, span):
            if isinstance(value, bool):
                return s.Ref("true" if value else "false", span)
            if isinstance(value, str):
                return s.TextLit((value,), span)
            return s.NumberLit(value, span)
    return s.Todo("a part of this pattern", pattern.span)


def covers(one: s.Pattern, other: s.Pattern) -> bool:
    """Whether a pattern certainly takes everything that another one takes."""
    match one, other:
        case ((s.PAny() | s.PVar()), _):
            return True
        case s.PAs(inner), _:
            return covers(inner, other)
        case _, s.PAs(inner):
            return covers(one, inner)
        case s.PMake(name, args, _, None), s.PMake(known, parts, _, None) if name == known:
            return all(map(covers, args, parts))
    return False


def _name_of(kind: Type) -> str:
    settled = settle(kind)
    return settled.name if isinstance(settled, Con) else ""


def _names(pattern: s.Pattern) -> set[str]:
    """The names that a pattern binds."""
    return {part.name for part in inside(pattern) if isinstance(part, s.PVar | s.PAs)}


def _mentioned(expr: s.Expr | None) -> set[str]:
    """The names that stand in an expression."""
    return {part.name for part in inside(expr) if isinstance(part, s.Ref)}
