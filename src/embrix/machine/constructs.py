"""What single constructs of the notation become in Python: knots, attempts, lookups, loops over
lists, and small steps."""

from __future__ import annotations

import ast
from collections.abc import Sequence

from embrix.brix import core as k
from embrix.machine.calling import CallEmitter
from embrix.machine.emitter import BOUNCE, Target, spent
from embrix.machine.events import Caught, Counted, Protected
from embrix.machine.matching import Matching
from embrix.machine.planned import INSIDE, Inlined
from embrix.machine.pycode import (
    assign,
    call,
    compare,
    const,
    do,
    function,
    item,
    load,
    loop,
    negation,
    row,
    when,
)
from embrix.machine.tails import VALUES
from embrix.terms.node import (
    CONS,
    EMPTY_NODE,
    FIELDS,
    ITSELF_NODE,
    KNOT,
    NIL,
    NIL_NODE,
    SOME,
    TUPLE,
)
from embrix.text.source import Span

FAR, NEAR = "h0", 3
"""The function that walks along the frames of an environment, and how many frames are passed
before it is called."""


def free_slots(node: object) -> list[int]:
    """The slots that an expression, or several, use and do not set themselves."""
    used: set[int] = set()
    own: set[int] = set()
    for part in k.parts_of(node, INSIDE):
        match part:
            case k.Local(slot):
                used.add(slot)
            case k.Lambda(slots) | Inlined(_, slots):
                own.update(slots)
            case k.Match():
                own.update(part.slots)
            case k.Knot():
                own.add(part.slot)
            case k.Bind(int() as slot) | k.Named(_, slot):
                own.add(slot)
    return sorted(used - own)


def knot(body: CallEmitter, node: k.Knot) -> None:
    """Frames whose values mention the environment: each is filled in when it is read."""
    base = body.held(body.value(node.base))
    body.out.append(assign(f"s{node.slot}", base))
    inner_name = f"s{node.slot}"
    fills: list[str] = []
    keys: list[ast.expr] = []
    raws: list[ast.expr] = []
    for key, value in node.pairs:
        keys.append(body.held(body.value(key)))
        # As it is written down: the environment stands for itself.
        body.out.append(assign(inner_name, body.unit.constant(ITSELF_NODE)))
        raws.append(body.held(body.value(value)))
    for number in reversed(range(len(node.pairs))):
        fills.insert(0, filling(body, node, number, keys, raws, fills))
    frame = base
    for key_expr, raw, filled in zip(keys, raws, fills, strict=True):
        frame = row(const(KNOT), const(None), key_expr, raw, frame, load(filled))
    body.out.append(assign(inner_name, frame))


def filling(
    body: CallEmitter,
    node: k.Knot,
    number: int,
    keys: list[ast.expr],
    raws: list[ast.expr],
    later: list[str],
) -> str:
    """The function that gives the value of a knot, from the frame that it stands in."""
    frame: ast.expr = load("x")
    for offset, fill in enumerate(later, number + 1):
        frame = row(const(KNOT), const(None), keys[offset], raws[offset], frame, load(fill))
    inner = body.nested()
    inner.counts_made = False  # they are made once, when the knot is tied
    inner.out.append(assign(f"s{node.slot}", frame))
    value = inner.value(node.pairs[number][1])
    inner.out.append(ast.Return(value))
    lambda_of = k.Lambda((node.slot,), node.pairs[number][1], Span(0, 0))
    taken = {f"s{slot}" for slot in free_slots(lambda_of)} | {body.here}
    for part in (*keys[number + 1 :], *raws[number + 1 :], *map(load, later)):
        assert isinstance(part, ast.Name)
        taken.add(part.id)
    name = body.temporary()
    order = sorted(taken - {f"s{node.slot}"})
    made = function(name, ["x", *order], [ast.Nonlocal(list(body.unit.counters)), *inner.out])
    made.args.defaults = [load(one) for one in order]
    body.out.append(made)
    return name


