"""All mistakes of a text that is refused, not only the first.

Where reading stops, the text is repaired at least cost (a token left out, put in, or replaced), and
reading goes on; where it stops again there is another mistake. A repair counts only if the next
tokens can be read after it, so one mistake is not reported many times. Nothing of a repair is
shown: it is a guess, while the places where reading stops are not.

Source: the least-cost repair follows Aho and Peterson, "A minimum distance error-correcting parser
for context-free languages" (1972), looked for from one place with a bound instead of over the whole
text. Items are those of Earley; the origin of each is the set it began in, so sets are shared by
all ways to go on.
"""

from __future__ import annotations

import heapq
import itertools
from bisect import bisect_left
from typing import TypeAlias

from msgspec import Struct, field

from embrix.grammar.expecting import explained, in_order, span_at
from embrix.grammar.model import Grammar, Production
from embrix.grammar.parser import Refused
from embrix.grammar.sets import sets_of
from embrix.grammar.tokens import Invalid, Tokens
from embrix.text.source import Span

MOST_MISTAKES = 20
"""Mistakes that are reported in one text."""
AFTER = 3
"""Tokens that must be readable after a repair."""
FAR = 24
"""Tokens that are read to choose among repairs of one cost."""
DEAREST = 3.0
"""The greatest cost of a repair; each edit costs about one."""
TRIED = 300
"""Half-repaired texts that are looked at for one mistake."""
LEFT_OUT = 200
"""Tokens in a row that may be left out where nothing cheaper helps."""
FUEL = 400_000
"""Items that are made for one text; about a second of work at most."""


class Mishap(Struct, frozen=True):
    """A reason why a text is refused, and its place."""

    message: str
    span: Span


def mishaps(
    grammar: Grammar, text: str, refused: Refused, rule: str | None = None, fuel: int = FUEL
) -> tuple[Mishap, ...]:
    """The mistakes of a text that was refused: first the one that was reported, then the others in
    the order of the text."""
    first = Mishap(refused.message, refused.span)
    tokens = grammar.tokens.cut(text, to_the_end=True)
    pieces = _joined(tokens.invalid)
    found = [Mishap(one.message, one.span) for one in pieces]
    names = (rule,) if rule is not None else grammar.starts
    budget = _Budget(fuel)
    ways = [_Recovery(grammar, text, tokens, grammar.entry[name], budget) for name in names]
    stopped = [way.first_stop() for way in ways]
    best = ways[stopped.index(max(stopped))]
    starts = [token.start for token in tokens.tokens]
    beside = {at for piece in pieces for at in _beside(starts, piece)}
    found += [one for index, one in best.all() if index not in beside]
    others = [one for one in found if one.span.start != first.span.start]
    return (first, *sorted(others, key=lambda one: one.span.start))[:MOST_MISTAKES]


def _joined(invalid: tuple[Invalid, ...]) -> list[Invalid]:
    """Pieces that cannot be read, those that touch as one."""
    groups: list[list[Invalid]] = []
    for one in invalid:
        last = groups[-1][-1] if groups else None
        if last and last.span.end == one.span.start and not (one.reason or last.reason):
            groups[-1].append(one)
        else:
            groups.append([one])
    return [
        group[0] if len(group) == 1 else Invalid(
            Span(group[0].span.start, group[-1].span.end), "".join(one.text for one in group)
        )
        for group in groups
    ]  # fmt: skip


def _beside(starts: list[int], piece: Invalid) -> set[int]:
    """The numbers of the tokens (by where they start) right behind a piece that could not be read:
    what is wrong there may come of it. What stands before it is read without it."""
    behind = bisect_left(starts, piece.span.end)
    return {behind, behind + 1}


class _Spent(Exception):
    """The fuel is used up."""


class _Budget(Struct):
    fuel: int


class _Set(Struct, eq=False):
    """What waits in one place of the text for a nonterminal, and for a terminal."""

    begins: bool
    """Whether it is the beginning of the text."""
    waiting: dict[int, list[_Item]] = field(default_factory=dict)
    shifts: dict[int, list[_Item]] = field(default_factory=dict)
    every: list[_Item] = field(default_factory=list)


_Item: TypeAlias = "tuple[Production, int, _Set]"
_Kernel: TypeAlias = "tuple[_Item, ...] | None"
"""The items that reading has come to; None for the beginning of the text."""


