"""Where a clause with a context finds what it rewrites: the place in the term around it."""

from __future__ import annotations

from embrix.brix.contexts import LOOKING
from embrix.brix.core import Bind, Call, Function, parts_of
from embrix.grammar.printed import Path
from embrix.machine.faults import Ended
from embrix.machine.run import Machine
from embrix.terms.node import FIELDS, Node
from embrix.terms.ways import way_to

MOST_NODES = 20_000
"""Nodes in which the place is looked for."""


def place_in_context(
    machine: Machine, function: Function, clause: int, term: Node
) -> tuple[Path, Node] | None:
    """The way into a term to what a clause of a small-step function takes in its context, and what
    stands there; None for a clause without a context, or with one inside a form: what it rewrites
    is that form."""
    if not 0 <= clause < len(function.clauses):
        return None
    taken = function.clauses[clause]
    if not all(isinstance(pattern, Bind) for pattern in taken.patterns):
        return None
    for part in parts_of(taken.guard):
        if isinstance(part, Call) and part.function.startswith(f"{function.name} {LOOKING} "):
            try:
                found = machine.apply(part.function, (term,))
            except Ended:
                return None
            if not isinstance(found, tuple) or len(found) == FIELDS:
                return None
            inner: Node = found[FIELDS][FIELDS]
            way = way_to(term, inner, MOST_NODES)
            return (way, inner) if way is not None else None
    return None
