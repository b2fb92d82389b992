"""The pass that leaves the branches out which other decisions of the choices would take."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace

from embrix.brix import core as k
from embrix.machine.planned import changed_clause, with_parts


def only_decided(function: k.Function, decided: Callable[[str], str]) -> k.Function:
    """The function without the branches that other decisions of its choices would take."""

    def kept(node: Any, last: bool) -> Any:
        if isinstance(node, k.Test) and isinstance(node.test, k.Decided):
            chosen = decided(node.test.choice) == node.test.alternative
            return kept(node.yes if chosen else node.no, last)
        return with_parts(node, kept, last)

    if not any(isinstance(part, k.Decided) for part in k.parts_inside(function)):
        return function
    return replace(
        function,
        body=kept(function.body, True) if function.body is not None else None,
        clauses=tuple(changed_clause(one, kept, True) for one in function.clauses),
        finals=tuple(changed_clause(one, kept, False) for one in function.finals),
    )
