"""A general parser: any context-free grammar, ambiguous ones included.

Source: Earley, "An efficient context-free parsing algorithm" (1970), with the repair for empty
derivations by remembering, in each set, what was completed without text; predictions and
completions are cut down by one token of lookahead. Each item keeps how it came about; the first
way found is always free of loops, a second one makes the text ambiguous.
"""

from __future__ import annotations

import itertools
from typing import TypeAlias

from embrix.grammar.actions import Unfit, finish
from embrix.grammar.expecting import explained, in_order, span_at
from embrix.grammar.lr_tables import name_of, production_text
from embrix.grammar.model import Grammar, Production
from embrix.grammar.parser import (
    Ambiguous,
    GaveUp,
    Parsed,
    ParseResult,
    Refused,
)
from embrix.grammar.sets import sets_of
from embrix.grammar.tokens import Token, Tokens
from embrix.text.source import Span

FUEL = 10_000_000
"""Items, and ways to come to one, that are looked at for one text before the parser gives up."""

MOST_READING = 12
"""Alternatives that are listed where reading stopped."""
FOLLOWED = 200
"""Alternatives among which they are looked for, from where reading stopped outwards."""

WAYS = 2
"""Ways to come to an item that are remembered: with a second one the text is ambiguous."""


class _Item:
    """A production recognised up to a dot, from `origin` to the set the item is in."""

    __slots__ = ("dot", "links", "origin", "production")

    def __init__(self, production: Production, dot: int, origin: int) -> None:
        self.production = production
        self.dot = dot
        self.origin = origin
        self.links: list[_Link] = []


_Link: TypeAlias = "tuple[_Item, _Item | Token]"
_Set: TypeAlias = "dict[tuple[Production, int, int], _Item]"


Order: TypeAlias = list[tuple["_Item", "list[_Item | Token]"]]
"""Recognised productions with their parts, children first."""


class EarleyParser:
    """Parses texts of one grammar."""

    def __init__(self, grammar: Grammar, fuel: int = FUEL) -> None:
        self._grammar = grammar
        self._fuel = fuel
        self._sets = sets_of(grammar)

    def parse(self, text: str, rule: str | None = None) -> ParseResult:
        tokens = self._grammar.tokens.cut(text)
        if tokens.invalid:
            found = tokens.invalid[0]
            return Refused("tokens", found.message, found.span, tokens)
        names = (rule,) if rule is not None else self._grammar.starts
        furthest: Refused | None = None
        for name in names:
            result = _Run(self, tokens, self._grammar.entry[name]).result(text)
            if not isinstance(result, Refused):
                return result
            if furthest is None or result.span.start > furthest.span.start:
                furthest = result
        assert furthest is not None
        return furthest

    def derivations(self, text: str, rule: str | None = None) -> list[Order]:
        """Up to two derivations of a text, as recognised productions with their parts, children
        first; none when the text is refused or not decided."""
        tokens = self._grammar.tokens.cut(text)
        if tokens.invalid:
            return []
        for name in (rule,) if rule is not None else self._grammar.starts:
            run = _Run(self, tokens, self._grammar.entry[name])
            whole = run.recognise(text)
            if isinstance(whole, list):
                return run.orders(whole)
        return []


