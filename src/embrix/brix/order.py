"""`order P : a, b` among the clauses of a small-step relation: the clauses it stands for.

For each named part, in order: when it is not final, it takes a step and is put back where it was.
With `in any order` all of these are ways, open where the part is not final.
"""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.infer import Infer
from embrix.brix.patterns import Patterns
from embrix.brix.world import FunctionSignature, components, first_component, unify
from embrix.terms.node import CONS, NIL, NONE, SOME, TUPLE
from embrix.terms.types import BOOL, Con, Tup, Type, settle, show_type
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


def expand_order(
    infer: Infer, row: s.Order, signature: FunctionSignature, slots: tuple[int, ...]
) -> list[k.CoreClause]:
    """One clause for each part that an `order` line names; one for all where their order is left
    open."""
    world = infer.world
    if len(signature.subjects) != 1:
        world.error("wrong_number", "a small-step relation has one subject", row.span)
        return []
    wanted = signature.types[signature.subjects[0]]
    if not unify(first_component(signature.result), wanted):
        world.error(
            "type_mismatch", f"a step must give {show_type(wanted)}, perhaps with more in a tuple, "
            f"not {show_type(signature.result)}", row.span,
        )  # fmt: skip
        return []
    clauses = []
    for name, span in row.children:
        clause = _Part(infer, row, signature, slots, name, span).clause()
        if clause is not None:
            clauses.append(clause)
    if row.free and len(clauses) > 1:
        return [_in_any_order(infer, clauses, signature, slots)]
    return clauses


def _in_any_order(
    infer: Infer,
    clauses: Sequence[k.CoreClause],
    signature: FunctionSignature,
    slots: Sequence[int],
) -> k.CoreClause:
    """The clauses of the parts as the ways of one clause that takes what any of them takes."""
    subject = k.Local(slots[signature.subjects[0]])
    span = clauses[0].span

    def matched(clause: k.CoreClause, body: k.Core, instead: k.Core | None) -> k.Core:
        """What a body gives with the variables of a clause."""
        taken = k.CoreClause(clause.patterns, None, body, span)
        missed = [k.CoreClause((k.Bind(None),), None, instead, span)] if instead else []
        return k.Match((subject,), (infer.slot(),), (taken, *missed), span)

    no = k.Const(False)
    open_ = [matched(clause, clause.guard or k.Const(True), no) for clause in clauses]
    some: k.Core = no
    for one in reversed(open_):
        some = k.Test(one, k.Const(True), some)
    taken = tuple(
        k.CoreClause(
            (k.Equals(number) if clause is not clauses[-1] else k.Bind(None),), None,
            matched(clause, clause.body, None), span,
        )
        for number, clause in enumerate(clauses)
    )  # fmt: skip
    took = k.Match((k.TakeWay(tuple(open_), span),), (infer.slot(),), taken, span)
    parts = tuple(part for clause in clauses for part in clause.steps)
    return k.CoreClause(clauses[0].patterns, some, took, span, parts)


