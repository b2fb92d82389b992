"""Rules and operator tables turned into plain productions.

Operator tables, precisely. Levels are numbered from 1, the loosest, to n; operands are n + 1. An
expression is described by three bounds (`level`, `tail`, `bare`):

* its own operator is of at least `level`;
* every prefix operator that dangles at its right edge is of a level above `tail`, because a looser
  one would have taken the next operator into its own operand;
* if `bare`, it does not begin with a prefix operator (operands that follow without a token).

The right operand of an operator may also begin with a looser prefix operator: `2 * - 3 + 4` is
unambiguous without parentheses because of the tail bound.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from embrix.grammar.model import (
    Grammar,
    Kind,
    Operator,
    OperatorTable,
    Production,
    Quoted,
    Rule,
    Symbol,
    Use,
)
from embrix.grammar.tokens import TokenTable
from embrix.terms.signature import Signature
from embrix.text.source import Span


class _Bounds(NamedTuple):
    level: int
    tail: int
    right: bool
    """Whether looser prefix operators may begin it too."""


def flatten(
    tokens: TokenTable,
    signature: Signature,
    numbers: str,
    starts: tuple[str, ...],
    rules: Sequence[Rule | OperatorTable],
) -> Grammar:
    """The plain grammar of rules whose references have been checked."""
    work = _Flattening(tokens)
    for rule in rules:
        work.entry[rule.name] = work.nonterminal(rule.name)
    for rule in rules:
        if isinstance(rule, Rule):
            work.rule(rule)
        else:
            _Table(work, rule).all()
    return Grammar(
        tokens, signature, numbers, starts, tuple(work.productions), work.entry, work.names
    )


class _Flattening:
    def __init__(self, tokens: TokenTable) -> None:
        self.tokens = tokens
        self.productions: list[Production] = []
        self.entry: dict[str, int] = {}
        self.names: dict[int, str] = {}

    def nonterminal(self, name: str) -> int:
        number = -1 - len(self.names)
        self.names[number] = name
        return number

    def symbol(self, symbol: Symbol) -> int:
        match symbol:
            case Quoted(text):
                return self.tokens.terminal_of_literal(text)
            case Kind(name):
                return self.tokens.terminal_of_kind(name)
            case Use(rule):
                return self.entry[rule]

    def rule(self, rule: Rule) -> None:
        for alternative in rule.alternatives:
            right = tuple(self.symbol(item.symbol) for item in alternative.items)
            fields = tuple(-1 if i.field is None else i.field for i in alternative.items)
            passes = next(
                (n for n, i in enumerate(alternative.items) if not isinstance(i.symbol, Quoted)),
                -1,
            )
            self.productions.append(
                Production(
                    self.entry[rule.name], right, alternative.form, fields, passes,
                    alternative.span,
                )
            )  # fmt: skip


class _Table:
    """The productions of one operator table; only the bounds that are reached get any."""

    def __init__(self, work: _Flattening, table: OperatorTable) -> None:
        self.work = work
        self.table = table
        self.prefix_levels = [
            number
            for number, level in enumerate(table.levels, 1)
            if any(operator.fixity == "prefix" for operator in level)
        ]
        self.known: dict[_Bounds, int] = {}
        self.waiting: list[_Bounds] = []

    def all(self) -> None:
        top = self._bounds(1, 0, right=False)
        self.known[top] = self.work.entry[self.table.name]
        self.waiting.append(top)
        while self.waiting:
            self._expand(self.waiting.pop())

    def _bounds(self, level: int, tail: int, *, right: bool) -> _Bounds:
        """Bounds in a normal form, so that equal sets of expressions share a nonterminal."""
        tail = max((known for known in self.prefix_levels if known <= tail), default=0)
        looser = any(tail < known < level for known in self.prefix_levels)
        return _Bounds(level, tail, right and looser)

    def _at(self, level: int, tail: int, *, right: bool = False) -> int:
        bounds = self._bounds(level, tail, right=right)
        if bounds not in self.known:
            self.known[bounds] = self.work.nonterminal(self.table.name)
            self.waiting.append(bounds)
        return self.known[bounds]

    def _expand(self, bounds: _Bounds) -> None:
        left = self.known[bounds]
        level, tail, right = bounds
        if right:
            self._pass(left, self._at(level, tail))
            for looser in self.prefix_levels:
                if tail < looser < level:
                    self._prefixes(left, looser, tail)
            return
        if level > len(self.table.levels):
            self._pass(left, self.work.entry[self.table.operand])
            return
        self._pass(left, self._at(level + 1, tail))
        for operator in self.table.levels[level - 1]:
            if operator.fixity == "prefix":
                continue
            own_left = operator.fixity in ("left", "postfix")
            own_right = operator.fixity == "right"
            parts = [
                self._at(level if own_left else level + 1, level),
                self.work.symbol(Quoted(operator.literal)),
            ]
            fields = [operator.fields[0], -1]
            if operator.fixity != "postfix":
                parts.append(self._at(level if own_right else level + 1, tail, right=True))
                fields.append(operator.fields[1])
            self._make(left, parts, fields, operator)
        if level > tail:
            self._prefixes(left, level, tail)

    def _prefixes(self, left: int, level: int, tail: int) -> None:
        for operator in self.table.levels[level - 1]:
            if operator.fixity == "prefix":
                literal = self.work.symbol(Quoted(operator.literal))
                operand = self._at(level, tail, right=True)
                self._make(left, [literal, operand], [-1, operator.fields[0]], operator)

    def _pass(self, left: int, right: int) -> None:
        span: Span = self.table.span
        self.work.productions.append(Production(left, (right,), None, (-1,), 0, span))

    def _make(self, left: int, parts: list[int], fields: list[int], operator: Operator) -> None:
        tight = operator.fixity in ("prefix", "postfix") and not operator.literal[:1].isalpha()
        self.work.productions.append(
            Production(left, tuple(parts), operator.form, tuple(fields), -1, operator.span, tight)
        )
