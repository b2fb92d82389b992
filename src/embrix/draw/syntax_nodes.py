"""Going over the parts of a definition as it is written."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from embrix.text.source import Span


def children(node: object) -> list[object]:
    """What lies directly inside a part, places left out."""
    if isinstance(node, tuple):
        return list(node)
    if isinstance(node, Struct) and not isinstance(node, Span):
        return [getattr(node, one) for one in node.__struct_fields__]
    return []


def nodes(root: object) -> Iterator[object]:
    """All parts of a part, itself among them."""
    pending = [root]
    while pending:
        node = pending.pop()
        yield node
        pending += children(node)
