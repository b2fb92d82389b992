"""First and follow sets, and which nonterminals derive the empty text."""

from __future__ import annotations

from embrix.grammar.model import Grammar


def nullable(grammar: Grammar) -> frozenset[int]:
    """The nonterminals that derive the empty text."""
    result: set[int] = set()
    changed = True
    while changed:
        changed = False
        for production in grammar.productions:
            if production.left not in result and all(s in result for s in production.right):
                result.add(production.left)
                changed = True
    return frozenset(result)


def first_sets(grammar: Grammar, empty: frozenset[int]) -> dict[int, set[int]]:
    """For each nonterminal the terminals its texts may begin with."""
    first: dict[int, set[int]] = {left: set() for left in grammar.names}
    changed = True
    while changed:
        changed = False
        for production in grammar.productions:
            mine = first[production.left]
            before = len(mine)
            for symbol in production.right:
                mine |= first[symbol] if symbol < 0 else {symbol}
                if symbol not in empty:
                    break
            changed |= len(mine) > before
    return first


def follow_sets(
    grammar: Grammar, empty: frozenset[int], first: dict[int, set[int]]
) -> dict[int, set[int]]:
    """For each nonterminal the terminals that may stand directly behind it.

    Every rule may be tried on its own, so the end of the text may follow any entry.
    """
    follow: dict[int, set[int]] = {left: set() for left in grammar.names}
    for left in grammar.entry.values():
        follow[left].add(grammar.end)
    changed = True
    while changed:
        changed = False
        for production in grammar.productions:
            behind = set(follow[production.left])
            for symbol in reversed(production.right):
                if symbol < 0:
                    before = len(follow[symbol])
                    follow[symbol] |= behind
                    changed |= len(follow[symbol]) > before
                starts = first[symbol] if symbol < 0 else {symbol}
                behind = behind | starts if symbol in empty else set(starts)
    return follow
