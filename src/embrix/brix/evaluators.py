"""The functions of a definition that do its work: where no `judgement` is declared, their calls are
the steps of a run.

These are the functions over the terms of a sort, calling themselves, that `main` comes to first;
and those over terms that call each other with them.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping

from embrix.brix import core as k
from embrix.brix import syntax as s
from embrix.brix.paths import inside
from embrix.brix.world import FunctionSignature, World
from embrix.terms.types import Con, settle


def evaluators(world: World, defines: Iterable[s.Define], main: str) -> list[str]:
    """Their names, in the order of the definition."""
    calls = {one.name: _called(one) & world.functions.keys() for one in defines}
    reached = {name: reached_from(calls, name) for name in calls}
    over_terms = [
        name for name in calls
        if name in reached[name] and _over_terms(world, world.functions[name])
    ]  # fmt: skip
    first: set[str] = set()
    pending, seen = [main], {main}
    while pending:
        name = pending.pop()
        if name in over_terms:
            first.add(name)
            continue
        more = calls.get(name, set()) - seen
        seen |= more
        pending += more
    return [
        name for name in over_terms
        if name in first or any(name in reached[one] and one in reached[name] for one in first)
    ]  # fmt: skip


def repeating(
    world: World, defines: Iterable[s.Define], main: str, working: Collection[str]
) -> str:
    """The function in which a run repeats a small-step relation: `main`, or one that it comes to
    before any that does its work in another way; nothing where there is none."""
    by_name = {one.name: one for one in defines}
    pending = [main]
    for name in pending:  # which grows while it is gone through
        define = by_name.get(name)
        parts = [] if define is None else list(inside((define.rows, define.body)))
        if any(isinstance(part, s.Repeat) for part in parts):
            return name
        called = [part.name for part in parts if isinstance(part, s.Ref) and part.name in by_name]
        if any(one in working for one in called):
            return ""
        pending += [
            one for one in dict.fromkeys(called)
            if one not in pending and not world.functions[one].small_step
        ]  # fmt: skip
    return ""


def plain_template(name: str, params: int) -> k.TemplateParts:
    """A judgement in the plainest form: `f(a, b) ⇓ result`."""
    parts: list[str | int] = [f"{name}("]
    for number in range(params):
        parts += [", ", number] if number else [number]
    return (*parts, ") ⇓ ", k.RESULT)


def _called(define: s.Define) -> set[str]:
    return {part.name for part in inside((define.rows, define.body)) if isinstance(part, s.Ref)}


def reached_from(calls: Mapping[str, set[str]], name: str) -> set[str]:
    """What a function comes to by calls."""
    found: set[str] = set()
    pending = list(calls[name])
    while pending:
        one = pending.pop()
        if one not in found:
            found.add(one)
            pending += calls.get(one, ())
    return found


def _over_terms(world: World, signature: FunctionSignature) -> bool:
    if not signature.subjects:
        return False
    kind = settle(signature.types[signature.subjects[0]])
    return isinstance(kind, Con) and kind.name in world.sorts
