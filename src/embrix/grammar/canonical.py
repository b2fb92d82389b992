"""Canonical LR(1) item sets, only to tell whether they have conflicts.

Source: Knuth, "On the translation of languages from left to right" (1965). States can be many, so
their number is bounded.
"""

from __future__ import annotations

from embrix.grammar.model import Grammar
from embrix.grammar.sets import Sets

MOST_STATES = 4_000

_Item = tuple[int, int, int]


def is_lr1(grammar: Grammar, sets: Sets, start: int, most: int = MOST_STATES) -> bool | None:
    """Whether the grammar is LR(1) from a nonterminal; None when that takes too many states."""
    productions = grammar.productions
    by_left: dict[int, list[int]] = {}
    for number, production in enumerate(productions):
        by_left.setdefault(production.left, []).append(number)

    def right(number: int) -> tuple[int, ...]:
        return (start,) if number < 0 else productions[number].right

    def close(kernel: frozenset[_Item]) -> set[_Item]:
        items = set(kernel)
        stack = list(kernel)
        while stack:
            number, dot, look = stack.pop()
            row = right(number)
            if dot >= len(row) or row[dot] >= 0:
                continue
            first, empty = sets.first_of(row[dot + 1 :])
            looks = first | {look} if empty else first
            for other in by_left.get(row[dot], ()):
                for terminal in looks:
                    item = (other, 0, terminal)
                    if item not in items:
                        items.add(item)
                        stack.append(item)
        return items

    begin = frozenset([(-1, 0, grammar.end)])
    known = {begin}
    pending = [begin]
    while pending:
        items = close(pending.pop())
        targets: dict[int, set[_Item]] = {}
        ends: dict[int, int] = {}
        for number, dot, look in items:
            row = right(number)
            if dot < len(row):
                targets.setdefault(row[dot], set()).add((number, dot + 1, look))
                continue
            unless = productions[number].unless if number >= 0 else None
            if unless is not None and sets.may_begin(unless, look):
                continue
            if look in ends and ends[look] != number:
                return False
            ends[look] = number
        if any(terminal in ends for terminal in targets if terminal >= 0):
            return False
        for moved in targets.values():
            kernel = frozenset(moved)
            if kernel not in known:
                if len(known) >= most:
                    return None
                known.add(kernel)
                pending.append(kernel)
    return True
