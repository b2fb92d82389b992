"""Contexts in the clauses of a small-step relation: `k[P]` takes a term in which something that P
takes stands where the next step takes place; `k` puts another term there.

Where that is, the `order` lines say. A clause with a context stands for one with a guard: a
function that is made here looks for the place, and gives what stands there with a function that
puts something else in its place. It goes where `order` leads: into a part as long as it is not
final, to the next one when it is. Where a part is of another sort, it goes on where the lines of
the relation on that sort lead: an expression inside a statement, say.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import TypeVar

from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.paths import inside
from embrix.brix.pattern_parts import (
    all_named,
    binding_only,
    covers,
    mentioned,
    name_of_type,
    names_bound,
    rebuilt,
    type_of,
    with_part,
)
from embrix.brix.world import World
from embrix.text.source import Span

T = TypeVar("T")

LOOKING = "looking"
"""Between the name of a function and a number in the names of the functions made for it."""
MOST_LINES = 20
"""`order` lines about one form in a relation with contexts."""


def without_contexts(world: World, define: s.Define, written: Sequence[s.Define]) -> list[s.Define]:
    """A function with its clauses as they are meant, and the functions that these need; `written`
    are all functions."""
    if not any(isinstance(row, s.Clause) and _contexts(row) for row in define.rows):
        return [define]
    rows: list[s.DefineRow] = []
    made: list[s.Define] = []
    many = 0
    for row in define.rows:
        if isinstance(row, s.Clause) and (found := _contexts(row)):
            clause = _Clause(world, define, row, found, many, written)
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
        number: int, written: Sequence[s.Define],
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
        self.sort = _sort_of(define)
        self.relations = {_sort_of(one): one for one in reversed(written) if _steps(one)}
        self.relations[self.sort] = define
        """By sort the relation that takes steps there."""
        self.goal = self.sort
        """The sort of what stands at the place."""
        inner = self.context.inner
        while isinstance(inner, s.PAs):
            inner = inner.inner
        form = world.constructors.get(inner.name) if isinstance(inner, s.PMake) else None
        if form is not None and form.owner in self.relations:
            self.goal = form.owner
        self.needed: dict[tuple[str, bool], None] = {}
        """The sorts that are looked through, and whether in the items of a list."""
        own = names_bound(self.context.inner)
        others = {param.name for param in define.params} | {self.context.name}
        for pattern in row.patterns:
            others |= names_bound(pattern)
        asked = mentioned(row.guard)
        self.inside = row.guard is not None and not asked & (others - own)
        """Whether the guard is about what stands at the place alone: then a place where it does not
        hold is none."""

    def wrong(self, text: str, span: Span, hint: str) -> None:
        self.world.error("wrong_pattern", text, span, hint)

    # ---------------------------------------------------------------- the clause

    def plain(self) -> Iterator[s.Clause]:
        """The clause with a variable in the place of the context. Where nothing stands around, it
        takes the term whatever the `order` lines say, so no other clause need do so."""
        if self.row.guard is None and self.goal == self.sort:
            yield self.alone()
        yield self.within()

    def alone(self) -> s.Clause:
        """The clause where nothing stands around."""
        context, body = self.context, self.row.body
        patterns = tuple(with_part(one, context, context.inner) for one in self.row.patterns)
        if context.name == "_":
            return replace(self.row, patterns=patterns)
        put = self.putting(s.Ref("hole …", self.span))
        named = s.Let(s.PVar(context.name, self.span), put, (), self.span)
        return replace(self.row, patterns=patterns, body=_behind(named, body, self.row.span))

    def within(self) -> s.Clause:
        """The clause where something may stand around."""
        span, context = self.span, self.context
        whole = f"{context.name} …"
        patterns = tuple(with_part(one, context, s.PVar(whole, span)) for one in self.row.patterns)
        asked = s.Apply(s.Ref(self.name, span), (s.Ref(whole, span),), span)
        known: s.Pattern = s.PAny(span) if context.name == "_" else s.PVar(context.name, span)
        guard = None if self.inside else self.row.guard
        used = mentioned(guard)
        found = _some((binding_only(context.inner, used), binding_only(known, used)), span)
        test = s.Match((asked,), (
            s.Clause((found,), None, guard or s.Ref("true", span), span),
            s.Clause((s.PAny(span),), None, s.Ref("false", span), span),
        ), span)  # fmt: skip
        taken = s.Let(_some((context.inner, known), span), asked, (), span, certain=True)
        body = _behind(taken, self.row.body, self.row.span)
        return replace(self.row, patterns=patterns, guard=test, body=body)

    # ---------------------------------------------------------------- the function that looks

    def looking(self) -> Iterator[s.Define]:
        """The functions that find the place: one for the sort of the clause, and for each other
        sort and each list of items that the lines lead into."""
        self.looker(self.sort)
        for sort, listed in iter_growing(self.needed):
            rows = self.items(sort) if listed else self.places(sort)
            yield self.function(sort, listed, rows)

    def places(self, sort: str) -> list[s.Clause]:
        """Where the place is in a term of a sort."""
        span, name = self.span, "e …"
        barred = {form for form, _ in self.context.without}
        orders = [one for one in self.relations[sort].rows if isinstance(one, s.Order)]
        open_ = [order for order in orders
                 if isinstance(order.pattern, s.PMake) and order.pattern.fields is None
                 and order.pattern.name not in barred]  # fmt: skip
        guard = self.row.guard if self.inside else None
        rows: list[s.Clause] = []
        if sort == self.goal:
            here = s.Tuple((s.Ref(name, span), self.putting(s.Ref("hole …", span))), span)
            first = self.clause(binding_only(self.context.inner, mentioned(guard)), self.some(here))
            rows.append(replace(first, guard=guard))
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
            hidden = sort == self.goal and covers(self.context.inner, order.pattern)
            if guard is not None or not hidden:
                rows.append(self.along(order, open_[number + 1 :]))
        return [*rows, self.clause(s.PAny(span), self.none)]

    def looker(self, sort: str, *, listed: bool = False) -> str:
        """The name of the function that looks through terms of a sort, or through lists of them."""
        self.needed[sort, listed] = None
        name = self.name if sort == self.sort else f"{self.name} in {sort}"
        return f"{name} in items" if listed else name

    def function(self, sort: str, listed: bool, rows: Sequence[s.Clause]) -> s.Define:
        """A function that finds the place in terms of a sort, or in lists of them."""
        span = self.span
        goal, kind = s.TypeName(self.goal, (), span), s.TypeName(sort, (), span)
        whole = s.TypeName("List", (kind,), span) if listed else kind
        pair = s.TypeTuple((goal, s.TypeFunction((goal,), whole, span)), span)
        return s.Define(
            self.looker(sort, listed=listed), (s.Param("e …", whole, span),),
            s.TypeName("Maybe", (pair,), span), (("e …", span),), tuple(rows), None, "", span, span,
            helper=True,
        )  # fmt: skip

    def items(self, sort: str) -> list[s.Clause]:
        """In the first item that is not final, or in one before it that is what is looked for."""
        span = self.span
        first, rest = s.PVar("first …", span), s.PVar("rest …", span)
        whole = s.PList((first,), rest, span)
        later = self.into("rest …", whole, self.none, self.looker(sort, listed=True))
        final = s.Apply(s.Ref("final", span), (s.Ref("first …", span),), span)
        onward = s.If(final, later, self.none, span)
        return [
            self.clause(s.PList((), None, span), self.none),
            self.clause(whole, self.into("first …", whole, onward, self.looker(sort))),
        ]

    def along(self, order: s.Order, later: Sequence[s.Order]) -> s.Clause:
        """Through the parts of a form, in their order; then through those that later lines name for
        the same form."""
        assert isinstance(order.pattern, s.PMake)
        pattern = all_named(order.pattern)
        result, last = self.further(order.pattern.name, later)
        for child, _ in reversed(order.children):
            value = s.Ref(child, self.span)
            if not last:
                test = s.Apply(s.Ref("final", self.span), (value,), self.span)
                result = s.If(test, result, self.none, self.span)
            kind = type_of(self.world, pattern, child)
            listed = kind is not None and kind.name == "List"
            sort = name_of_type(kind.args[0]) if kind is not None and listed else name_of_type(kind)
            if sort in self.relations:
                result = self.into(child, pattern, result, self.looker(sort, listed=listed))
            last = False
        return s.Clause((pattern,), order.guard, result, self.span)

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
        around = rebuilt(whole, child, inner)
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


def iter_growing(found: dict[T, None]) -> Iterator[T]:
    """The keys of a dictionary that grows meanwhile, in their order."""
    number = 0
    while number < len(found):
        yield list(found)[number]
        number += 1


def _sort_of(define: s.Define) -> str:
    """The name of the type of the first subject of a function."""
    subject = define.subjects[0][0] if define.subjects else ""
    kinds = [param.type for param in define.params if param.name == subject]
    return kinds[0].name if kinds and isinstance(kinds[0], s.TypeName) else ""


def _steps(define: s.Define) -> bool:
    """Whether a function is a small-step relation with one subject."""
    return len(define.subjects) == 1 and any(isinstance(row, s.Final) for row in define.rows)
