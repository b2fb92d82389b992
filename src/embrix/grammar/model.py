"""A grammar as the notation states it, and as parsers and the printer use it.

`Rule` and `OperatorTable` keep the author's shape; `Production` is the plain context-free form that
`flatten` makes of them. Terminals are numbered by the token table; nonterminals are negative.
"""

from __future__ import annotations

from fractions import Fraction
from typing import Literal, NamedTuple, Protocol, TypeAlias

from msgspec import Struct, field
from msgspec.structs import force_setattr

from embrix.grammar.tokens import TokenTable
from embrix.terms.node import Constructor, Value
from embrix.terms.signature import Signature
from embrix.text.source import Span

END = "the end of the program"


class Quoted(Struct, frozen=True):
    """A literal of the grammar."""

    text: str


class Kind(Struct, frozen=True):
    """A named token."""

    name: str


class Use(Struct, frozen=True):
    """A rule or an operator table."""

    rule: str


class Operand(Struct, frozen=True):
    """A place for an operand in a row of an operator table."""


class Repeated(Struct, frozen=True):
    """`X?`, `X*`, `X+`, or with a separator `list(X, ",")` (sign `*`) and `list1` (sign `+`). What
    the separator stands for is not kept.

    A greedy one ends only where the next token cannot begin another X.
    """

    symbol: Symbol
    sign: str
    separator: Symbol | None = None
    greedy: bool = False


Symbol: TypeAlias = Quoted | Kind | Use | Operand | Repeated


class Item(Struct, frozen=True):
    """A symbol in an alternative; `field` is the number of the slot it fills, or None."""

    symbol: Symbol
    field: int | None = None


# ---------------------------------------------------------------------- what is built


class Slot(Struct, frozen=True):
    """What was captured under a number."""

    number: int


class Fixed(Struct, frozen=True):
    """A constant."""

    value: int | Fraction | float | str | bool


class OrElse(Struct, frozen=True):
    """A captured optional part, or something in its place."""

    number: int
    instead: Template


class Several(Struct, frozen=True):
    """A list of the parts."""

    parts: tuple[Template, ...]


class Compose(Struct, frozen=True, eq=False):
    """A form of parts."""

    form: Constructor
    parts: tuple[Template, ...]


class Fold(Struct, frozen=True, eq=False):
    """A form around a form, once for each item of a captured list: of its parts `each` is the slot
    of the list and stands for an item, `seed` for what is made of the items before (where the seed
    stands first) or behind; without items the seed is all there is."""

    make: Compose
    each: int
    seed: int

    @property
    def slot(self) -> int:
        """The slot of the list."""
        part = self.make.parts[self.each]
        assert isinstance(part, Slot)
        return part.number

    @property
    def leftwards(self) -> bool:
        """Whether the first item lies innermost."""
        return self.seed < self.each


Template: TypeAlias = Slot | Fixed | OrElse | Several | Compose | Fold


class Pass(Struct, frozen=True):
    """The value of one symbol, by its position."""

    position: int


class Collect(Struct, frozen=True):
    """A step in collecting an optional part or a list (kept backwards until it is done)."""

    step: Literal["none", "some", "nil", "one", "add", "done"]


Build: TypeAlias = Compose | Fold | Pass | Collect


def fields_of(form: Constructor) -> Compose:
    """The form of its fields, each captured under its own number."""
    return Compose(form, tuple(Slot(number) for number in range(len(form.fields))))


# ---------------------------------------------------------------------- as the author states it


class Alternative(Struct, frozen=True):
    """Without a template it passes the value of one item through; `passes` says which."""

    items: tuple[Item, ...]
    makes: Compose | Fold | None
    span: Span
    passes: int = 0
    formless: bool = False
    """Whether all is known but the form that it makes, for which the last item stands: no text has
    that."""


class Rule(Struct, frozen=True):
    """A rule, or a `group` of alternatives inside another one, which is called what it is written
    as."""

    name: str
    sort: str
    alternatives: tuple[Alternative, ...]
    span: Span
    group: bool = False


Fixity: TypeAlias = Literal["left", "right", "nonassociative", "prefix", "postfix"]


