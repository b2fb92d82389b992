"""First and follow sets, and which nonterminals derive the empty text."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from embrix.grammar.model import Grammar, Production


class Sets(Struct, frozen=True):
    """What is known of the nonterminals of a grammar: `empty` ones derive the empty text; `first`
    and `follow` hold the terminals that texts may begin with, or that may come directly behind."""

    empty: frozenset[int]
    first: dict[int, set[int]]
    follow: dict[int, set[int]]

    def may_begin(self, symbol: int, terminal: int) -> bool:
        """Whether a text of a symbol may begin with a terminal."""
        return terminal in self.first[symbol] if symbol < 0 else terminal == symbol

    def first_of(self, symbols: tuple[int, ...]) -> tuple[set[int], bool]:
        """First set of a row of symbols, and whether all of it may be empty."""
        found: set[int] = set()
        for symbol in symbols:
            found |= self.first[symbol] if symbol < 0 else {symbol}
            if symbol not in self.empty:
                return found, False
        return found, True


def sets_of(grammar: Grammar) -> Sets:
    """The sets of a grammar. Every rule may be tried on its own, so the end of the text may follow
    any rule."""
    empty = _nullable(grammar)
    first = _first_sets(grammar, empty)
    entries = list(grammar.entry.values())
    return Sets(empty, first, _follow_sets(grammar, grammar.productions, entries, empty, first))


def sets_from(grammar: Grammar, start: int) -> Sets:
    """The sets for texts of one nonterminal: only what it reaches counts, and the end of the text
    follows it alone."""
    seen = {start}
    pending = [start]
    while pending:
        for production in grammar.by_left.get(pending.pop(), ()):
            below = {symbol for symbol in production.right if symbol < 0} - seen
            seen |= below
            pending += below
    productions = [one for one in grammar.productions if one.left in seen]
    empty = _nullable(grammar)
    first = _first_sets(grammar, empty)
    return Sets(empty, first, _follow_sets(grammar, productions, [start], empty, first))


def _nullable(grammar: Grammar) -> frozenset[int]:
    result: set[int] = set()
    changed = True
    while changed:
        changed = False
        for production in grammar.productions:
            if production.left not in result and all(s in result for s in production.right):
                result.add(production.left)
                changed = True
    return frozenset(result)


def _first_sets(grammar: Grammar, empty: frozenset[int]) -> dict[int, set[int]]:
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


def _follow_sets(
    grammar: Grammar,
    productions: Sequence[Production],
    starts: Sequence[int],
    empty: frozenset[int],
    first: dict[int, set[int]],
) -> dict[int, set[int]]:
    follow: dict[int, set[int]] = {left: set() for left in grammar.names}
    for left in starts:
        follow[left].add(grammar.end)
    changed = True
    while changed:
        changed = False
        for production in productions:
            behind = set(follow[production.left])
            for symbol in reversed(production.right):
                if symbol < 0:
                    before = len(follow[symbol])
                    follow[symbol] |= behind
                    changed |= len(follow[symbol]) > before
                begin = first[symbol] if symbol < 0 else {symbol}
                behind = behind | begin if symbol in empty else set(begin)
    return follow