class _Run:
    """One text on its way through the parser."""

    def __init__(self, parser: EarleyParser, tokens: Tokens, start: int) -> None:
        self.grammar = parser._grammar
        self.sets = parser._sets
        self.fuel = parser._fuel
        self.tokens = tokens
        self.start = start
        self.terminals = [token.terminal for token in tokens.tokens] + [self.grammar.end]
        # Who waits for a nonterminal, per set: the items with the dot before it.
        self.waiting: list[dict[int, list[_Item]]] = []

    def result(self, text: str) -> ParseResult:
        whole = self.recognise(text)
        return self._tree(whole, text) if isinstance(whole, list) else whole

    def recognise(self, text: str) -> list[_Item] | Refused | GaveUp:
        """The items that cover the whole text, or why there are none."""
        last: list[_Item] = []
        current: _Set = {}
        self._predict(self.start, 0, current, ahead=True)
        for index in range(len(self.terminals)):
            kernel = dict(current)
            last, following = self._close(index, current, ahead=True)
            if self.fuel < 0:
                return GaveUp(span_at(self.tokens.tokens, index, text), self.tokens)
            if index == len(self.terminals) - 1:
                break
            if not following:
                return self._refuse(index, kernel, text)
            current = following
        whole = [
            item
            for item in last
            if item.production.left == self.start
            and item.origin == 0
            and item.dot == len(item.production.right)
        ]
        if not whole:
            return self._refuse(len(self.terminals) - 1, kernel, text)
        return whole

    def orders(self, whole: list[_Item]) -> list[Order]:
        """One derivation, and another one where there is a choice."""
        first, doubtful = _derivation(whole[0])
        if len(whole) > 1:
            return [first, _derivation(whole[1])[0]]
        return [first, _other_way(first, *doubtful[0])] if doubtful else [first]

    def _predict(self, left: int, index: int, current: _Set, *, ahead: bool) -> list[_Item]:
        """Begin all productions of a nonterminal; looking ahead, only those the token allows."""
        token = self.terminals[index]
        added = []
        for production in self.grammar.by_left.get(left, ()):
            right = production.right
            head = right[0] if right else 0
            if ahead and right and head not in self.sets.empty:
                possible = token in self.sets.first[head] if head < 0 else token == head
                if not possible:
                    continue
            key = (production, 0, index)
            if key not in current:
                item = _Item(production, 0, index)
                current[key] = item
                added.append(item)
        return added

    def _close(self, index: int, current: _Set, *, ahead: bool) -> tuple[list[_Item], _Set]:
        """All items of a set, and the items that the next token leads to."""
        token = self.terminals[index]
        following: _Set = {}
        waiting: dict[int, list[_Item]] = {}
        self.waiting.append(waiting)
        empty_done: dict[int, list[_Item]] = {}
        agenda = list(current.values())
        every = list(agenda)
        at = 0
        while at < len(agenda):
            item = agenda[at]
            at += 1
            self.fuel -= 1
            if self.fuel < 0:
                break
            production, dot = item.production, item.dot
            if dot == len(production.right):
                if ahead and token not in self.sets.follow[production.left]:
                    continue
                if production.unless is not None and self.sets.may_begin(production.unless, token):
                    continue
                if item.origin == index:
                    empty_done.setdefault(production.left, []).append(item)
                for parent in tuple(self.waiting[item.origin].get(production.left, ())):
                    self._advance(parent, item, current, agenda, every)
                continue
            symbol = production.right[dot]
            if symbol >= 0:
                if symbol == token:
                    moved = _Item(production, dot + 1, item.origin)
                    moved.links.append((item, self.tokens.tokens[index]))
                    following[(production, dot + 1, item.origin)] = moved
                continue
            queue = waiting.setdefault(symbol, [])
            queue.append(item)
            if len(queue) == 1:
                added = self._predict(symbol, index, current, ahead=ahead)
                agenda.extend(added)
                every.extend(added)
            for done in empty_done.get(symbol, ()):
                self._advance(item, done, current, agenda, every)
        return every, following

    def _advance(
        self, parent: _Item, child: _Item, current: _Set, agenda: list[_Item], every: list[_Item]
    ) -> None:
        key = (parent.production, parent.dot + 1, parent.origin)
        known = current.get(key)
        if known is None:
            known = _Item(parent.production, parent.dot + 1, parent.origin)
            current[key] = known
            agenda.append(known)
            every.append(known)
        self.fuel -= 1
        if len(known.links) < WAYS and (parent, child) not in known.links:
            known.links.append((parent, child))

    # ------------------------------------------------------------------ answers

    def _refuse(self, index: int, kernel: _Set, text: str) -> Refused:
        """Say where reading stopped, and everything that could have stood there.

        Looking ahead has cut off what the token does not allow, so the set is made again without.
        """
        del self.waiting[index:]
        if index == 0:
            kernel = {}
            self._predict(self.start, 0, kernel, ahead=False)
        items, _ = self._close(index, kernel, ahead=False)
        wanted = {
            item.production.right[item.dot]
            for item in items
            if item.dot < len(item.production.right) and item.production.right[item.dot] >= 0
        }
        if any(
            item.production.left == self.start
            and item.origin == 0
            and item.dot == len(item.production.right)
            for item in items
        ):
            wanted.add(self.grammar.end)
        closing = {
            item.production.right[item.dot]
            for item in items
            if item.dot < len(item.production.right)
            and any(
                0 <= symbol < len(self.literals) for symbol in item.production.right[: item.dot]
            )
        }
        order = in_order(self.grammar, wanted, closing)
        expected = tuple(self.grammar.describe(terminal) for terminal in order)
        message = explained(self.grammar, self.tokens, index, text, expected)
        span = span_at(self.tokens.tokens, index, text)
        return Refused("grammar", message, span, self.tokens, expected, self._reading(items))

    def _reading(self, items: list[_Item]) -> tuple[tuple[str, int, str], ...]:
        """The alternatives in the middle of which reading stopped, where each began, and why it
        was given up."""
        tokens = self.tokens.tokens
        found = {id(i): i for i in items if 0 < i.dot < len(i.production.right)}
        pending = list(found.values())
        seen: set[tuple[int, int]] = set()
        for item in pending:
            if len(found) > FOLLOWED:
                break
            # Who waits for what is being read here has been begun as well, further left.
            lefts = [item.production.left]
            for left in lefts:
                if (left, item.origin) in seen:
                    continue
                seen.add((left, item.origin))
                for outer in self.waiting[item.origin].get(left, ()):
                    if outer.dot == 0:
                        lefts.append(outer.production.left)
                    elif id(outer) not in found:
                        found[id(outer)] = outer
                        pending.append(outer)
        here = {id(item) for item in items}
        begun = sorted(found.values(), key=lambda item: -item.origin)[:FOLLOWED]
        begun += [item for item in items if not item.dot and item.production.right[:1] > (-1,)]
        end = tokens[-1].end if tokens else 0
        rows = (
            (
                production_text(self.grammar, item.production, item.dot, levels=False),
                tokens[item.origin].start if item.origin < len(tokens) else end,
                self._given_up(item, reached=id(item) in here),
            )
            for item in begun
        )
        return tuple(itertools.islice(dict.fromkeys(rows), MOST_READING))

    def _given_up(self, item: _Item, *, reached: bool) -> str:
        """Why an alternative could not go on at the token where reading stopped; `reached` says
        whether it had got there, or was still waiting for a part that is being read."""
        index = len(self.waiting) - 1
        here = self.grammar.describe(self.terminals[index])
        if item.dot == len(item.production.right):
            return f"it is complete, but {here} may not follow it"
        wanted = item.production.right[item.dot]
        if wanted >= 0:
            return f"{self.grammar.describe(wanted)} is wanted, {here} is there"
        if not reached:
            return f"its {name_of(self.grammar, wanted, levels=False)} is not complete"
        return f"{name_of(self.grammar, wanted, levels=False)} does not begin with {here}"

    @property
    def literals(self) -> tuple[str, ...]:
        return self.grammar.tokens.literals

    def _tree(self, whole: list[_Item], text: str) -> ParseResult:
        """The term of the one derivation; a text with two is ambiguous, even where both build the
        same term."""
        orders = self.orders(whole)
        try:
            trees = [finish(self.grammar, text, order, {})[id(order[-1][0])] for order in orders]
        except Unfit as unfit:
            return Refused("tokens", unfit.message, unfit.span, self.tokens)
        if len(trees) > 1:
            return Ambiguous(self._whole(), self.tokens, (trees[0], trees[1]))
        return Parsed(trees[0], self.tokens)

    def _whole(self) -> Span:
        tokens = self.tokens.tokens
        return Span(tokens[0].start, tokens[-1].end) if tokens else Span(0, 0)


