"""All derivations of a short sentence at once, and whether there is more than one.

The forest has a node for each nonterminal over each slice of the sentence, with every way to derive
it. A sentence is ambiguous just when a node with two ways can be reached from the root: a node that
derives itself has another way too, or it would derive nothing. Source: packed parse forests, as in
Billot and Lang, "The structure of shared forests in ambiguous parsing" (1989).
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from typing import TypeAlias

from embrix.grammar.model import Grammar, Production
from embrix.grammar.sentences import DerivationTree, Sentence
from embrix.grammar.sets import Sets

Node: TypeAlias = tuple[int, int, int]
"""A nonterminal and the slice that it derives."""

Way: TypeAlias = tuple[Production, tuple[Node | int, ...]]
"""A production with what each of its symbols derives: a node, or a terminal by number."""


class Forest:
    """The derivations of a sentence from a nonterminal."""

    def __init__(self, grammar: Grammar, sets: Sets, start: int, sentence: Sentence) -> None:
        self._grammar = grammar
        self._sets = sets
        self._sentence = sentence
        self._ended = (*sentence, grammar.end)
        self._unwritten = grammar.unwritten
        self.root: Node = (start, 0, len(sentence))
        self._ways: dict[Node, list[Way]] = {}
        self._rank: dict[Node, tuple[int, Way]] = {}
        """For each node that derives its slice when that was found out, and by which way: through
        nodes of lower rank only, so never through itself."""
        self._explore()
        self._settle()

    def ways(self, node: Node) -> list[Way]:
        """The ways that do derive a node."""
        return [way for way in self._ways[node] if all(n in self._rank for n in _nodes(way))]

    def two(self) -> tuple[DerivationTree, DerivationTree] | None:
        """Two derivations of the sentence, where there are two."""
        if self.root not in self._rank:
            return None
        above: dict[Node, tuple[Node, Way, int] | None] = {self.root: None}
        pending = deque([self.root])
        while pending:
            node = pending.popleft()
            ways = self.ways(node)
            if len(ways) > 1:
                first, second = (self._upwards(node, self._by(way), above) for way in ways[:2])
                return first, second
            for way in ways:
                for index, part in enumerate(way[1]):
                    if isinstance(part, tuple) and part not in above:
                        above[part] = (node, way, index)
                        pending.append(part)
        return None

    def derivations(self, most: int) -> list[DerivationTree]:
        """Up to `most` derivations; those that go in a circle are left out."""
        found: list[DerivationTree] = []
        if self.root in self._rank:
            for one in self._each(self.root, frozenset()):
                found.append(one)
                if len(found) >= most:
                    break
        return found

    # ---------------------------------------------------------------- making it

    def _explore(self) -> None:
        """All nodes that may come below the root, with the ways in which they may be derived."""
        pending = [self.root]
        while pending:
            node = pending.pop()
            if node in self._ways:
                continue
            self._ways[node] = list(self._candidates(node))
            pending += [part for way in self._ways[node] for part in _nodes(way)]

    def _candidates(self, node: Node) -> Iterator[Way]:
        symbol, begin, end = node
        for production in self._grammar.by_left.get(symbol, ()):
            if not self._unwritten.isdisjoint(production.right):
                continue
            unless = production.unless
            if unless is not None and self._sets.may_begin(unless, self._ended[end]):
                continue
            for parts in self._splits(production.right, begin, end):
                yield production, parts

    def _splits(
        self, symbols: tuple[int, ...], begin: int, end: int
    ) -> Iterator[tuple[Node | int, ...]]:
        """The ways to cut a slice into one part for each symbol, as far as first tokens allow."""
        if not symbols:
            if begin == end:
                yield ()
            return
        first, rest = symbols[0], symbols[1:]
        if first >= 0:
            if begin < end and self._sentence[begin] == first:
                for tail in self._splits(rest, begin + 1, end):
                    yield (first, *tail)
            return
        for middle in range(begin, end + 1) if rest else (end,):
            if middle == begin and first not in self._sets.empty:
                continue
            if middle > begin and self._sentence[begin] not in self._sets.first[first]:
                break
            for tail in self._splits(rest, middle, end):
                yield ((first, begin, middle), *tail)

    def _settle(self) -> None:
        """Find out which nodes derive their slices: from the leaves up, until nothing is added."""
        waiting: dict[Node, list[tuple[Node, Way]]] = {}
        missing: dict[tuple[Node, int], int] = {}
        done: deque[tuple[Node, Way]] = deque()
        for node, ways in self._ways.items():
            for number, way in enumerate(ways):
                below = set(_nodes(way))
                missing[node, number] = len(below)
                for part in below:
                    waiting.setdefault(part, []).append((node, way))
                if not below:
                    done.append((node, way))
        numbers = {id(way): n for ways in self._ways.values() for n, way in enumerate(ways)}
        while done:
            node, way = done.popleft()
            if node in self._rank:
                continue
            self._rank[node] = (len(self._rank), way)
            for above, other in waiting.get(node, ()):
                key = (above, numbers[id(other)])
                missing[key] -= 1
                if not missing[key]:
                    done.append((above, other))

    # ---------------------------------------------------------------- taking trees from it

    def _by(self, way: Way) -> DerivationTree:
        """A derivation that begins in a way; below it each node by the way found first."""
        production, parts = way
        below = [self._first(part) if isinstance(part, tuple) else part for part in parts]
        return DerivationTree(production, tuple(below))

    def _first(self, node: Node) -> DerivationTree:
        return self._by(self._rank[node][1])

    def _upwards(
        self, node: Node, made: DerivationTree, above: dict[Node, tuple[Node, Way, int] | None]
    ) -> DerivationTree:
        """The whole derivation around one of a node."""
        place = above[node]
        while place is not None:
            node, (production, parts), index = place
            inside: list[DerivationTree | int] = [
                made if number == index
                else self._first(part) if isinstance(part, tuple) else part
                for number, part in enumerate(parts)
            ]  # fmt: skip
            made = DerivationTree(production, tuple(inside))
            place = above[node]
        return made

    def _each(self, node: Node, inside: frozenset[Node]) -> Iterator[DerivationTree]:
        if node in inside:
            return
        for production, parts in self.ways(node):
            for row in self._rows(parts, inside | {node}):
                yield DerivationTree(production, row)

    def _rows(
        self, parts: tuple[Node | int, ...], inside: frozenset[Node]
    ) -> Iterator[tuple[DerivationTree | int, ...]]:
        if not parts:
            yield ()
            return
        heads = self._each(parts[0], inside) if isinstance(parts[0], tuple) else (parts[0],)
        for head in heads:
            for tail in self._rows(parts[1:], inside):
                yield (head, *tail)


def _nodes(way: Way) -> list[Node]:
    return [part for part in way[1] if isinstance(part, tuple)]