def attempt(body: CallEmitter, node: k.Attempt, target: Target) -> None:
    """A value under protection; the handlers stand outside it."""
    result, caught, done = body.temporary(), body.temporary(), body.temporary()
    kept = body.temporary()
    body.out += [Protected(kept), assign(caught, const(None))]
    inner = body.inside(node.value, result)
    handler = ast.ExceptHandler(load("failed"), "x", [assign(caught, load("x"))])
    body.out.append(ast.Try(inner, [handler], [], []))
    failing: list[ast.stmt] = []
    outer, body.out = body.out, failing
    body.out += [Caught(kept), assign(done, const(False))]
    for one in node.handlers:
        same = compare(
            ast.Attribute(load(caught), "error", ast.Load()), ast.Is(),
            body.unit.constant(one.error),
        )  # fmt: skip
        payload = ast.Attribute(load(caught), "payload", ast.Load())
        parts = [item(payload, number) for number in range(len(one.patterns))]
        clause = k.CoreClause(one.patterns, one.guard, one.body, node.span)
        before, body.out = body.out, []
        Matching(body).clause(parts, clause, -1, result, done, known=False)
        handling, body.out = body.out, before
        ready = ast.BoolOp(ast.And(), [negation(load(done)), same])
        body.out.append(when(ready, handling))
    body.out.append(when(negation(load(done)), [ast.Raise(load(caught))]))
    body.out = outer
    body.out.append(when(compare(load(caught), ast.IsNot(), const(None)), failing))
    body.give(load(result), target)


def fetch(body: CallEmitter, node: k.Fetch) -> ast.expr:
    """What is under a key of a store, map or list."""
    container, key = body.operands((node.container, node.key))
    if node.kind == "store":
        body.out.append(Counted("read"))
    result = body.temporary()
    if node.instead is None and node.kind == "store":
        # The walk is written out; `store_at` says what is missing.
        container, key = body.held(container), body.held(key)
        find = ast.Attribute(item(container, FIELDS), "get", ast.Load())
        found_at = ast.Call(find, [item(key, FIELDS), load(BOUNCE)], [])
        body.out.append(assign(result, found_at))
        missing = do(call("store_at", container, key, load(body.here)))
        body.out.append(when(compare(load(result), ast.Is(), load(BOUNCE)), [missing]))
        return load(result)
    if node.instead is None:
        return call(f"{node.kind}_at", container, key, load(body.here))
    body.out.append(assign(result, call(f"{node.kind}_find", container, key)))
    found: list[ast.stmt] = []
    if node.wraps:
        found = [assign(result, row(const(SOME), const(None), load(result)))]
    absent = compare(load(result), ast.Is(), load(BOUNCE))
    body.out.append(when(absent, body.inside(node.instead, result), found))
    return load(result)


def loop_over(body: CallEmitter, node: k.Loop) -> ast.expr:
    """A function called with each item of a list: the loop stands in the caller."""
    operands = (node.items, *((node.start,) if node.start is not None else ()), node.function)
    values = body.operands(operands)
    items, called = body.temporary(), body.temporary()
    result, one = body.temporary(), body.temporary()
    start = values[1] if node.kind == "fold" else body.unit.constant(NIL_NODE)
    body.out += [
        assign(items, values[0]), assign(called, values[-1]), assign(result, start),
    ]  # fmt: skip
    outer, body.out = body.out, []
    head = item(load(items), FIELDS)
    body.out.append(assign(one, head))
    args = [load(result), load(one)] if node.kind == "fold" else [load(one)]
    made = ast.Call(load(called), args, [])
    value = body.result_of(made, bounces=body.unit.may_bounce(VALUES))
    if node.kind == "fold":
        body.out.append(assign(result, value))
    elif node.kind == "map":
        body.out.append(assign(result, row(const(CONS), const(None), value, load(result))))
    else:
        kept = row(const(CONS), const(None), load(one), load(result))
        body.out.append(when(value, [assign(result, kept)]))
    body.out.append(assign(items, item(load(items), FIELDS + 1)))
    inner, body.out = body.out, outer
    more = compare(item(load(items), 0), ast.Eq(), const(CONS))
    body.out.append(loop(more, inner))
    return load(result) if node.kind == "fold" else call("reversed", load(result))


def all_final(body: CallEmitter, name: str, args: tuple[k.Core, ...]) -> ast.expr:
    """Whether every item of a list is final: goes to the first that is not."""
    items = first_waiting(body, name, body.operands(args), [])
    return compare(item(load(items), 0), ast.Eq(), const(NIL))


def first_waiting(
    body: CallEmitter, name: str, subjects: Sequence[ast.expr], each: list[ast.stmt]
) -> str:
    """The rest of a list from its first item that is not final; `each` is done on the way. The list
    is one of the subjects of a relation, the one that it goes into."""
    relation = body.unit.functions[name]
    at = relation.control_place
    items = body.temporary()
    body.out.append(assign(items, subjects[at]))
    asked = [
        item(load(items), FIELDS) if number == at else body.held(subject)
        for number, subject in enumerate(subjects)
    ]
    final = call(f"final_f{body.unit.numbers[name]}", *asked)
    going = ast.BoolOp(ast.And(), [compare(item(load(items), 0), ast.Eq(), const(CONS)), final])
    step = assign(items, item(load(items), FIELDS + 1))
    for statement in ast.walk(ast.Module(each, [])):
        if isinstance(statement, ast.Name) and statement.id == "y":
            statement.id = items
    body.out.append(loop(going, [*spent(), *each, step]))
    return items