class Operator(Struct, frozen=True):
    """An operator: its row of operands, literals and captured rules, and what it makes."""

    fixity: Fixity
    row: tuple[Item, ...]
    makes: Compose | Fold | None
    span: Span
    lacks: Symbol | None = None
    """What stands for the form that it makes where that is missing: no text has it."""


class OperatorTable(Struct, frozen=True):
    """Levels from the loosest to the tightest, and the rule that operands are of."""

    name: str
    sort: str
    levels: tuple[tuple[Operator, ...], ...]
    operand: str
    span: Span


# ---------------------------------------------------------------------- as parsers use it


class Production(Struct, frozen=True, eq=False):
    """`left` derives the symbols of `right`.

    `captures` says for each symbol under which number its value is captured (-1: none). `unless` is
    a symbol: the production is not completed where the next token may begin that symbol. `origin`
    is the place in the definition; `tight` marks an operator written close to its operand.
    """

    left: int
    right: tuple[int, ...]
    build: Build
    captures: tuple[int, ...]
    origin: Span
    tight: bool = False
    unless: int | None = None
    formless: bool = False
    """Whether its last symbol, which no text has, stands for the form that it lacks."""

    @property
    def form(self) -> Constructor | None:
        """The form that is made, if one is."""
        made = self.build.make if isinstance(self.build, Fold) else self.build
        return made.form if isinstance(made, Compose) else None

    @property
    def passes(self) -> int | None:
        """The position of the symbol whose value is handed on, if nothing has to be made of it."""
        if isinstance(self.build, Pass):
            return self.build.position
        if not isinstance(self.build, Fold):
            return None
        seed = self.build.make.parts[self.build.seed]
        found = [at for at, slot in enumerate(self.captures) if slot >= 0]
        if len(found) != 2 or not isinstance(seed, Slot):
            return None
        return self.captures.index(seed.number)


class Iteration(NamedTuple):
    """A repeated symbol in a plain grammar: what is repeated, and the separator if it has one."""

    repeated: Repeated
    inner: int
    separator: int | None


class Conversion(Protocol):
    """How the text of a token becomes a value and back: functions that the author has written."""

    def read(self, text: str) -> Value | None:
        """The value, or None when the text has none."""

    def write(self, value: Value) -> str | None:
        """The text of a value, or None when there is none."""


class Grammar(Struct, frozen=True, eq=False):
    """Everything parsers and the printer need."""

    tokens: TokenTable
    signature: Signature
    numbers: str
    starts: tuple[str, ...]
    productions: tuple[Production, ...]
    entry: dict[str, int]
    """The nonterminal of each rule and table by its name."""
    names: dict[int, str]
    """What people call a nonterminal."""
    repeats: dict[int, Iteration]
    """The nonterminals made for repeated symbols."""
    conversions: dict[str, Conversion] = field(default_factory=dict)
    """By token, for those that are read `via` functions."""
    groups: frozenset[int] = frozenset()
    """The nonterminals of groups of alternatives inside rules."""
    owners: dict[int, str] = field(default_factory=dict)
    """The table for each nonterminal that stands for one of its levels, and the repetition, as its
    author writes it, for what it is made of."""
    by_left: dict[int, list[Production]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        table: dict[int, list[Production]] = {}
        for production in self.productions:
            table.setdefault(production.left, []).append(production)
        force_setattr(self, "by_left", table)

    @property
    def end(self) -> int:
        """The terminal that stands for the end of the text."""
        return len(self.tokens.literals) + len(self.tokens.kinds)

    @property
    def formless(self) -> tuple[int, ...]:
        """The nonterminals of rules with alternatives that lack the form that they make."""
        return tuple(dict.fromkeys(one.left for one in self.productions if one.formless))

    @property
    def unwritten(self) -> frozenset[int]:
        """The terminals that stand for parts still to be written; no text has them."""
        first = len(self.tokens.literals)
        kinds = enumerate(self.tokens.kinds, first)
        return frozenset(number for number, kind in kinds if kind.made == "todo")

    def describe(self, terminal: int) -> str:
        return END if terminal == self.end else self.tokens.describe(terminal)
