"""Descending by one token of lookahead: what each rule may take, and why that is not decided.

A repetition is an iteration here, as in a parser written by hand: one more, or on with what comes
behind it. Source: the textbook definition of LL(1) by first and follow sets.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from embrix.grammar.lr_tables import name_of, production_text
from embrix.grammar.model import Grammar
from embrix.grammar.parser import list_expected
from embrix.grammar.sets import Sets, sets_from

MORE = 1 << 20
"""`R - MORE` is what may still follow after the first part of the repetition R."""


class Option(Struct, frozen=True):
    """One of the rows of symbols that a nonterminal may be replaced by. `unless` is a symbol: the
    row is not taken where the next token may begin that symbol."""

    left: int
    right: tuple[int, ...]
    text: str
    unless: int | None = None


class Predictive:
    """The options of all nonterminals that a rule reaches."""

    def __init__(self, grammar: Grammar, start: int) -> None:
        self.grammar = grammar
        self.sets: Sets = sets_from(grammar, start)
        self.options: dict[int, list[Option]] = {}
        pending = [start]
        while pending:
            left = pending.pop()
            if left in self.options or left >= 0:
                continue
            self.options[left] = list(self._options(left))
            below = [symbol for option in self.options[left] for symbol in option.right]
            pending += reversed(below)

    def name(self, symbol: int) -> str:
        """What people call a symbol."""
        if symbol <= -MORE:
            return f"the rest of {self.name(symbol + MORE)}"
        return name_of(self.grammar, symbol, levels=False)

    def allowed(self, option: Option) -> set[int]:
        """The terminals that may come next where an option is taken."""
        found: set[int] = set()
        for symbol in option.right:
            first, empty = self._first(symbol)
            found |= first
            if not empty:
                break
        else:
            left = option.left + MORE if option.left <= -MORE else option.left
            found |= self.sets.follow[left]
        if option.unless is None:
            return found
        return {t for t in found if not self.sets.may_begin(option.unless, t)}

    def table(self) -> dict[tuple[int, int], list[Option]]:
        """The options for each nonterminal and each next terminal."""
        found: dict[tuple[int, int], list[Option]] = {}
        for left, options in self.options.items():
            for option in options:
                for terminal in sorted(self.allowed(option)):
                    found.setdefault((left, terminal), []).append(option)
        return found

    def _first(self, symbol: int) -> tuple[set[int], bool]:
        if symbol <= -MORE:
            found: set[int] = set()
            for option in self.options.get(symbol) or self._options(symbol):
                if option.right:
                    first, _ = self._first(option.right[0])
                    found |= first
            return found, True
        if symbol >= 0:
            return {symbol}, False
        return self.sets.first[symbol], symbol in self.sets.empty

    def _options(self, left: int) -> Iterator[Option]:
        grammar = self.grammar
        repetition = left + MORE if left <= -MORE else left
        if repetition not in grammar.repeats:
            for production in grammar.by_left.get(left, ()):
                yield Option(
                    left,
                    production.right,
                    production_text(grammar, production, levels=False),
                    production.unless,
                )
            return
        repeated, inner, between = grammar.repeats[repetition]
        again = inner if between is None else between
        separator = () if between is None else (between,)
        unless = again if repeated.greedy else None
        shown, item = self.name(repetition), self.name(inner)
        rest = repetition - MORE
        if left != repetition:
            more = " ".join([*map(self.name, separator), item])
            yield Option(left, (*separator, inner, left), f"{shown}: one more {more}")
            yield Option(left, (), f"{shown}: no more", unless)
            return
        if repeated.sign == "?":
            yield Option(left, (inner,), f"{shown}: {item}")
        else:
            yield Option(left, (inner, rest), f"{shown}: {item}")
        if repeated.sign != "+":
            stop = inner if repeated.greedy else None
            yield Option(left, (), f"{shown}: nothing", stop)


def against_ll1(grammar: Grammar, start: int) -> tuple[str, ...]:
    """For each nonterminal whose options one token cannot tell apart a sentence, and one for all
    levels of an operator table."""
    found = Predictive(grammar, start)
    reasons: dict[str, None] = {}
    following: dict[str, dict[str, None]] = {}
    first: dict[str, str] = {}
    done: set[int] = set()
    for (left, terminal), options in found.table().items():
        if len(options) == 1 or left in done:
            continue
        done.add(left)
        sign, table = found.name(terminal), found.name(left)
        behind = _behind_operand(found, left, options)
        if behind:
            first.setdefault(table, sign)
            following.setdefault(table, {}).update(dict.fromkeys(behind))
            reasons[table] = None
        else:
            one, other = options[0].text, options[1].text
            reasons[f"with {sign} next, {one} and {other} are both possible"] = None

    def sentence(reason: str) -> str:
        if reason not in following:
            return reason
        signs = list_expected(tuple(following[reason]))
        return (f"with {first[reason]} next, one token does not tell whether {signs} follows the "
                f"first operand of {reason}")  # fmt: skip

    return tuple(map(sentence, reasons))


def _behind_operand(found: Predictive, left: int, options: Sequence[Option]) -> list[str]:
    """What may follow the first operand of an operator table, where the options are its levels;
    nothing for other options."""
    table = found.name(left)
    alone = [one for one in options if len(one.right) == 1]
    more = [one for one in options if len(one.right) > 1]
    leveled = all(found.name(one.right[0]) == table for one in (*alone, *more))
    named = left in found.grammar.owners or any(
        one.right[0] in found.grammar.owners for one in alone
    )
    if not (alone and more and leveled and named):
        return []
    signs = [found.name(one.right[1]) for one in more]
    return [f"another {sign}" if sign == table else sign for sign in signs]
