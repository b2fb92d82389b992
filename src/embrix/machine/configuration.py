"""What a small-step relation works on: a term, or a configuration of several parts as a tuple."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix.core import Function
from embrix.terms.node import FIELDS, Node, Value, tuple_of


def state(relation: Function, arguments: Sequence[Value]) -> Node:
    """What takes a step where the relation is given some arguments."""
    return whole_of([arguments[number] for number in relation.subjects])


def whole_of(parts: Sequence[Value]) -> Node:
    """The parts of a configuration as one value."""
    whole: Node = parts[0] if len(parts) == 1 else tuple_of(*parts)
    return whole


def state_after(relation: Function, arguments: Sequence[Value], result: Value) -> Node:
    """What that step has come to; a subject of which it gives nothing stays as it was."""
    after = list(arguments)
    if not relation.becomes:
        after[relation.control] = result
    for index, number in enumerate(relation.becomes):
        after[number] = result[FIELDS + index]
    return state(relation, after)
