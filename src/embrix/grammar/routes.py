"""The ways from the rules of a grammar to the forms that they make."""

from __future__ import annotations

import heapq

from msgspec import Struct

from embrix.grammar.actions import take_apart
from embrix.grammar.model import Compose, Fold, Grammar, Pass, Production, Slot
from embrix.grammar.spelling import Spelling
from embrix.terms.node import CONS, FIELDS, NIL, NONE, SOME, Node, Value, list_items

LOOKED_INTO = 3
"""Levels of a term that are looked into where several alternatives make its form."""


class Route(Struct, frozen=True):
    """The productions from a nonterminal down to one that builds a form."""

    through: tuple[Production, ...]
    last: Production | None
    """The production that builds the form; None for a list or an optional part."""
    target: int


class Routes(Spelling):
    """The cheapest ways from nonterminals to forms and tokens, and what fits where."""

    def __init__(self, grammar: Grammar, *, bracketed: bool = False) -> None:
        super().__init__(grammar)
        self._bracketed = bracketed
        self._routes: dict[int, dict[int, list[Route]]] = {}
        self._leaf_routes: dict[int, list[tuple[int, tuple[Production, ...]]]] = {}
        self._plain: dict[int, tuple[int, ...]] = {}
        self._unwritten = grammar.unwritten

    def _made(self, terminal: int) -> str:
        """What of the layout makes a terminal, if anything does."""
        kind = self._grammar.tokens.kind_of(terminal)
        return kind.made if kind is not None else ""

    def _is_sign(self, terminal: int) -> bool:
        """Whether it is known what stands where nothing captures a terminal."""
        kind = self._grammar.tokens.kind_of(terminal)
        return kind is None or bool(kind.made) or kind.sign is not None

    def _reach(self, start: int) -> dict[int, list[Route]]:
        """For each form (by tag) the ways to it from a nonterminal, the cheapest first. Lists and
        optional parts are found under the tags of lists and optional values."""
        if start in self._routes:
            return self._routes[start]
        found: dict[int, list[Route]] = {}
        done: set[int] = set()
        count = 0
        heap: list[tuple[int, int, int, tuple[Production, ...]]] = [(0, 0, start, ())]
        while heap:
            cost, _, left, through = heapq.heappop(heap)
            if left in done:
                continue
            done.add(left)
            if left in self._grammar.repeats:
                optional = self._grammar.repeats[left].repeated.sign == "?"
                for tag in (NONE, SOME) if optional else (NIL, CONS):
                    found.setdefault(tag, []).append(Route(through, None, left))
                continue
            for production in self._grammar.by_left.get(left, ()):
                if self._unwritten.intersection(production.right):
                    continue
                if production.form is not None:
                    route = Route(through, production, left)
                    found.setdefault(production.form.tag, []).append(route)
                if production.passes is not None:
                    target = production.right[production.passes]
                    if target < 0 and self._leaves_out(production):
                        count += 1
                        extra = cost + len(production.right) - 1
                        heapq.heappush(heap, (extra, count, target, (*through, production)))
        self._routes[start] = found
        return found

    def _leaves(self, left: int) -> list[tuple[int, tuple[Production, ...]]]:
        """The tokens whose value a nonterminal hands on, with the way to each, the cheapest
        first."""
        if left not in self._leaf_routes:
            found: list[tuple[int, tuple[Production, ...]]] = []
            seen: set[int] = set()
            pending: list[tuple[int, int, int, tuple[Production, ...]]] = [(0, 0, left, ())]
            count = 0
            while pending:
                cost, _, at, through = heapq.heappop(pending)
                if at >= 0:
                    found.append((at, through))
                    continue
                if at in seen:
                    continue
                seen.add(at)
                for production in self._grammar.by_left.get(at, ()):
                    plain = production.passes
                    if (
                        plain is not None and self._leaves_out(production)
                        and not self._unwritten.intersection(production.right)
                    ):  # fmt: skip
                        count += 1
                        target = production.right[plain]
                        extra = cost + len(production.right) - 1
                        heapq.heappush(pending, (extra, count, target, (*through, production)))
            self._leaf_routes[left] = found
        return self._leaf_routes[left]

    def _leaf_route(self, left: int, value: Value) -> tuple[int, tuple[Production, ...]] | None:
        """A way to print a leaf at a nonterminal."""
        literals = self._grammar.tokens.literals
        for terminal, through in self._leaves(left):
            if (
                literals[terminal] == value
                if terminal < len(literals)
                else (self.writes(terminal, value))
            ):
                return terminal, through
        return None

    def _route(
        self, left: int, term: Node, deep: int = LOOKED_INTO
    ) -> tuple[Route, dict[int, Value]] | None:
        """A way to print a term at a nonterminal, with what its captures were. Where there are
        several, one by which the parts can be printed as well, as far as is looked into them."""
        possible: list[tuple[Route, dict[int, Value]]] = []
        for route in self._reach(left).get(term[0], ()):
            if route.last is None:
                if self._can_repeat(route.target, term, deep):
                    possible.append((route, {}))
                continue
            slots = self._captured(route.last, term, 0)
            if slots is not None:
                possible.append((route, slots))
        if len(possible) < 2 or not deep:
            return possible[0] if possible else None
        for route, slots in possible:
            if route.last is None or self._captured(route.last, term, deep) is not None:
                return route, slots
        return possible[0]

    def _in_brackets(
        self, left: int, term: Node, plain: Route
    ) -> tuple[Route, dict[int, Value]] | None:
        """A way to print a term of several tokens between the brackets of an alternative that hands
        on what stands in them; None where there is none, or none is needed."""
        if plain.last is None or len(plain.last.right) < 2:
            return None
        if any(len(production.right) > 1 for production in plain.through):
            return None
        seen = {left}
        pending: list[tuple[int, tuple[Production, ...]]] = [(left, ())]
        for at, through in pending:
            for production in self._grammar.by_left.get(at, ()):
                if production.passes is None or not isinstance(production.build, Pass):
                    continue
                target = production.right[production.passes]
                if target >= 0 or self._unwritten.intersection(production.right):
                    continue
                way = (*through, production)
                if len(production.right) > 1:
                    found = self._route(target, term)
                    if found is not None:
                        route, slots = found
                        return Route((*way, *route.through), route.last, route.target), slots
                elif target not in seen:
                    seen.add(target)
                    pending.append((target, way))
        return None

    def _captured(self, production: Production, term: Node, deep: int) -> dict[int, Value] | None:
        """What a production must have captured to build a term, or None when it cannot have."""
        assert isinstance(production.build, Compose | Fold)
        slots: dict[int, Value] = {}
        plain = self._plain.get(id(production))
        if plain is None:
            build = production.build
            plain = _slots_alone(build) if isinstance(build, Compose) else ()
            self._plain[id(production)] = plain
        if plain:
            slots = dict(zip(plain, term[FIELDS:], strict=True))
        elif not take_apart(production.build, term, slots):
            return None
        for symbol, slot in zip(production.right, production.captures, strict=True):
            if slot >= 0:
                if slot not in slots or not self._fits(symbol, slots[slot], deep):
                    return None
            elif self._words(symbol) is None:
                return None
        return slots

    def _leaves_out(self, production: Production) -> bool:
        """Whether a production that hands something on can do so as it is: a list that it folds
        may be left out."""
        if not isinstance(production.build, Fold):
            return True
        listed = production.right[production.captures.index(production.build.slot)]
        return listed in self._grammar.repeats and self._words(listed) == ()

    def _words(self, symbol: int) -> tuple[int, ...] | None:
        """The signs that stand for a symbol that nothing captures: those of the first alternative
        of a group or rule of signs, none for what may be left out. None where it is not known what
        stood there."""
        grammar = self._grammar
        if symbol >= 0:
            return (symbol,) if self._is_sign(symbol) else None
        if symbol in grammar.repeats:
            repeated, inner, _ = grammar.repeats[symbol]
            return () if repeated.sign in "?*" else self._words(inner)
        ways = [production.right for production in grammar.by_left.get(symbol, ())]
        signs = all(part >= 0 and self._is_sign(part) for way in ways for part in way)
        return ways[0] if ways and signs else None

    def _fits(self, symbol: int, value: Value, deep: int = 0) -> bool:
        """Whether a value can stand where a symbol is; a literal stands only for its own text. Of
        what is in it `deep` levels are looked at."""
        if symbol >= 0:
            literals = self._grammar.tokens.literals
            if symbol < len(literals):
                return bool(value == literals[symbol])
            return not isinstance(value, tuple)
        if not isinstance(value, tuple):
            return self._leaf_route(symbol, value) is not None
        if symbol in self._grammar.repeats:
            return self._can_repeat(symbol, value, deep)
        if self._grammar.signature.form_of(value) is None and value[0] not in (NIL, CONS):
            return True  # what only runs make stands anywhere, in marks
        if value[0] not in self._reach(symbol):
            return False
        return not deep or self._route(symbol, value, deep - 1) is not None

    def _can_repeat(self, symbol: int, value: Node, deep: int = 0) -> bool:
        repeated, inner, _ = self._grammar.repeats[symbol]
        if repeated.sign == "?":
            if value[0] == NONE:
                return True
            return value[0] == SOME and self._fits(inner, value[FIELDS], deep)
        if value[0] == NIL:
            return repeated.sign == "*"
        items = list_items(value)
        return value[0] == CONS and all(self._fits(inner, item, deep) for item in items)


def _slots_alone(build: Compose) -> tuple[int, ...]:
    """The slots whose values are the fields of a form, one after the other; none where something
    else than a slot of its own fills a field. The tag of the term is known to be that of the
    form."""
    numbers = [part.number for part in build.parts if isinstance(part, Slot)]
    alone = len(numbers) == len(build.parts) == len(set(numbers))
    return tuple(numbers) if alone else ()