def _derivation(root: _Item) -> tuple[Order, list[tuple[_Item, _Item]]]:
    """The completed items of a tree with their parts, children first, each by its first way; and
    what was made in two ways: a completed item with the item on its way to it that was."""
    order: Order = []
    doubtful: list[tuple[_Item, _Item]] = []
    seen: set[int] = set()
    stack: list[tuple[_Item, list[_Item | Token] | None]] = [(root, None)]
    while stack:
        item, parts = stack.pop()
        if parts is not None:
            order.append((item, parts))
            continue
        if id(item) in seen:
            continue
        seen.add(id(item))
        parts = _parts(item, None)
        walker = item
        while walker.dot:
            if len(walker.links) > 1:
                doubtful.append((item, walker))
            walker = walker.links[0][0]
        stack.append((item, parts))
        stack.extend((part, None) for part in parts if isinstance(part, _Item))
    return order, doubtful


def _parts(item: _Item, other: _Item | None) -> list[_Item | Token]:
    """The parts of a completed item, by the second way where the walk comes to `other`."""
    parts: list[_Item | Token] = []
    walker = item
    while walker.dot:
        walker, child = walker.links[int(walker is other)]
        parts.append(child)
    return parts[::-1]


def _other_way(first: Order, item: _Item, walker: _Item) -> Order:
    """A derivation with a completed item made in its second way; below that everything is made by
    first ways again, the same item too, so that no derivation goes in a circle."""
    parts = _parts(item, walker)
    order: Order = []
    done: set[int] = set()
    for part in parts:
        if isinstance(part, _Item) and id(part) not in done:
            inside = _derivation(part)[0]
            order += [entry for entry in inside if id(entry[0]) not in done]
            done |= {id(entry[0]) for entry in inside}
    changed = {id(item): _Item(item.production, item.dot, item.origin)}
    order.append((changed[id(item)], parts))
    done.add(id(changed[id(item)]))
    for known, inner in first:
        if known is not item and any(id(part) in changed for part in inner):
            changed[id(known)] = _Item(known.production, known.dot, known.origin)
            renewed = [changed.get(id(p), p) if isinstance(p, _Item) else p for p in inner]
            for part in renewed:
                if isinstance(part, _Item) and id(part) not in done:
                    inside = _derivation(part)[0]
                    order += [entry for entry in inside if id(entry[0]) not in done]
                    done |= {id(entry[0]) for entry in inside}
            order.append((changed[id(known)], renewed))
            done.add(id(changed[id(known)]))
    return order
