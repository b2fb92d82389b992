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
from typing import Literal, NamedTuple, TypeAlias

from embrix.grammar.model import (
    Build,
    Collect,
    Grammar,
    Iteration,
    Kind,
    Operand,
    Operator,
    OperatorTable,
    Pass,
    Production,
    Quoted,
    Repeated,
    Rule,
    Symbol,
    Use,
)
from embrix.grammar.tokens import TokenTable
from embrix.terms.signature import Signature
from embrix.text.source import Span

Step: TypeAlias = Literal["none", "some", "nil", "one", "add", "done"]

_SUBSCRIPTS = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")


class _Bounds(NamedTuple):
    level: int
    tail: int
    right: bool
    """Whether looser prefix operators may begin it too."""
    bare: bool
    """Whether no prefix operator may begin it."""


def flatten(
    tokens: TokenTable,
    signature: Signature,
    numbers: str,
    starts: tuple[str, ...],
    rules: Sequence[Rule | OperatorTable],
) -> Grammar:
    """The plain grammar of rules whose references have been checked."""
    work = _Flattening(tokens)
    groups: set[int] = set()
    for rule in rules:
        work.entry[rule.name] = work.nonterminal(rule.name)
        if isinstance(rule, Rule) and rule.group:
            groups.add(work.entry[rule.name])
    for rule in rules:
        if isinstance(rule, Rule):
            work.rule(rule)
        else:
            _Table(work, rule).all()
    return Grammar(
        tokens, signature, numbers, starts, tuple(work.productions),
        {name: left for name, left in work.entry.items() if left not in groups}, work.names,
        work.repeats, groups=frozenset(groups), owners=work.owners,
    )  # fmt: skip


