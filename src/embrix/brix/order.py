"""`order P : a, b` among the clauses of a small-step relation: the clauses it stands for.

For each named part, in order: when it is not final, it takes a step and is put back where it was.
With `in any order` all of these are ways, open where the part is not final. `P` is for what the
relation goes into; other subjects may be anything, and are handed to the step of the part.
"""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.infer import Infer
from embrix.brix.patterns import Patterns
from embrix.brix.relations import after_step, handed_over, wrong_step
from embrix.brix.world import FunctionSignature
from embrix.terms.node import CONS, NIL, NONE, SOME, TUPLE
from embrix.terms.types import BOOL, Con, settle, show_type
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


def expand_order(
    infer: Infer, row: s.Order, signature: FunctionSignature, slots: tuple[int, ...]
) -> list[k.CoreClause]:
    """One clause for each part that an `order` line names; one for all where their order is left
    open."""
    world = infer.world
    if not signature.subjects:
        return []
    wrong = wrong_step(signature)
    if wrong is not None:
        world.error("type_mismatch", wrong, row.span)
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
    subjects = tuple(k.Local(slots[number]) for number in signature.subjects)
    anything = tuple(k.Bind(None) for _ in subjects)
    span = clauses[0].span

    def matched(clause: k.CoreClause, body: k.Core, instead: k.Core | None) -> k.Core:
        """What a body gives with the variables of a clause."""
        taken = k.CoreClause(clause.patterns, None, body, span)
        missed = [k.CoreClause(anything, None, instead, span)] if instead else []
        return k.Match(subjects, tuple(infer.slot() for _ in subjects), (taken, *missed), span)

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
        kind = signature.types[signature.control]
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
        asked = tuple(self.handed(relation, number, slot) for number in relation.subjects)
        pending: k.Core = k.Test(
            k.IsFinal(relation.name, asked, listed), k.Const(False), k.Const(True)
        )
        if guard is not None:
            pending = k.Test(guard, pending, k.Const(False))
        patterns = tuple(
            rebuilt[1] if number == signature.control else k.Bind(None)
            for number in signature.subjects
        )
        return k.CoreClause(patterns, pending, body, row.span, () if index is None else (index,))

    def stepping(
        self, relation: FunctionSignature, slot: int, stepped: int, whole: k.Core, *, listed: bool
    ) -> k.Core:
        """The part takes its step, and the whole is put together again; what comes besides the
        part goes where the relation of the whole gives it."""
        infer = self.infer
        args = tuple(self.handed(relation, number, slot) for number in range(len(relation.types)))
        span = self.row.span
        step: k.Core
        if listed:
            step = k.StepList(relation.name, k.Local(slot), args, span)
        else:
            step = k.Call(relation.name, args, span)
        becomes = after_step(relation)
        given = becomes if isinstance(becomes, tuple) else ()
        slots = {number: infer.slot() for number in given if number != relation.control}
        taken: k.CorePattern = k.Bind(stepped)
        if given:
            fields = tuple(k.Bind(slots.get(number, stepped)) for number in given)
            taken = k.Shape(TUPLE, fields, wide=False)
        result = self.put_together(relation, slots, whole)
        clause = k.CoreClause((taken,), None, result, span)
        return k.Match((step,), (infer.slot(),), (clause,), span)

    def put_together(
        self, relation: FunctionSignature, given: dict[int, int], whole: k.Core
    ) -> k.Core:
        """What the step of the whole gives: the whole, and of the other parameters what the step of
        the part has given for them, or what they were."""
        becomes = after_step(self.signature)
        if not isinstance(becomes, tuple) or not becomes:
            return whole
        after = {self.source(relation, number): slot for number, slot in given.items()}
        parts = (k.Local(after.get(number, self.slots[number])) for number in becomes)
        control = self.signature.control
        return k.BuildTuple(tuple(
            whole if number == control else part
            for number, part in zip(becomes, parts, strict=True)
        ))  # fmt: skip

    def handed(self, relation: FunctionSignature, number: int, slot: int) -> k.Core:
        """What the step of the part is given for a parameter of its relation."""
        if number == relation.control:
            return k.Local(slot)
        source = self.source(relation, number)
        return k.Local(self.slots[source]) if source is not None else k.Const(False)

    def source(self, relation: FunctionSignature, number: int) -> int | None:
        """The own parameter that is handed to the step of a part as one of its."""
        signature = self.signature
        own = handed_over(signature, relation, number)
        if own is not None:
            return own
        wanted = show_type(relation.types[number])
        self.infer.world.error(
            "type_mismatch", f"a step of {self.name} needs {wanted}, and {signature.name} has no "
            "parameter of that type", self.span,
        )  # fmt: skip
        return None


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
