"""Checking the rules of a grammar: their symbols, and what their alternatives make."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.templates import Templates
from embrix.brix.world import World, count, unify
from embrix.grammar.model import (
    Alternative,
    Compose,
    Fold,
    Item,
    Kind,
    Operand,
    Quoted,
    Repeated,
    Rule,
    Symbol,
    Use,
)
from embrix.grammar.pattern import NOTHING
from embrix.grammar.tokens import TokenKind
from embrix.terms.types import (
    TEXT,
    UNKNOWN,
    Con,
    Hole,
    Type,
    Unknown,
    listing,
    maybe,
    settle,
    show_type,
)
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


class RuleChecks:
    """Checks the rules of one grammar: what stands in them, and what they make."""

    def __init__(
        self, world: World, grammar: s.GrammarSyntax, kinds: tuple[TokenKind, ...]
    ) -> None:
        self.world = world
        self.grammar = grammar
        self.kinds = {kind.name: kind for kind in kinds if not kind.skip}
        self.unwritten: dict[str, TokenKind] = {}
        self.types: dict[str, Type] = {}
        self.literals: dict[str, None] = {}
        self.starts: list[str] = []
        self.used: set[str] = set()
        self.extra: list[Rule] = []
        """Rules in place of what has errors."""

    def hole(self, mark: int, span: Span, read: Sequence[Symbol] = ()) -> Alternative:
        """An alternative in place of what has been wrong since a mark: reading stops there, behind
        what can be `read` of it."""
        items = [*(Item(symbol) for symbol in read), Item(self.missing(mark, bool(read)))]
        return Alternative(tuple(items), None, span, len(read), formless=bool(read))

    def missing(self, mark: int, is_read: bool = False) -> Symbol:
        """A token that no text has, in place of what has been wrong since a mark; where all of it
        `is_read`, in place of what is made of it."""
        if self.world.mark() == mark:
            return self.unread("what it makes" if is_read else "a line that cannot be read")
        return self.unread(f"an error at {self.world.causes[mark].place}")

    def is_unread(self, symbol: Symbol) -> bool:
        return isinstance(symbol, Kind) and symbol.name.startswith("todo an error at ")

    def unread(self, note: str) -> Symbol:
        """A token that no text has."""
        name = f"todo {note}"
        self.unwritten[name] = TokenKind(name, NOTHING, "", None, label=note, made="todo")
        return Kind(name)

    def rule_named(self, name: str, span: Span) -> bool:
        if name in self.types:
            return True
        if self.world.is_lost(name):
            return False
        known = [name for name in (*self.types, *self.kinds) if not name.startswith("(")]
        hint = did_you_mean(name, known, "known are " + ", ".join(known))
        if name in self.world.constructors:
            hint = f"{name} is a form: write makes {name}"
        elif name[:1].islower() and "did you mean" not in hint:
            hint = f'for a word of the program write "{name}"; {hint}'
        self.world.error("unknown_rule", f"there is no rule called {name}", span, hint)
        return False

    # ---------------------------------------------------------------- rules

    def rule(self, rule: s.RuleSyntax) -> Rule:
        wanted = self.types[rule.name]
        alternatives = self.alternatives(rule.name, wanted, rule.written)
        return Rule(rule.name, show_type(wanted), alternatives, rule.span)

    def alternatives(
        self, rule: str, wanted: Type, rows: Sequence[s.AlternativeSyntax]
    ) -> tuple[Alternative, ...]:
        """The alternatives of a rule or group, with a hole for each that is wrong."""
        alternatives = []
        for written in rows:
            mark = self.world.mark()
            symbols = [self.symbol(item) for item in written.items]
            made = self.alternative(rule, wanted, written, symbols)
            if made is None:
                read = [found[0] for found in symbols if found is not None]
                made = self.hole(mark, written.span, read if len(read) == len(symbols) else ())
            alternatives.append(made)
        return tuple(alternatives)

    def symbol(self, item: s.ItemSyntax) -> tuple[Symbol, Type] | None:
        """A symbol with the type of its value; None when it was reported."""
        found = self.plain(item)
        if found is None or not item.sign:
            return found
        symbol, kind = found
        separator = None
        if item.separator is not None:
            checked = self.plain(item.separator)
            if checked is None:
                return None
            separator, what = checked
            between = item.separator
            if not (self.separates(between) or self.says_nothing(between, separator, what)):
                self.world.warning(
                    "dropped_part", f"what {item.separator.name} reads between two parts is "
                    "discarded", item.separator.span,
                    "separate by literals, line ends, or a rule that has nothing else",
                )  # fmt: skip
        elif item.sign in "*+" and self.item_may_be_empty(replace(item, sign=""), frozenset()):
            self.world.error(
                "empty_repetition", f"{item.name} can be empty, so repeating it has no end",
                item.span, "repeat something that takes at least one token",
            )  # fmt: skip
            return None
        repeated = Repeated(symbol, item.sign, separator, item.greedy)
        return repeated, maybe(kind) if item.sign == "?" else listing(kind)

    def may_be_empty(self, name: str, seen: frozenset[str] = frozenset()) -> bool:
        """Whether a rule derives the empty text (as far as its syntax tells)."""
        for rule in self.grammar.rules:
            if rule.name != name or name in seen or not isinstance(rule, s.RuleSyntax):
                continue
            inner = seen | {name}
            return any(
                all(self.item_may_be_empty(one, inner) for one in alternative.items)
                for alternative in rule.written
            )
        return False

    def item_may_be_empty(self, item: s.ItemSyntax, seen: frozenset[str]) -> bool:
        if item.sign in ("?", "*"):
            return True
        if item.group:
            return any(
                all(self.item_may_be_empty(one, seen) for one in alternative.items)
                for alternative in item.group
            )
        written = item.text is not None or item.todo is not None or item.name in self.kinds
        return not written and self.may_be_empty(item.name, seen)

    def plain(self, item: s.ItemSyntax) -> tuple[Symbol, Type] | None:
        if item.todo is not None:
            return self.still_to_write(item), Hole()
        if item.text is not None:
            if not item.text:
                self.world.error("empty_token", "a literal holds at least one character", item.span)
                return None
            self.literals[item.text] = None
            return Quoted(item.text), TEXT
        if item.group:
            return self.group(item)
        mark = self.world.mark()
        if item.name in self.kinds and self.world.is_lost(item.name):
            return self.missing(mark), UNKNOWN
        if item.name in self.kinds:
            return Kind(item.name), Con(self.kinds[item.name].conversion or "Text")
        if item.name == "skip":
            self.world.error("unknown_rule", "skipped tokens cannot stand in a rule", item.span)
            return None
        if not self.rule_named(item.name, item.span):
            return self.missing(mark), UNKNOWN
        self.used.add(item.name)
        return Use(item.name), self.types[item.name]

    def group(self, item: s.ItemSyntax) -> tuple[Symbol, Type]:
        """A group is a rule without a name, where it is used. It goes by what it is written as, so
        that equal ones are one."""
        if item.name not in self.types:
            wanted = TEXT if all(map(self.only_signs, item.group)) else Hole()
            self.types[item.name] = wanted
            alternatives = self.alternatives(item.name, wanted, item.group)
            made = Rule(item.name, show_type(wanted), alternatives, item.span, group=True)
            self.extra.append(made)
        return Use(item.name), self.types[item.name]

    def still_to_write(self, item: s.ItemSyntax) -> Symbol:
        """A token that no text has, in place of what is not written yet."""
        note = item.todo or ""
        self.world.warning(
            "unfinished", f"still to be written: {note}", item.span,
            "no program can be read beyond this place",
        )  # fmt: skip
        return self.unread(note)

    def alternative(
        self,
        rule: str,
        wanted: Type,
        alternative: s.AlternativeSyntax,
        found: Sequence[tuple[Symbol, Type] | None],
    ) -> Alternative | None:
        """An alternative of a rule from what its items stand for; None when that is wrong."""
        pairs = zip(alternative.items, found, strict=True)
        symbols = [(item, one) for item, one in pairs if one is not None]
        if len(symbols) < len(found):
            return None
        if alternative.makes is None:
            return self.passing(rule, wanted, alternative, symbols)
        made = self.made(symbols, alternative.makes, wanted)
        if made is None:
            return None
        return Alternative(made[0], made[1], alternative.span)

    def made(
        self,
        symbols: Sequence[tuple[s.ItemSyntax, tuple[Symbol, Type]]],
        makes: s.Expr,
        wanted: Type,
    ) -> tuple[tuple[Item, ...], Compose | Fold] | None:
        """The items with their slots, and the term that is made of them."""
        template = Templates(self.world, makes, wanted)
        items: list[Item] = []
        for item, (symbol, kind) in symbols:
            slot: int | None = None
            if item.capture:
                slot = template.capture(item.capture, kind, item.span, item.name)
            elif self.is_unread(symbol):
                pass
            elif not self.says_nothing(item, symbol, kind):
                what = f"what {item.name} reads here" if item.name else "what is repeated here"
                self.world.warning(
                    "dropped_part", f"{what} is discarded", item.span,
                    f"capture it: FIELD:{item.name}",
                )  # fmt: skip
            items.append(Item(symbol, slot))
        made = template.finish()
        return (tuple(items), made) if made is not None else None

    def says_nothing(self, item: s.ItemSyntax, symbol: Symbol, kind: Type) -> bool:
        """Whether nothing is lost where an item is not captured, or what is wrong with it has been
        reported."""
        inner = kind.args[0] if isinstance(kind, Con) and kind.args else kind
        if isinstance(settle(inner), Hole | Unknown):
            return True
        plain = self.only_words(item) or isinstance(symbol, Quoted | Operand)
        return plain or self.is_layout(symbol) or self.has_sign(symbol)

    def has_sign(self, symbol: Symbol) -> bool:
        """Whether a symbol is a token that has one text only."""
        kind = self.kinds.get(symbol.name) if isinstance(symbol, Kind) else None
        return kind is not None and kind.sign is not None

    def only_signs(self, alternative: s.AlternativeSyntax) -> bool:
        """Whether nothing but literals and line ends stands in an alternative, and nothing is made
        of them."""
        kinds = self.kinds
        return alternative.makes is None and all(
            not item.sign
            and (item.text is not None or (item.name in kinds and bool(kinds[item.name].made)))
            for item in alternative.items
        )

    def only_words(self, item: s.ItemSyntax) -> bool:
        """Whether an item is a group of nothing but literals and line ends."""
        return bool(item.group) and all(map(self.only_signs, item.group))

    def separates(self, item: s.ItemSyntax) -> bool:
        """Whether an item is a rule of nothing but literals and line ends."""
        return any(
            rule.name == item.name and all(map(self.only_signs, rule.written))
            for rule in self.grammar.rules
            if isinstance(rule, s.RuleSyntax)
        )

    def is_layout(self, symbol: Symbol) -> bool:
        """Whether a symbol stands for line ends or indentation, which carry no value."""
        if isinstance(symbol, Repeated):
            return self.is_layout(symbol.symbol)
        kind = self.kinds.get(symbol.name) if isinstance(symbol, Kind) else None
        return kind is not None and kind.made in ("newline", "indent", "dedent")

    def passing(
        self,
        rule: str,
        wanted: Type,
        alternative: s.AlternativeSyntax,
        symbols: Sequence[tuple[s.ItemSyntax, tuple[Symbol, Type]]],
    ) -> Alternative | None:
        """An alternative that makes nothing hands on the value of its one rule or token; in a rule
        of texts a literal that stands alone hands on its text."""
        group, texts = rule.startswith("("), settle(wanted) == TEXT
        alone = (texts or group) and len(symbols) == 1
        values = [
            (item, kind)
            for item, (symbol, kind) in symbols
            if (alone or not isinstance(symbol, Quoted)) and not self.is_layout(symbol)
        ]
        if len(values) > 1:
            values = [(item, kind) for item, kind in values if not self.only_words(item)]
        if texts and (group or alone) and self.only_signs(alternative):
            values = [(alternative.items[0], TEXT)]
        if any(self.is_unread(symbol) for _, (symbol, _) in symbols) or not self.world.sorts:
            return None  # what is wrong here has been reported
        if len(values) != 1:
            self.world.error(
                "makes_nothing", "this alternative makes no form, and it has "
                f"{count(len(values), 'part')} that could be handed on instead of one",
                alternative.span, "add `makes FORM`",
            )  # fmt: skip
            return None
        item, kind = values[0]
        if not unify(kind, wanted):
            self.world.error(
                "type_mismatch", f"this hands on {show_type(kind)}, but the "
                f"{'group' if group else 'rule'} {rule} is of "
                f"type {show_type(wanted)}", item.span, "add `makes FORM`",
            )  # fmt: skip
            return None
        if item.capture:
            self.world.warning(
                "dropped_part",
                f"{item.capture} captures a part, but this alternative makes no form", item.span,
                "add `makes FORM`, or remove the capture",
            )  # fmt: skip
        items = tuple(Item(symbol) for _, (symbol, _) in symbols)
        place = next(n for n, (own, _) in enumerate(symbols) if own is item)
        return Alternative(items, None, alternative.span, place)


def references(expr: s.Expr) -> list[str]:
    """The names that a term after `makes` refers to, `left` before `right`."""
    found: dict[str, None] = {}
    pending: list[s.Expr] = [expr]
    while pending:
        part = pending.pop(0)
        if isinstance(part, s.Make):
            pending = [*part.args, *pending]
        elif isinstance(part, s.Otherwise):
            pending = [part.value, part.instead, *pending]
        elif isinstance(part, s.Apply):
            pending = [*part.args, *pending]
        elif isinstance(part, s.Ref) and part.name not in ("true", "false"):
            found[part.name] = None
    names = list(found)
    return ["left", "right"] if set(names) == {"left", "right"} else names
