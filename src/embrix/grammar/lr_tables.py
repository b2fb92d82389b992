"""LR item sets and LALR(1) parse tables.

Source: DeRemer and Pennello, "Efficient computation of LALR(1) look-ahead sets" (1982): direct
reads, the relations reads, includes and lookback, and a walk over strongly connected components.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TypeAlias

from msgspec import Struct, field

from embrix.grammar.model import Collect, Grammar, Production
from embrix.grammar.sentences import MADE_SIGNS
from embrix.grammar.sets import Sets, sets_from, sets_of
from embrix.grammar.sketched import sketched

Kernel: TypeAlias = frozenset[tuple[int, int]]
"""Items of a state: number of a production and position of the dot; -1 is the start item."""

START = -1


class Conflict(Struct, frozen=True):
    """A terminal that allows more than one action in a state: reading it, ending productions."""

    state: int
    terminal: int
    shifts: bool
    reduces: tuple[int, ...]


class Tables(Struct, eq=False):
    """The LALR(1) tables for texts of one nonterminal.

    `shift[s][t]` and `goto[s][n]` lead to states, `reduce[s][t]` names a production (or START:
    accepted). Where there is a conflict, reading comes first, then the earlier production.
    """

    grammar: Grammar
    start: int
    kernels: list[Kernel]
    shift: list[dict[int, int]]
    goto: list[dict[int, int]]
    reduce: list[dict[int, int]]
    conflicts: list[Conflict]
    back: list[tuple[int, int]] = field(default_factory=list)
    """For each state a state and a symbol that lead to it by a shortest way."""


def build_tables(grammar: Grammar, sets: Sets, start: int) -> Tables:
    """Item sets and lookaheads for texts of a nonterminal."""
    return _Builder(grammar, sets, start).build()


class _Builder:
    def __init__(self, grammar: Grammar, sets: Sets, start: int) -> None:
        self.grammar = grammar
        self.sets = sets
        self.start = start
        self.productions = grammar.productions
        self.by_left: dict[int, list[int]] = {}
        for number, production in enumerate(self.productions):
            self.by_left.setdefault(production.left, []).append(number)
        self.kernels: list[Kernel] = []
        self.moves: list[dict[int, int]] = []
        self.back: list[tuple[int, int]] = []
        self._closures: dict[int, list[int]] = {}

    def right(self, number: int) -> tuple[int, ...]:
        return (self.start,) if number == START else self.productions[number].right

    def begun_by(self, symbol: int) -> list[int]:
        """The productions that may begin where a nonterminal does."""
        if symbol not in self._closures:
            seen: set[int] = {symbol}
            stack, found = [symbol], []
            while stack:
                for number in self.by_left.get(stack.pop(), ()):
                    found.append(number)
                    right = self.productions[number].right
                    if right and right[0] < 0 and right[0] not in seen:
                        seen.add(right[0])
                        stack.append(right[0])
            self._closures[symbol] = found
        return self._closures[symbol]

    def items(self, kernel: Kernel) -> Iterable[tuple[int, int]]:
        """All items of a state: its kernel, and what begins behind its dots."""
        yield from kernel
        seen: set[int] = set()
        for number, dot in kernel:
            right = self.right(number)
            if dot < len(right) and right[dot] < 0:
                for other in self.begun_by(right[dot]):
                    if other not in seen:
                        seen.add(other)
                        yield other, 0

    def build(self) -> Tables:
        self._states()
        shift: list[dict[int, int]] = []
        goto: list[dict[int, int]] = []
        for moves in self.moves:
            shift.append({s: t for s, t in moves.items() if s >= 0})
            goto.append({s: t for s, t in moves.items() if s < 0})
        looks = self._lookaheads(goto)
        reduce: list[dict[int, int]] = []
        conflicts: list[Conflict] = []
        for state, kernel in enumerate(self.kernels):
            wanted: dict[int, list[int]] = {}
            for number, dot in self.items(kernel):
                if dot < len(self.right(number)):
                    continue
                for terminal in self._allowed(number, looks.get((state, number), set())):
                    wanted.setdefault(terminal, []).append(number)
            reduce.append({})
            for terminal, numbers in sorted(wanted.items()):
                shifts = terminal in shift[state]
                if shifts or len(numbers) > 1:
                    conflicts.append(Conflict(state, terminal, shifts, tuple(sorted(numbers))))
                if not shifts:
                    reduce[state][terminal] = min(numbers)
        return Tables(
            self.grammar, self.start, self.kernels, shift, goto, reduce, conflicts, self.back
        )

    def _allowed(self, number: int, terminals: set[int]) -> set[int]:
        """The terminals before which a production may end: a greedy one reads on instead."""
        if number == START:
            return {self.grammar.end}
        unless = self.productions[number].unless
        if unless is None:
            return terminals
        return {t for t in terminals if not self.sets.may_begin(unless, t)}

    def _states(self) -> None:
        first: Kernel = frozenset([(START, 0)])
        known: dict[Kernel, int] = {first: 0}
        self.kernels.append(first)
        self.back.append((-1, 0))
        at = 0
        while at < len(self.kernels):
            targets: dict[int, set[tuple[int, int]]] = {}
            for number, dot in self.items(self.kernels[at]):
                right = self.right(number)
                if dot < len(right):
                    targets.setdefault(right[dot], set()).add((number, dot + 1))
            moves: dict[int, int] = {}
            for symbol, items in targets.items():
                kernel = frozenset(items)
                if kernel not in known:
                    known[kernel] = len(self.kernels)
                    self.kernels.append(kernel)
                    self.back.append((at, symbol))
                moves[symbol] = known[kernel]
            self.moves.append(moves)
            at += 1

    # ---------------------------------------------------------------- lookaheads

    def _lookaheads(self, goto: list[dict[int, int]]) -> dict[tuple[int, int], set[int]]:
        """For a state and a production that ends there, the terminals that may come next."""
        empty = self.sets.empty
        transitions = [(state, symbol) for state, row in enumerate(goto) for symbol in row]
        direct: dict[tuple[int, int], int] = {}
        reads: dict[tuple[int, int], list[tuple[int, int]]] = {}
        includes: dict[tuple[int, int], list[tuple[int, int]]] = {t: [] for t in transitions}
        lookback: dict[tuple[int, int], list[tuple[int, int]]] = {}
        for state, symbol in transitions:
            target = goto[state][symbol]
            direct[state, symbol] = sum(1 << s for s in self.moves[target] if s >= 0)
            if state == 0 and symbol == self.start:
                direct[state, symbol] |= 1 << self.grammar.end
            reads[state, symbol] = [(target, s) for s in goto[target] if s in empty]
        for state, symbol in transitions:
            for number in self.by_left.get(symbol, ()):
                right = self.productions[number].right
                at = state
                for position, part in enumerate(right):
                    if part < 0 and all(rest in empty for rest in right[position + 1 :]):
                        includes[at, part].append((state, symbol))
                    at = self.moves[at][part]
                lookback.setdefault((at, number), []).append((state, symbol))
        read = _digraph(transitions, lambda t: reads[t], direct)
        follow = _digraph(transitions, lambda t: includes[t], read)
        looks: dict[tuple[int, int], set[int]] = {}
        for key, found in lookback.items():
            bits = 0
            for transition in found:
                bits |= follow[transition]
            looks[key] = _members(bits)
        return looks


_Node: TypeAlias = tuple[int, int]


def _digraph(
    nodes: list[_Node], related: Callable[[_Node], list[_Node]], initial: dict[_Node, int]
) -> dict[_Node, int]:
    """The least sets that hold the initial ones and those of related nodes, as bits of integers.

    A walk over strongly connected components (Tarjan's, with a stack of its own): each node and
    each relation is looked at once.
    """
    result = dict(initial)
    depth: dict[_Node, int] = {}
    done = len(nodes) + 1
    component: list[_Node] = []
    for root in nodes:
        if root in depth:
            continue
        depth[root] = len(component) + 1
        component.append(root)
        walk = [(root, depth[root], iter(related(root)))]
        while walk:
            node, own, others = walk[-1]
            for other in others:
                if other not in depth:
                    depth[other] = len(component) + 1
                    component.append(other)
                    walk.append((other, depth[other], iter(related(other))))
                    break
                depth[node] = min(depth[node], depth[other])
                result[node] |= result[other]
            else:
                walk.pop()
                if depth[node] == own:
                    while True:
                        member = component.pop()
                        depth[member] = done
                        result[member] = result[node]
                        if member is node:
                            break
                if walk:
                    above = walk[-1][0]
                    depth[above] = min(depth[above], depth[node])
                    result[above] |= result[node]
    return result


def _members(bits: int) -> set[int]:
    """The numbers of the bits that are set."""
    found: set[int] = set()
    while bits:
        low = bits & -bits
        found.add(low.bit_length() - 1)
        bits ^= low
    return found


def production_text(
    grammar: Grammar, production: Production, dot: int = -1, *, levels: bool = True
) -> str:
    """A production as people write it, with a dot if asked for; without `levels` of operator tables
    and what a repetition is made of, in the author's words only."""
    if not levels and isinstance(production.build, Collect):
        return _repetition_text(grammar, production, dot)
    words = [name_of(grammar, symbol, levels=levels) for symbol in production.right]
    if dot >= 0:
        words.insert(dot, "•")
    left = name_of(grammar, production.left, levels=levels)
    return f"{left} → {' '.join(words) or 'nothing'}"


def _repetition_text(grammar: Grammar, production: Production, dot: int) -> str:
    """What a production of a repetition adds to it."""
    shown = name_of(grammar, production.left, levels=False)
    build = production.build
    assert isinstance(build, Collect)
    if build.step not in ("some", "one", "add"):
        return f"{shown}: no more" if production.right else f"{shown} → nothing"
    more = build.step == "add"
    words = [name_of(grammar, symbol, levels=False) for symbol in production.right[more:]]
    if dot >= more:
        words.insert(dot - more, "•")
    return f"{shown}: {'one more ' if more else ''}{' '.join(words)}"


def name_of(grammar: Grammar, symbol: int, *, levels: bool = True) -> str:
    """A symbol as people call it; one that stands for a level of an operator table bears the number
    of that level, or without `levels` the name of the table; what a repetition is made of is called
    as one that is never empty, or without `levels` as the repetition."""
    if symbol < 0:
        return (
            grammar.names[symbol] if levels else grammar.owners.get(symbol, grammar.names[symbol])
        )
    if symbol == grammar.end:
        return "end"
    kind = grammar.tokens.kind_of(symbol)
    if kind is not None and kind.made == "todo":
        return MADE_SIGNS["todo"]
    return kind.name if kind is not None else f"`{grammar.tokens.literals[symbol]}`"


def sets_text(grammar: Grammar, rule: str) -> list[str]:
    """First and follow sets of the nonterminals that a rule reaches, as lines."""
    grammar = sketched(grammar)
    sets = sets_from(grammar, grammar.entry[rule])
    lines = ["  first and follow"]
    for left in reached(grammar, grammar.entry[rule]):
        empty = "  (may be empty)" if left in sets.empty else ""
        lines.append(f"    {grammar.names[left]}{empty}")
        for word, found in (("first", sets.first[left]), ("follow", sets.follow[left])):
            names = ", ".join(name_of(grammar, terminal) for terminal in sorted(found))
            lines.append(f"      {word:<7}{names}")
    return lines


def items_text(grammar: Grammar, rule: str) -> list[str]:
    """The LR item sets of texts of a rule, with what each token leads to, as lines."""
    grammar = sketched(grammar)
    tables = build_tables(grammar, sets_of(grammar), grammar.entry[rule])
    lines: list[str] = []
    for state, kernel in enumerate(tables.kernels):
        lines.append(f"  state {state}")
        for number, dot in sorted(kernel):
            if number == START:
                words = ["•", rule] if dot == 0 else [rule, "•"]
                lines.append(f"    start → {' '.join(words)}")
            else:
                lines.append(f"    {production_text(grammar, grammar.productions[number], dot)}")
        for symbol, target in [*tables.shift[state].items(), *tables.goto[state].items()]:
            lines.append(f"      {name_of(grammar, symbol)}: to state {target}")
        for terminal, number in tables.reduce[state].items():
            done = "accept" if number == START else "end "
            if number != START:
                done += production_text(grammar, grammar.productions[number])
            lines.append(f"      {name_of(grammar, terminal)}: {done}")
    return lines


def reached(grammar: Grammar, start: int) -> list[int]:
    """The nonterminals that a derivation from `start` can meet."""
    seen = [start]
    for left in seen:
        for production in grammar.by_left.get(left, ()):
            for symbol in production.right:
                if symbol < 0 and symbol not in seen:
                    seen.append(symbol)
    return seen