class _Flattening:
    def __init__(self, tokens: TokenTable) -> None:
        self.tokens = tokens
        self.productions: list[Production] = []
        self.entry: dict[str, int] = {}
        self.names: dict[int, str] = {}
        self.repeats: dict[int, Iteration] = {}
        self.owners: dict[int, str] = {}
        self._known: dict[Repeated, int] = {}
        self._rows: dict[tuple[int, int | None], int] = {}
        """The nonterminals for one or more of something, by the symbol and the separator: `X*` and
        `X+` share theirs, so that no parser has to tell them apart too early."""

    def nonterminal(self, name: str) -> int:
        number = -1 - len(self.names)
        self.names[number] = name
        return number

    def symbol(self, symbol: Symbol, origin: Span) -> int:
        match symbol:
            case Quoted(text):
                return self.tokens.terminal_of_literal(text)
            case Kind(name):
                return self.tokens.terminal_of_kind(name)
            case Use(rule):
                return self.entry[rule]
            case Repeated():
                if symbol not in self._known:
                    self._known[symbol] = self._repeated(symbol, origin)
                return self._known[symbol]
            case Operand():
                raise AssertionError("operands stand in operator tables only")

    def _repeated(self, symbol: Repeated, origin: Span) -> int:
        """A nonterminal for an optional part or a list, with its productions."""
        inner = self.symbol(symbol.symbol, origin)
        separator = None
        if symbol.separator is not None:
            separator = self.symbol(symbol.separator, origin)
        result = self.nonterminal(self._shown(inner, symbol.sign, separator))
        self.repeats[result] = Iteration(symbol, inner, separator)
        again = inner if separator is None else separator
        unless = again if symbol.greedy else None

        def add(left: int, right: tuple[int, ...], step: Step, captures: tuple[int, ...]) -> None:
            stop = unless if left == result and step in ("none", "nil", "done") else None
            self.productions.append(
                Production(left, right, Collect(step), captures, origin, unless=stop)
            )

        if symbol.sign == "?":
            add(result, (), "none", ())
            add(result, (inner,), "some", (0,))
            return result
        if symbol.sign == "*":
            add(result, (), "nil", ())
        items = self._rows.get((inner, separator))
        known = items is not None
        if items is None:
            items = self.nonterminal(self._shown(inner, "+", separator))
            self.owners[items] = self._shown(inner, symbol.sign, separator)
            self._rows[inner, separator] = items
        add(result, (items,), "done", (0,))
        if known:
            return result
        add(items, (inner,), "one", (0,))
        if separator is not None:
            add(items, (items, again, inner), "add", (0, -1, 1))
        else:
            add(items, (items, inner), "add", (0, 1))
        return result

    def _shown(self, inner: int, sign: str, separator: int | None) -> str:
        """A repetition as the author writes it."""
        name = self._written(inner)
        if separator is not None:
            return f"{'list1' if sign == '+' else 'list'}({name}, {self._written(separator)})"
        return f"{name}{sign}"

    def _written(self, symbol: int) -> str:
        if symbol < 0:
            return self.names[symbol]
        kind = self.tokens.kind_of(symbol)
        return kind.name if kind is not None else f"`{self.tokens.literals[symbol]}`"

    def rule(self, rule: Rule) -> None:
        for alternative in rule.alternatives:
            right = tuple(self.symbol(i.symbol, alternative.span) for i in alternative.items)
            captures = tuple(-1 if i.field is None else i.field for i in alternative.items)
            build: Build = alternative.makes or Pass(alternative.passes)
            self.productions.append(
                Production(
                    self.entry[rule.name],
                    right,
                    build,
                    captures,
                    alternative.span,
                    formless=alternative.formless,
                )
            )


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
        top = self._bounds(1, 0)
        self.known[top] = self.work.entry[self.table.name]
        self.waiting.append(top)
        while self.waiting:
            self._expand(self.waiting.pop())

    def _bounds(self, level: int, tail: int, *, right: bool = False, bare: bool = False) -> _Bounds:
        """Bounds in a normal form, so that equal sets of expressions share a nonterminal."""
        tail = max((known for known in self.prefix_levels if known <= tail), default=0)
        looser = any(tail < known < level for known in self.prefix_levels)
        starts = any(known >= level for known in self.prefix_levels)
        return _Bounds(level, tail, right and looser and not bare, bare and starts)

    def _at(self, level: int, tail: int, *, right: bool = False, bare: bool = False) -> int:
        bounds = self._bounds(level, tail, right=right, bare=bare)
        if bounds not in self.known:
            self.known[bounds] = self.work.nonterminal(self._name(bounds))
            self.work.owners[self.known[bounds]] = self.table.name
            self.waiting.append(bounds)
        return self.known[bounds]

    def _name(self, bounds: _Bounds) -> str:
        """The table's name with its level; marks tell the variants of one level apart."""
        level = str(bounds.level).translate(_SUBSCRIPTS)
        marks = ("+" if bounds.right else "") + ("-" if bounds.bare else "")
        tail = "'" * self.prefix_levels.index(bounds.tail) + "'" if bounds.tail else ""
        return f"{self.table.name}{level}{tail}{marks}"

    def _expand(self, bounds: _Bounds) -> None:
        left = self.known[bounds]
        level, tail, right, bare = bounds
        if right:
            self._pass(left, self._at(level, tail))
            for looser in self.prefix_levels:
                if tail < looser < level:
                    self._prefixes(left, looser, tail)
            return
        if level > len(self.table.levels):
            self._pass(left, self.work.entry[self.table.operand])
            return
        self._pass(left, self._at(level + 1, tail, bare=bare))
        for operator in self.table.levels[level - 1]:
            if operator.fixity != "prefix":
                self._row(left, operator, level, tail, bare=bare)
        if level > tail and not bare:
            self._prefixes(left, level, tail)

    def _prefixes(self, left: int, level: int, tail: int) -> None:
        for operator in self.table.levels[level - 1]:
            if operator.fixity == "prefix":
                self._row(left, operator, level, tail, bare=False)

    def _row(self, left: int, operator: Operator, level: int, tail: int, *, bare: bool) -> None:
        """The production of an operator: operands at the ends by level, those inside any."""
        fixity = operator.fixity
        last = len(operator.row) - 1
        juxtaposed = all(isinstance(item.symbol, Operand) for item in operator.row)
        parts: list[int] = []
        for number, item in enumerate(operator.row):
            if not isinstance(item.symbol, Operand):
                parts.append(self.work.symbol(item.symbol, operator.span))
            elif number == 0:
                own = fixity in ("left", "postfix")
                parts.append(self._at(level if own else level + 1, level, bare=bare))
            elif number == last:
                own = fixity in ("right", "prefix")
                parts.append(
                    self._at(level if own else level + 1, tail, right=True, bare=juxtaposed)
                )
            else:
                parts.append(self._at(1, 0))
        captures = tuple(-1 if item.field is None else item.field for item in operator.row)
        sign = next((i.symbol.text for i in operator.row if isinstance(i.symbol, Quoted)), "")
        tight = fixity in ("prefix", "postfix") and not sign[:1].isalpha()
        build: Build = operator.makes or Pass(len(parts))
        if operator.lacks is not None:
            parts.append(self.work.symbol(operator.lacks, operator.span))
            captures += (-1,)
        self.work.productions.append(
            Production(
                left, tuple(parts), build, captures, operator.span, tight,
                formless=operator.lacks is not None,
            )
        )  # fmt: skip

    def _pass(self, left: int, right: int) -> None:
        self.work.productions.append(Production(left, (right,), Pass(0), (-1,), self.table.span))