def step_list(body: CallEmitter, name: str, items: k.Core, args: tuple[k.Core, ...]) -> ast.expr:
    """The first item that is not final takes a step, and the list is put together again."""
    done = body.temporary()
    body.out.append(assign(done, body.unit.constant(NIL_NODE)))
    head = item(load("y"), FIELDS)
    keep = assign(done, row(const(CONS), const(None), head, load(done)))
    relation = body.unit.functions[name]
    values = [body.held(value) for value in body.operands(args)]
    values[relation.control] = body.value(items)
    waiting = first_waiting(body, name, [values[one] for one in relation.subjects], [keep])
    values[relation.control] = item(load(waiting), FIELDS)
    step = body.held(body.call(name, values))
    made = (
        item(step, FIELDS + relation.becomes.index(relation.control)) if relation.becomes else step
    )
    rest = item(load(waiting), FIELDS + 1)
    whole = call("rejoined", load(done), row(const(CONS), const(None), made, rest))
    if not relation.becomes:
        return whole
    parts = [
        whole if number == relation.control else item(step, FIELDS + index)
        for index, number in enumerate(relation.becomes)
    ]
    return row(const(TUPLE), const(None), *parts)


def lookup(body: CallEmitter, node: k.Lookup) -> ast.expr:
    """A walk along the frames: the first few written out in the caller."""
    environment, key = body.operands((node.environment, node.key))
    frame, name = body.temporary(), body.temporary()
    body.out += [assign(frame, environment), assign(name, key)]
    body.out.append(Counted("lookups"))
    here = load(frame)
    unlike = compare(item(here, FIELDS), ast.NotEq(), load(name))
    empty = body.unit.constant(EMPTY_NODE)
    going = ast.BoolOp(ast.And(), [compare(here, ast.IsNot(), empty), unlike])
    walk: list[ast.stmt] = [assign(frame, call(FAR, here, load(name)))]
    for _ in range(NEAR):
        onward = assign(frame, item(here, FIELDS + 2))
        walk = [when(going, [Counted("hops"), onward, *walk])]
    body.out += walk
    found = compare(here, ast.IsNot(), empty)
    value = item(here, FIELDS + 1)
    if body.unit.knots:
        # A knot is filled in when it is read.
        filled = ast.Call(item(here, FIELDS + 3), [here], [])
        tied = compare(item(here, 0), ast.Eq(), const(KNOT))
        value = ast.IfExp(tied, filled, value)
    if node.instead is None:
        missing: list[ast.stmt] = [do(call("absent", load(name), load(body.here)))]
        body.out.append(when(ast.UnaryOp(ast.Not(), found), missing))
        return value
    result = body.temporary()
    if node.wraps:
        value = row(const(SOME), const(None), value)
    taken: list[ast.stmt] = [assign(result, value)]
    body.out.append(when(found, taken, body.inside(node.instead, result)))
    return load(result)


def repeat(body: CallEmitter, node: k.Repeat) -> ast.expr:
    relation = body.unit.functions[node.function]
    number = body.unit.numbers[node.function]
    names = [body.temporary() for _ in node.args]
    for name, value in zip(names, body.operands(node.args), strict=True):
        body.out.append(assign(name, value))
    final = call(f"final_f{number}", *(load(names[one]) for one in relation.subjects))
    outer, body.out = body.out, [*spent(), Counted("rounds")]
    if body.unit.watched == body.key:
        other = body.temporary()
        body.out.append(assign(other, call("at_state", row(*(load(name) for name in names)))))
        instead = [assign(name, item(load(other), at)) for at, name in enumerate(names)]
        body.out.append(when(compare(load(other), ast.IsNot(), const(None)), instead))
    made = body.call(node.function, [load(name) for name in names])
    if not relation.becomes:
        body.out.append(assign(names[relation.control], made))
    else:
        step = body.temporary()
        body.out.append(assign(step, made))
        for index, one in enumerate(relation.becomes):
            body.out.append(assign(names[one], item(load(step), FIELDS + index)))
    inner, body.out = body.out, outer
    body.out.append(loop(negation(final), inner))
    if not relation.becomes:
        return load(names[relation.control])
    return row(const(TUPLE), const(None), *(load(names[one]) for one in relation.becomes))
