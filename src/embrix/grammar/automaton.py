"""One automaton for all token patterns of a language, made deterministic as texts need it.

Longest match, and among equally long ones the pattern that comes first. Sources: Thompson's
construction, the subset construction, and for linear time over the whole text the memo of dead
ends of Reps ("Maximal-munch tokenization in linear time", 1998): a pair of state and offset from
which no match followed is not tried again.
"""

from __future__ import annotations

from collections.abc import Sequence as Seq
from typing import Any

from msgspec import Struct, field

from embrix.grammar.pattern import (
    LAST,
    AnyOf,
    Chars,
    Pattern,
    Ranges,
    Repetition,
    Sequence,
    contains,
)


class State(Struct, eq=False):
    """A state of the deterministic automaton. `accepts` is the winning pattern, or -1."""

    number: int
    members: tuple[int, ...]
    accepts: int
    moves: dict[str, State | None] = field(default_factory=dict)


UNKNOWN: Any = object()
"""Stands for a move that has not been worked out."""


class Automaton:
    """Matches several patterns at once."""

    def __init__(self, patterns: Seq[Pattern]) -> None:
        self._epsilon: list[list[int]] = []
        self._edges: list[list[tuple[Ranges, int]]] = []
        self._final: dict[int, int] = {}
        self._states: dict[tuple[int, ...], State] = {}
        root = self._node()
        for index, pattern in enumerate(patterns):
            start, end = self._build(pattern)
            self._epsilon[root].append(start)
            self._final[end] = index
        self.start = self._state([root])

    def match(self, text: str, at: int, dead: set[tuple[int, int]]) -> tuple[int, int]:
        """The winning pattern at an offset and where its match ends; (-1, at) without one.

        `dead` is kept by the caller from one call to the next over the same text.
        """
        state = self.start
        found, end = -1, at
        length = len(text)
        while at < length:
            following = state.moves.get(text[at], UNKNOWN)
            if following is UNKNOWN:
                following = self.move(state, text[at])
            if following is None:
                return found, end
            state = following
            at += 1
            if state.accepts >= 0:
                found, end = state.accepts, at
            elif end < at:
                break
        else:
            return found, end
        return self._beyond(text, at, state, found, end, dead)

    def _beyond(
        self,
        text: str,
        at: int,
        state: State,
        found: int,
        end: int,
        dead: set[tuple[int, int]],
    ) -> tuple[int, int]:
        """Go on behind the last match, remembering what leads nowhere."""
        tried: list[tuple[int, int]] = []
        length = len(text)
        while True:
            if state.accepts >= 0:
                found, end = state.accepts, at
                tried.clear()
            else:
                pair = (state.number, at)
                if pair in dead:
                    break
                tried.append(pair)
            if at >= length:
                break
            following = state.moves.get(text[at], UNKNOWN)
            if following is UNKNOWN:
                following = self.move(state, text[at])
            if following is None:
                break
            state = following
            at += 1
        if tried:
            dead.update(tried)
        return found, end

    def winners(self, most: int = 20_000) -> dict[int, str] | None:
        """For each pattern that can win a shortest text on which it does; None when there are too
        many states to look at."""
        letters = self._letters()
        found: dict[int, str] = {}
        seen = {self.start.number}
        pending: list[tuple[State, str]] = [(self.start, "")]
        for state, text in pending:
            if state.accepts >= 0:
                found.setdefault(state.accepts, text)
            for letter in letters:
                following = state.moves.get(letter) or self.move(state, letter)
                if following is not None and following.number not in seen:
                    seen.add(following.number)
                    pending.append((following, text + letter))
            if len(seen) > most:
                return None
        return found

    def _letters(self) -> list[str]:
        """One character out of each class that no pattern tells apart."""
        sets = dict.fromkeys(ranges for edges in self._edges for ranges, _ in edges)
        usual = [ord(c) for c in " 1a"]
        cuts = {0, *usual}
        for ranges in sets:
            for low, high in ranges:
                cuts.update((low, high + 1))
        found: dict[tuple[bool, ...], str] = {}
        for code in [*usual, *sorted(cut for cut in cuts if cut <= LAST)]:
            found.setdefault(tuple(contains(ranges, code) for ranges in sets), chr(code))
        return list(found.values())

    def move(self, state: State, character: str) -> State | None:
        """Where a character leads; worked out once and remembered in the state."""
        code = ord(character)
        targets = [
            target
            for member in state.members
            for ranges, target in self._edges[member]
            if contains(ranges, code)
        ]
        result = self._state(targets) if targets else None
        state.moves[character] = result
        return result

    def _state(self, members: Seq[int]) -> State:
        reached = set(members)
        stack = list(members)
        while stack:
            for target in self._epsilon[stack.pop()]:
                if target not in reached:
                    reached.add(target)
                    stack.append(target)
        key = tuple(sorted(reached))
        if key not in self._states:
            accepts = min((self._final[m] for m in key if m in self._final), default=-1)
            self._states[key] = State(len(self._states), key, accepts)
        return self._states[key]

    def _node(self) -> int:
        self._epsilon.append([])
        self._edges.append([])
        return len(self._epsilon) - 1

    def _build(self, pattern: Pattern) -> tuple[int, int]:
        start = self._node()
        match pattern:
            case Chars(ranges):
                end = self._node()
                self._edges[start].append((ranges, end))
                return start, end
            case Sequence(parts):
                at = start
                for part in parts:
                    first, last = self._build(part)
                    self._epsilon[at].append(first)
                    at = last
                return start, at
            case AnyOf(parts):
                end = self._node()
                for part in parts:
                    first, last = self._build(part)
                    self._epsilon[start].append(first)
                    self._epsilon[last].append(end)
                return start, end
            case Repetition(part, least, most):
                return start, self._repeat(start, part, least, most)

    def _repeat(self, start: int, part: Pattern, least: int, most: int | None) -> int:
        at = start
        for _ in range(least):
            first, last = self._build(part)
            self._epsilon[at].append(first)
            at = last
        end = self._node()
        if most is None:
            first, last = self._build(part)
            self._epsilon[at] += [first, end]
            self._epsilon[last] += [first, end]
            return end
        for _ in range(most - least):
            first, last = self._build(part)
            self._epsilon[at] += [first, end]
            at = last
        self._epsilon[at].append(end)
        return end
