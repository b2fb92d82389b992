"""`order P : a, b` among the clauses of a small-step relation: the clauses it stands for.

For each named part, in order: when it is not final, it takes a step and is put back where it was.
"""

from __future__ import annotations

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.infer import Infer
from embrix.brix.patterns import Patterns
from embrix.brix.world import Signature, unify
from embrix.terms.types import BOOL, Type, show_type
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


def expand_order(
    infer: Infer, row: s.Order, signature: Signature, slots: tuple[int, ...]
) -> list[k.CoreClause]:
    """One clause for each part that an `order` line names."""
    world = infer.world
    if len(signature.subjects) != 1:
        world.error("wrong_number", "a small-step relation has one subject", row.span)
        return []
    if not unify(signature.result, signature.types[signature.subjects[0]]):
        world.error(
            "not_yet", "steps whose result has further components cannot be used in definitions "
            "yet", row.span,
        )  # fmt: skip
        return []
    clauses = []
    for name, span in row.children:
        clause = _clause(infer, row, signature, slots, name, span)
        if clause is not None:
            clauses.append(clause)
    return clauses


def _clause(
    infer: Infer, row: s.Order, signature: Signature, slots: tuple[int, ...], name: str, span: Span
) -> k.CoreClause | None:
    world = infer.world
    kind = signature.types[signature.subjects[0]]
    infer.scopes.append({})
    pattern = Patterns(world, infer.declare).check(row.pattern, kind)
    found = infer.scopes[-1].get(name)
    guard = infer.check(row.guard, BOOL) if row.guard is not None else None
    known = list(infer.scopes.pop())
    if found is None:
        world.error(
            "unknown_name", f"the pattern has no part called {name}", span,
            did_you_mean(name, known),
        )  # fmt: skip
        return None
    slot, part = found
    relation = infer.relation_on(part)
    if relation is None or relation.name != signature.name:
        world.error(
            "no_relation", f"{name} is of type {show_type(part)}, and {signature.name} takes no "
            "steps there", span,
        )  # fmt: skip
        return None
    args: list[k.Core] = [k.Local(number) for number in slots]
    args[signature.subjects[0]] = k.Local(slot)
    step = k.Call(signature.name, tuple(args), row.span)
    rebuilt = _rebuild(infer, pattern, {slot: step}, kind)
    if not isinstance(pattern, k.Shape) or rebuilt is None:
        world.error("wrong_pattern", "`order` needs a form with its parts here", row.span)
        return None
    index = next(
        (n for n, f in enumerate(pattern.fields) if isinstance(f, k.Bind) and f.slot == slot), None
    )
    pending: k.Core = k.Test(
        k.IsFinal(signature.name, k.Local(slot)), k.Const(False), k.Const(True)
    )
    if guard is not None:
        pending = k.Test(guard, pending, k.Const(False))
    return k.CoreClause((rebuilt[1],), pending, rebuilt[0], row.span, index)


def _rebuild(
    infer: Infer, pattern: k.CorePattern, instead: dict[int, k.Core], kind: Type
) -> tuple[k.Core, k.CorePattern] | None:
    """An expression that builds what a pattern matched, some slots replaced; and the pattern with
    every part bound."""
    by_tag = {c.tag: c for c in infer.world.constructors.values()}
    match pattern:
        case k.Bind(slot):
            number = infer.slot() if slot is None else slot
            return instead.get(number, k.Local(number)), k.Bind(number)
        case k.Equals(value):
            return k.Const(value), pattern
        case k.Named(inner, slot):
            built = _rebuild(infer, inner, instead, kind)
            return (built[0], k.Named(built[1], slot)) if built else None
        case k.Shape(tag, fields, wide):
            constructor = by_tag.get(tag)
            if constructor is None:
                return None
            parts = [_rebuild(infer, f, instead, kind) for f in fields]
            if any(part is None for part in parts):
                return None
            kept = [part for part in parts if part is not None]
            core = k.Build(constructor, tuple(part[0] for part in kept))
            return core, k.Shape(tag, tuple(part[1] for part in kept), wide)
