"""Code kept in an environment without the environment in which it was written: what a name stands
for is evaluated where the name is used, which is dynamic scope."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping

from embrix.brix import core as k
from embrix.brix.world import World
from embrix.terms.signature import Signature
from embrix.terms.types import NAME, Con, Tup, Type, settle


def report_code_in_environments(
    world: World, functions: Mapping[str, k.Function], judged: Collection[str], signature: Signature
) -> None:
    """Warn at each clause for a form that uses a name, where the function is given names with bare
    expressions, extends them where names are bound, and evaluates what it looks up with them. A
    table of definitions that is never extended is none."""
    for name in judged:
        function = functions.get(name)
        if function is None or function.subject is None:
            continue
        for at, kind in enumerate(function.types):
            slot = function.slots[at]
            if not _has_bare_code(kind, signature) or not _is_extended(function, slot):
                continue
            for tag, clause in _by_form(function):
                form = signature.by_tag.get(tag)
                if form is None or not form.uses:
                    continue
                if _evaluates(functions, judged, clause.body, slot, set()):
                    held = function.params[at]
                    world.warning(
                        "callers_environment", f"what {held} has for a name is evaluated in {held} "
                        "as it is where the name is used, and not where it was bound",
                        clause.span, f"keep the environment with each expression in {held}",
                    )  # fmt: skip
                    break


def _has_bare_code(kind: Type, signature: Signature) -> bool:
    """Whether names have expressions here, in whatever is built in, without an environment."""
    settled = settle(kind)
    if not isinstance(settled, Con) or settled.name not in ("Env", "Map"):
        return False
    if settled.name == "Map" and settle(settled.args[0]) != NAME:
        return False
    found: list[str] = []
    pending: list[Type] = [settled.args[-1]]
    while pending:
        part = settle(pending.pop())
        if isinstance(part, Tup):
            pending += part.items
        elif isinstance(part, Con):
            found.append(part.name)
            pending += part.args
    return "Env" not in found and any(name in signature.sorts for name in found)


def _is_extended(function: k.Function, slot: int) -> bool:
    """Whether names are added to a parameter somewhere in a function."""
    for part in k.parts_inside(function):
        if isinstance(part, k.Extend) and _begins_with(part.environment, slot):
            return True
        of_map = isinstance(part, k.Primitive) and part.operation == "map_with"
        if of_map and _begins_with(part.args[0], slot):
            return True
    return False


def _begins_with(part: k.Core, slot: int) -> bool:
    while isinstance(part, k.Extend):
        part = part.environment
    return part == k.Local(slot)


def _by_form(function: k.Function) -> Iterator[tuple[int, k.CoreClause]]:
    """The forms for which a function has clauses, with each."""
    assert function.subject is not None
    clauses, column = function.clauses, None
    if function.subject in function.subjects:
        column = function.subjects.index(function.subject)
    elif isinstance(function.body, k.Match):
        subject = k.Local(function.slots[function.subject])
        clauses = function.body.clauses
        subjects = function.body.subjects
        column = subjects.index(subject) if subject in subjects else None
    for clause in clauses if column is not None else ():
        pattern = clause.patterns[column or 0]
        while isinstance(pattern, k.Named):
            pattern = pattern.inner
        if isinstance(pattern, k.Shape):
            yield pattern.tag, clause


def _evaluates(
    functions: Mapping[str, k.Function], judged: Collection[str], body: k.Core, slot: int,
    seen: set[str],
) -> bool:  # fmt: skip
    """Whether something is evaluated with the names in a slot, here or in a function that gets
    them."""
    for part in k.parts_of(body):
        if not isinstance(part, k.Call):
            continue
        for at, arg in enumerate(part.args):
            if arg != k.Local(slot):
                continue
            if part.function in judged:
                return True
            other = functions.get(part.function)
            if other is None or part.function in seen:
                continue
            seen.add(part.function)
            bodies = [clause.body for clause in other.clauses]
            bodies += [other.body] if other.body is not None else []
            if any(_evaluates(functions, judged, one, other.slots[at], seen) for one in bodies):
                return True
    return False