class _Part:
    """The clause for one part of an `order` line."""

    def __init__(
        self,
        infer: Infer,
        row: s.Order,
        signature: FunctionSignature,
        slots: tuple[int, ...],
        name: str,
        span: Span,
    ) -> None:
        self.infer, self.row, self.signature, self.slots = infer, row, signature, slots
        self.name, self.span = name, span

    def clause(self) -> k.CoreClause | None:
        infer, row, signature = self.infer, self.row, self.signature
        world = infer.world
        kind = signature.types[signature.subjects[0]]
        infer.scopes.append({})
        pattern = Patterns(world, infer.declare).check(row.pattern, kind)
        found = infer.scopes[-1].get(self.name)
        guard = infer.check(row.guard, BOOL) if row.guard is not None else None
        known = list(infer.scopes.pop())
        if found is None:
            world.error(
                "unknown_name", f"the pattern has no part called {self.name}", self.span,
                did_you_mean(self.name, known),
            )  # fmt: skip
            return None
        slot, part = found
        settled = settle(part)
        listed = isinstance(settled, Con) and settled.name == "List"
        item = settled.args[0] if isinstance(settled, Con) and listed else part
        relation = infer.relation_on(item)
        if relation is None:
            world.error(
                "no_relation", f"{self.name} is of type {show_type(part)}, and no relation takes "
                "steps there", self.span,
            )  # fmt: skip
            return None
        stepped = infer.slot()
        rebuilt = _rebuild(infer, pattern, {slot: k.Local(stepped)})
        if not isinstance(pattern, k.Shape) or rebuilt is None:
            world.error("wrong_pattern", "`order` needs a form with its parts here", row.span)
            return None
        body = self.stepping(relation, slot, stepped, rebuilt[0], listed=listed)
        index = next(
            (n for n, f in enumerate(pattern.fields) if isinstance(f, k.Bind) and f.slot == slot),
            None,
        )
        pending: k.Core = k.Test(
            k.IsFinal(relation.name, k.Local(slot), listed), k.Const(False), k.Const(True)
        )
        if guard is not None:
            pending = k.Test(guard, pending, k.Const(False))
        return k.CoreClause(
            (rebuilt[1],), pending, body, row.span, () if index is None else (index,)
        )

    def stepping(
        self, relation: FunctionSignature, slot: int, stepped: int, whole: k.Core, *, listed: bool
    ) -> k.Core:
        """The part takes its step, and the whole is put together again; what comes besides the
        part goes where the relation of the whole gives it."""
        infer, signature = self.infer, self.signature
        args: list[k.Core] = []
        for number, kind in enumerate(relation.types):
            if number in relation.subjects:
                args.append(k.Local(slot))
            else:
                args.append(self.of_type(kind, relation.params[number]))
        span = self.row.span
        step: k.Core
        if listed:
            step = k.StepList(relation.name, k.Local(slot), tuple(args), span)
        else:
            step = k.Call(relation.name, tuple(args), span)
        besides = components(relation.result)
        extra = tuple(infer.slot() for _ in besides)
        given = {show_type(kind): k.Local(n) for kind, n in zip(besides, extra, strict=True)}
        result = whole
        if components(signature.result):
            rest = [
                given.get(show_type(kind)) or self.of_type(kind, "")
                for kind in components(signature.result)
            ]
            result = k.BuildTuple((whole, *rest))
        taken: k.CorePattern = k.Bind(stepped)
        if isinstance(settle(relation.result), Tup):
            taken = k.Shape(TUPLE, (k.Bind(stepped), *map(k.Bind, extra)), wide=False)
        clause = k.CoreClause((taken,), None, result, span)
        return k.Match((step,), (infer.slot(),), (clause,), span)

    def of_type(self, kind: Type, name: str) -> k.Core:
        """The parameter that has a type, the one of the same name if there are several."""
        signature = self.signature
        fits = [
            number
            for number, own in enumerate(signature.types)
            if number not in signature.subjects and show_type(own) == show_type(kind)
        ]
        for number in fits:
            if signature.params[number] == name:
                return k.Local(self.slots[number])
        if fits:
            return k.Local(self.slots[fits[0]])
        self.infer.world.error(
            "type_mismatch", f"a step of {self.name} needs {show_type(kind)}, and "
            f"{signature.name} has no parameter of that type", self.span,
        )  # fmt: skip
        return k.Const(False)


def _rebuild(
    infer: Infer, pattern: k.CorePattern, instead: dict[int, k.Core]
) -> tuple[k.Core, k.CorePattern] | None:
    """An expression that builds what a pattern matched, some slots replaced; and the pattern with
    every part bound."""
    match pattern:
        case k.Bind(slot):
            number = infer.slot() if slot is None else slot
            return instead.get(number, k.Local(number)), k.Bind(number)
        case k.Equals(value):
            return k.Const(value), pattern
        case k.Named(inner, slot):
            built = _rebuild(infer, inner, instead)
            return (built[0], k.Named(built[1], slot)) if built else None
        case k.Shape(tag, fields, wide):
            parts = [part for f in fields if (part := _rebuild(infer, f, instead)) is not None]
            if len(parts) < len(fields):
                return None
            core = _built(infer, tag, tuple(part[0] for part in parts))
            if core is None:
                return None
            return core, k.Shape(tag, tuple(part[1] for part in parts), wide)
    return None


def _built(infer: Infer, tag: int, parts: tuple[k.Core, ...]) -> k.Core | None:
    """What a node with a tag is built by."""
    if tag == NIL:
        return k.BuildList((), None)
    if tag == CONS:
        return k.BuildList((parts[0],), parts[1])
    if tag == TUPLE:
        return k.BuildTuple(parts)
    if tag in (NONE, SOME):
        return k.Optional(parts[0] if parts else None)
    for constructor in infer.world.constructors.values():
        if constructor.tag == tag:
            return k.Build(constructor, parts)
    return None
