"""Ways into terms: finding a part by its identity, and putting another one in its place."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeAlias

from embrix.terms.node import FIELDS, Node, Value

Way: TypeAlias = tuple[int, ...]
"""The indexes of the fields through which a part is reached."""


def way_to(whole: Value, part: Value, most: int) -> Way | None:
    """The way to the first place, from the left, at which a node stands in a term; None where it is
    not among the first `most` nodes."""
    pending: list[tuple[Value, Way]] = [(whole, ())]
    for _ in range(most):
        if not pending:
            break
        node, way = pending.pop()
        if node is part:
            return way
        if isinstance(node, tuple):
            pending += [
                (field, (*way, index))
                for index, field in reversed([*enumerate(node[FIELDS:])])
                if isinstance(field, tuple)
            ]
    return None


def part_at(whole: Value, way: Way) -> Value:
    """What stands at the end of a way; None where it leads nowhere."""
    for index in way:
        if not isinstance(whole, tuple) or FIELDS + index >= len(whole):
            return None
        whole = whole[FIELDS + index]
    return whole


def with_parts(whole: Node, instead: Mapping[Way, Value]) -> Node:
    """A term with other parts at the ends of some ways, none of which goes through another one."""
    for way, part in instead.items():
        around: list[Node] = []
        node: Value = whole
        for index in way:
            around.append(node)
            node = node[FIELDS + index]
        made = part
        for parent, index in zip(reversed(around), reversed(way), strict=True):
            made = (*parent[: FIELDS + index], made, *parent[FIELDS + index + 1 :])
        whole = made
    return whole
