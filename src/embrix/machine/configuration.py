"""What a small-step relation works on: a term, or a configuration of several parts."""

from __future__ import annotations

from collections.abc import Sequence

from embrix.brix.core import RESULT, Function, TemplateParts
from embrix.terms.node import FIELDS, Node, Value, tuple_of


def state(relation: Function, arguments: Sequence[Value]) -> Node:
    """What takes a step where the relation is given some arguments: the one subject; of several
    subjects all arguments as a tuple."""
    if len(relation.subjects) > 1:
        return tuple_of(*arguments)
    term: Node = arguments[relation.control]
    return term


def state_after(relation: Function, arguments: Sequence[Value], result: Value) -> Node:
    """What that step has come to; a parameter of which it gives nothing stays as it was."""
    after = list(arguments)
    if not relation.becomes:
        after[relation.control] = result
    for index, number in enumerate(relation.becomes):
        after[number] = result[FIELDS + index]
    return state(relation, after)


def look(relation: Function) -> TemplateParts:
    """How a state is written, as text and the numbers of parameters: the one subject alone; several
    as the left side of the judgement of the relation, up to the sign before its result, or as a
    tuple where that says nothing of what the relation goes into."""
    subjects = relation.subjects
    if len(subjects) == 1:
        return subjects
    left: list[str | int] = []
    for part in relation.judgement or ():
        if isinstance(part, int) and part <= RESULT:
            break
        left.append(part)
    if left and isinstance(left[-1], str):
        left[-1] = left[-1].partition(" ")[0] if " " in left[-1] else ""
    if relation.control in left:
        return tuple(part for part in left if part != "")
    parts: list[str | int] = ["("]
    for number in subjects:
        parts += [number, ", "]
    return (*parts[:-1], ")")
