"""Checking the functions of a definition: their signatures first, then their bodies."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from functools import partial

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.clauses import hidden_clauses, report_coverage, report_let, report_match
from embrix.brix.infer import Infer
from embrix.brix.lint import report_lint
from embrix.brix.order import expand_order
from embrix.brix.patterns import Patterns
from embrix.brix.relations import after_step, control_of, term_among
from embrix.brix.world import FunctionSignature, World, count
from embrix.terms.types import BOOL, Type
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


def declare_function(world: World, define: s.Define) -> None:
    """Make the signature of a function known."""
    names = tuple(param.name for param in define.params)
    for number, param in enumerate(define.params):
        if param.name in names[:number]:
            world.error("declared_twice", f"two parameters are called {param.name}", param.span)
    world.variables = set()
    types = tuple(world.type(param.type) for param in define.params)
    known = frozenset(world.variables)
    result = world.type(define.result)
    world.variables = None
    subjects: list[int] = []
    for name, span in define.subjects:
        if name in names:
            subjects.append(names.index(name))
        else:
            world.error(
                "unknown_name", f"{define.name} has no parameter called {name}", span,
                did_you_mean(name, names),
            )  # fmt: skip
    small = any(isinstance(row, s.Final | s.Order) for row in define.rows)
    if define.name in world.functions:
        world.error(
            "declared_twice", f"a function called {define.name} is defined already",
            define.span, "functions of one interpreter bear different names",
        )  # fmt: skip
        return
    world.functions[define.name] = FunctionSignature(
        define.name, names, types, result, tuple(subjects), small and bool(subjects), define.span,
        known, control_of(world.sorts, types, subjects), define.damaged,
    )  # fmt: skip


def check_function(
    world: World,
    define: s.Define,
    judgement: k.TemplateParts | None = None,
    judged: Collection[str] = (),
) -> k.Function:
    """The body or the clauses of a function, checked."""
    signature = world.functions[define.name]
    infer = Infer(world)
    slots = tuple(
        infer.declare(param.name, kind, param.span)
        for param, kind in zip(define.params, signature.types, strict=True)
    )
    subject_types = [signature.types[n] for n in signature.subjects]
    clauses: list[k.CoreClause] = []
    finals: list[k.CoreClause] = []
    absent: list[tuple[k.CorePattern, ...]] = []
    body: k.Core | None = None
    begun, held = world.mark(), len(world.contained)
    world.blame(*signature.types, signature.result)
    unclear = world.hole(begun, define.span) or _no_subject(define, signature)
    """Why nothing of the function can run, if something in its header is not known."""
    open_: k.Todo | None = None
    """What terms come to that an unreadable or wrong line may be about."""
    if define.body is not None:
        body = infer.with_maps(partial(infer.check, define.body, signature.result))
        body = world.hole(begun, define.span) or body
    for row in define.rows:
        mark = world.mark()
        if isinstance(row, s.Final):
            final = _final(world, infer, row, subject_types)
            finals += [final] if world.hole(mark, row.span) is None else []
        elif isinstance(row, s.Order):
            made = expand_order(infer, row, signature, slots)
            clauses += made if world.hole(mark, row.span) is None else []
        elif isinstance(row, s.NoClause):
            absent.append(absent_row(infer, row, subject_types))
        elif isinstance(row, s.Inherit):
            continue  # carried out where the base's clauses were taken over
        elif subject_types:
            clause = infer.with_maps(partial(infer.clause, row, subject_types, signature.result))
            if clause is not None:
                clauses.append(clause)
                continue
        open_ = open_ or world.hole(mark, row.span)
    if subject_types and not clauses and not define.damaged and open_ is None:
        mark = world.mark()
        world.error(
            "missing_part", f"{define.name} has no clauses", define.span,
            "add lines `PATTERN => RESULT`, indented",
        )  # fmt: skip
        open_ = world.hole(mark, define.span)
    if subject_types and define.damaged and open_ is None:
        note = f"a line of {define.name} cannot be read"
        open_ = k.Todo(note, define.span, "unreadable")
    if unclear is not None:
        clauses, body, open_ = [], None if subject_types else unclear, unclear
    if open_ is not None and subject_types:
        everything = tuple(k.Bind(None) for _ in subject_types)
        clauses.append(k.CoreClause(everything, None, open_, define.span))
    becomes = after_step(signature) if signature.small_step else ()
    sound = not define.damaged and (world.mark(), len(world.contained)) == (begun, held)
    function = k.Function(
        define.name, signature.params, slots, signature.types, signature.result,
        term_among(world.sorts, signature.types, signature.subjects), signature.subjects,
        tuple(clauses), body, tuple(finals),
        judgement, define.span, define.helper, signature.control,
        becomes if isinstance(becomes, tuple) else (),
    )  # fmt: skip
    world.checked[define.name] = function
    if define.helper:
        return function
    if clauses and sound:
        look = partial(report_coverage, world, function, absent, define.widened, define.replacing)
        if define.widened == "extend":
            look()  # it may hide a clause of the base, and that is an error
        else:
            world.later.append(look)
    if sound:
        world.later.append(partial(_warn, world, define, function, infer, judged))
    return function


def _warn(
    world: World, define: s.Define, function: k.Function, infer: Infer, judged: Collection[str]
) -> None:
    hidden = hidden_clauses(world, function) if define.widened else []
    for word, match, types in infer.matches:
        if word == "let" and len(match.clauses) == 1:
            if not any(_lies_in(match.span, clause.span) for clause in hidden):
                report_let(world, match, types[0])
        else:
            report_match(world, word, match, types)
    report_lint(world, define, infer.bound, judged)


def _lies_in(inner: Span, outer: Span) -> bool:
    return inner.source is outer.source and outer.start <= inner.start < outer.end


def _no_subject(define: s.Define, signature: FunctionSignature) -> k.Todo | None:
    """That clauses choose by something that is no parameter."""
    for name, span in define.subjects:
        if name not in signature.params:
            note = f"{define.name} has no parameter called {name}"
            return k.Todo(note, span, "unknown_name")
    return None


def absent_row(infer: Infer, row: s.NoClause, types: Sequence[Type]) -> tuple[k.CorePattern, ...]:
    """The shapes that are meant to have no clause."""
    infer.scopes.append({})
    patterns = Patterns(infer.world, infer.declare)
    parts = tuple(patterns.check(p, t) for p, t in zip(row.patterns, types, strict=False))
    infer.scopes.pop()
    return parts + tuple(k.Bind(None) for _ in types[len(parts) :])


def _final(world: World, infer: Infer, row: s.Final, types: Sequence[Type]) -> k.CoreClause:
    """What makes a term final depends on nothing but the subjects: parameters cannot be asked."""
    if len(row.patterns) != len(types):
        world.error(
            "wrong_number", f"this line has {count(len(row.patterns), 'pattern')} for "
            f"{count(len(types), 'subject')}", row.span, "subjects are what stands behind `by`",
        )  # fmt: skip
    scopes, infer.scopes = infer.scopes, [{}]  # not those of the function
    patterns = Patterns(world, infer.declare)
    taken = tuple(patterns.check(p, t) for p, t in zip(row.patterns, types, strict=False))
    guard = infer.check(row.guard, BOOL) if row.guard is not None else None
    infer.scopes = scopes
    return k.CoreClause(taken, guard, k.Const(True), row.span)