class _Recovery:
    """A text on its way to its mistakes, from one start."""

    def __init__(
        self, grammar: Grammar, text: str, tokens: Tokens, start: int, budget: _Budget
    ) -> None:
        self._grammar = grammar
        self._text = text
        self._tokens = tokens
        self._start = start
        self._budget = budget
        self._sets = sets_of(grammar)
        self._terminals = [token.terminal for token in tokens.tokens] + [grammar.end]
        self._first: tuple[int, _Kernel] | None = None

    def first_stop(self) -> int:
        """The number of the token at which reading stops first; beyond the last one if it does
        not, -1 without fuel."""
        try:
            self._first = self._read_on(0, None)
        except _Spent:
            return -1
        return self._first[0]

    def all(self) -> list[tuple[int, Mishap]]:
        """The mistakes with the numbers of the tokens at which they are."""
        found: list[tuple[int, Mishap]] = []
        if self._first is None:
            return found
        at, kernel = self._first
        try:
            while at < len(self._terminals) and len(found) < MOST_MISTAKES:
                found.append((at, self._mishap(at, kernel)))
                repaired = self._repair(at, kernel)
                if repaired is None:
                    break
                after, kernel = self._read_on(*repaired)
                if after <= at:
                    break
                at = after
        except _Spent:
            pass
        return found

    def _read_on(self, at: int, kernel: _Kernel) -> tuple[int, _Kernel]:
        """How far the text can be read from a place, and what reading has come to there."""
        while at < len(self._terminals):
            following = self._read(kernel, self._terminals[at])
            if following is None:
                return at, kernel
            kernel, at = following, at + 1
        return at, kernel

    def _mishap(self, at: int, kernel: _Kernel) -> Mishap:
        here = self._closed(kernel, self._terminals[at], ahead=False)
        wanted = set(here.shifts)
        if self._complete(here):
            wanted.add(self._grammar.end)
        literals = len(self._grammar.tokens.literals)
        closing = {
            terminal
            for terminal, items in here.shifts.items()
            for production, dot, _ in items
            if any(0 <= symbol < literals for symbol in production.right[:dot])
        }
        order = in_order(self._grammar, wanted, closing)
        expected = tuple(map(self._grammar.describe, order))
        message = explained(self._grammar, self._tokens, at, self._text, expected)
        return Mishap(message, span_at(self._tokens.tokens, at, self._text))

    # ---------------------------------------------------------------- repairs

    def _repair(self, at: int, kernel: _Kernel) -> tuple[int, _Kernel] | None:
        """Where reading goes on after the cheapest repair; of several, the one after which the
        most can be read."""
        count = itertools.count()
        heap: list[tuple[float, int, int, _Kernel]] = [(0.0, next(count), at, kernel)]
        best: tuple[int, float, int, _Kernel] | None = None
        last = len(self._terminals) - 1
        for _ in range(TRIED):
            if not heap:
                break
            cost, _, here, reached = heapq.heappop(heap)
            if best is not None and cost > best[1]:
                break
            far = self._readable(here, reached) if cost else 0
            if far >= AFTER or here + far > last:
                if best is None or far > best[0]:
                    best = (far, cost, here, reached)
                continue
            if cost and far and here < last:
                following = self._read(reached, self._terminals[here])
                heapq.heappush(heap, (cost + 0.01, next(count), here + 1, following))
            if cost + 1 > DEAREST:
                continue
            if here < last:
                heapq.heappush(heap, (cost + 1.0, next(count), here + 1, reached))
            for terminal in self._closed(reached, self._terminals[here], ahead=False).shifts:
                if terminal in self._grammar.unwritten:
                    continue
                following = self._read(reached, terminal)
                if following is None:
                    continue
                heapq.heappush(heap, (cost + 1.0, next(count), here, following))
                if here < last:
                    heapq.heappush(heap, (cost + 1.5, next(count), here + 1, following))
        if best is not None:
            return best[2], best[3]
        for skipped in range(at + 1, min(last, at + LEFT_OUT) + 1):
            if self._readable(skipped, kernel) >= min(AFTER, last + 1 - skipped):
                return skipped, kernel
        return None

    def _readable(self, at: int, kernel: _Kernel) -> int:
        """How many tokens can be read from a place, up to a bound."""
        begin = at
        while at < len(self._terminals) and at - begin < FAR:
            following = self._read(kernel, self._terminals[at])
            if following is None:
                break
            kernel, at = following, at + 1
        return at - begin

    # ---------------------------------------------------------------- reading

    def _read(self, kernel: _Kernel, terminal: int) -> _Kernel:
        """What reading comes to by one more token; None where it cannot stand."""
        here = self._closed(kernel, terminal, ahead=True)
        if terminal == self._grammar.end:
            return () if self._complete(here) else None
        moved = here.shifts.get(terminal)
        return tuple((p, dot + 1, origin) for p, dot, origin in moved) if moved else None

    def _complete(self, here: _Set) -> bool:
        """Whether the text may end where reading has come to."""
        return any(
            production.left == self._start and dot == len(production.right) and origin.begins
            for production, dot, origin in here.every
        )

    def _closed(self, kernel: _Kernel, token: int, *, ahead: bool) -> _Set:
        """All items at a place before a token; looking ahead, only those that it allows."""
        here = _Set(begins=kernel is None)
        agenda: list[_Item] = list(kernel or ())
        seen: set[tuple[Production, int, int]] = {(p, d, id(o)) for p, d, o in agenda}
        done: set[int] = set()

        def add(production: Production, dot: int, origin: _Set) -> None:
            key = (production, dot, id(origin))
            if key not in seen:
                seen.add(key)
                agenda.append((production, dot, origin))

        def predict(left: int) -> None:
            for production in self._grammar.by_left.get(left, ()):
                head = production.right[0] if production.right else 0
                certain = ahead and production.right and head not in self._sets.empty
                if not certain or self._sets.may_begin(head, token):
                    add(production, 0, here)

        if kernel is None:
            predict(self._start)
        for production, dot, origin in agenda:
            self._budget.fuel -= 1
            if dot == len(production.right):
                unless = production.unless
                if unless is not None and self._sets.may_begin(unless, token):
                    continue
                if origin is here:
                    done.add(production.left)
                for p, d, o in tuple(origin.waiting.get(production.left, ())):
                    add(p, d + 1, o)
                continue
            symbol = production.right[dot]
            if symbol >= 0:
                here.shifts.setdefault(symbol, []).append((production, dot, origin))
                continue
            queue = here.waiting.setdefault(symbol, [])
            queue.append((production, dot, origin))
            if len(queue) == 1:
                predict(symbol)
            if symbol in done:
                add(production, dot + 1, origin)
        here.every = agenda
        if self._budget.fuel < 0:
            raise _Spent
        return here
