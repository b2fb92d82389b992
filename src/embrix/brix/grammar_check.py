"""Checking the rules of a grammar against the tokens and forms."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Literal

from embrix.brix import syntax as s
from embrix.brix.templates import Templates
from embrix.brix.token_check import layout_of
from embrix.brix.world import World, count, unify
from embrix.grammar.flatten import flatten
from embrix.grammar.model import (
    Alternative,
    Compose,
    Fixity,
    Grammar,
    Item,
    Kind,
    Operand,
    Operator,
    OperatorTable,
    OrElse,
    Quoted,
    Repeated,
    Rule,
    Several,
    Symbol,
    Template,
    Use,
)
from embrix.grammar.pattern import NOTHING
from embrix.grammar.tokens import TokenKind, TokenTable
from embrix.terms.signature import Signature
from embrix.terms.types import TEXT, UNKNOWN, Con, Hole, Type, listing, maybe, settle, show_type
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


def check_grammar(
    world: World,
    syntax: s.LanguageSyntax,
    grammar: s.GrammarSyntax,
    signature: Signature,
    kinds: tuple[TokenKind, ...],
) -> Grammar | None:
    """One of the grammars of a language, or None when too little of it is right to be used."""
    begun = world.mark()
    check = _Grammar(world, grammar, kinds)
    rules = check.all()
    if not check.starts:
        return None
    invalid: Literal["stops", "one by one"] = (
        "one by one" if syntax.tokens.invalid == "one by one" else "stops"
    )
    kinds = (*kinds, *check.unwritten.values())
    literals = tuple(check.literals)
    layout = layout_of(world, syntax.tokens.lines, literals, kinds)
    tokens = TokenTable(literals, kinds, invalid, layout)
    declared = syntax.tokens.written
    for terminal, example, winner in tokens.never_winning():
        index = terminal - len(tokens.literals)
        decl = declared[index] if index >= 0 else None
        span = decl.span if decl is not None else grammar.span
        mine = "what is skipped" if decl and decl.name == "skip" else tokens.describe(terminal)
        other = tokens.kind_of(winner)
        theirs = "skipped" if other is not None and other.skip else tokens.describe(winner)
        world.warning(
            "hidden_token", f"{mine} never comes out: {example!r}, for one, is always {theirs}",
            span, "declare it before the token that hides it, or make the patterns differ",
        )  # fmt: skip
    checked = flatten(tokens, signature, world.numbers, tuple(check.starts), rules)
    if world.mark() == begun and not grammar.damaged:
        report_unbuilt(world, syntax, grammar, checked)
    return checked


def report_unbuilt(
    world: World, syntax: s.LanguageSyntax, grammar: s.GrammarSyntax, checked: Grammar
) -> None:
    """Warn about forms that no rule makes."""
    made: set[str] = set()
    pending: list[Template] = [p.build for p in checked.productions if isinstance(p.build, Compose)]
    while pending:
        template = pending.pop()
        if isinstance(template, Compose):
            made.add(template.form.name)
            pending += template.parts
        elif isinstance(template, Several):
            pending += template.parts
        elif isinstance(template, OrElse):
            pending.append(template.instead)
    where = f"the grammar {grammar.name}" if grammar.name else "the grammar"
    for decl in syntax.types:
        for form in decl.constructors:
            if form.name not in made:
                world.warning(
                    "unbuilt_form", f"no rule of {where} makes {form.name}", form.span,
                    f"add an alternative that ends with: makes {form.name}",
                )  # fmt: skip


class _Grammar:
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

    def all(self) -> list[Rule | OperatorTable]:
        """All rules. What is wrong in them is still to be written: reading stops there."""
        begun = self.world.mark()
        rules: list[s.RuleSyntax | s.TableSyntax] = []
        for rule in self.grammar.rules:
            if rule.name in self.types:
                self.world.error(
                    "declared_twice", f"there is a rule called {rule.name} already", rule.span
                )
                continue
            rules.append(rule)
            self.types[rule.name] = self.sort(rule)
        for name, span in self.grammar.starts:
            if self.rule_named(name, span):
                self.starts.append(name)
        if not self.starts and rules:
            self.starts.append(rules[0].name)
        if not self.grammar.starts and not self.grammar.damaged:
            self.world.error(
                "missing_part", "the grammar does not say where a program starts",
                self.grammar.span, "add a line `start RULE`",
            )  # fmt: skip
        checked: list[Rule | OperatorTable] = []
        for rule in rules:
            if isinstance(rule, s.RuleSyntax):
                checked.append(self.rule(rule))
            else:
                checked.append(self.table(rule))
        if self.world.mark() == begun and not self.grammar.damaged:
            self.unreached()
        return self.productive([*checked, *self.extra])

    def sort(self, rule: s.RuleSyntax | s.TableSyntax) -> Type:
        """The type of what a rule gives; a rule without one has the sort of its name."""
        syntax = rule.sort
        if (
            isinstance(syntax, s.TypeName)
            and syntax.name == rule.name
            and syntax.name not in self.world.sorts
        ):
            if self.world.is_lost(rule.name):
                return UNKNOWN
            self.world.error(
                "unknown_type", f"{rule.name} is no sort of this language", syntax.span,
                did_you_mean(
                    rule.name, self.world.sorts,
                    f"write {rule.name} : SORT, with one of {', '.join(sorted(self.world.sorts))}",
                ),
            )  # fmt: skip
            return UNKNOWN
        return self.world.type(syntax)

    def unreached(self) -> None:
        """Rules that no program can get to."""
        uses: dict[str, set[str]] = {}
        for rule in self.grammar.rules:
            names: set[str] = set()
            if isinstance(rule, s.RuleSyntax):
                names = {i.name for a in rule.written for i in a.items}
            else:
                rows = [op.row for level in rule.written for op in level.operators]
                names = {item.name for row in rows for item in row}
                names.add(rule.operand[0] if rule.operand else "")
            uses[rule.name] = names
        reached: set[str] = set()
        pending = [name for name, _ in self.grammar.starts]
        while pending:
            name = pending.pop()
            if name in uses and name not in reached:
                reached.add(name)
                pending += uses[name]
        for rule in self.grammar.rules:
            if rule.name not in reached:
                self.world.warning(
                    "unused_rule", f"no program gets to {rule.name}", rule.span,
                    "refer to it, or name it after `start`",
                )  # fmt: skip

    def productive(self, rules: Sequence[Rule | OperatorTable]) -> list[Rule | OperatorTable]:
        """The rules, each of which derives a finite text: one that does not is reported."""
        finite: set[str] = set()

        def ends(symbol: Symbol) -> bool:
            if isinstance(symbol, Use):
                return symbol.rule in finite
            if isinstance(symbol, Repeated):
                return symbol.sign in "?*" or ends(symbol.symbol)
            return True

        changed = True
        while changed:
            changed = False
            for rule in rules:
                if rule.name in finite:
                    continue
                if isinstance(rule, OperatorTable):
                    good = rule.operand in finite
                else:
                    good = any(all(ends(i.symbol) for i in a.items) for a in rule.alternatives)
                if good:
                    finite.add(rule.name)
                    changed = True
        made: list[Rule | OperatorTable] = []
        for rule in rules:
            if rule.name in finite:
                made.append(rule)
                continue
            mark = self.world.mark()
            self.world.error(
                "endless_rule", f"{rule.name} derives no finite text", rule.span,
                "add an alternative that does not come back to it",
            )  # fmt: skip
            made.append(Rule(rule.name, rule.sort, (self.hole(mark, rule.span),), rule.span))
        return made

    def hole(self, mark: int, span: Span, read: Sequence[Symbol] = ()) -> Alternative:
        """An alternative in place of what has been wrong since a mark: reading stops there, behind
        what can be `read` of it."""
        items = [*(Item(symbol) for symbol in read), Item(self.missing(mark))]
        return Alternative(tuple(items), None, span, len(read))

    def missing(self, mark: int) -> Symbol:
        """A token that no text has, in place of what has been wrong since a mark."""
        if self.world.mark() == mark:
            return self.unread("a line that cannot be read")
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
        known = [*self.types, *self.kinds]
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
        alternatives = []
        for written in rule.written:
            mark = self.world.mark()
            symbols = [self.symbol(item) for item in written.items]
            made = self.alternative(rule.name, wanted, written, symbols)
            if made is None:
                read = [found[0] for found in symbols if found is not None]
                made = self.hole(mark, written.span, read if len(read) == len(symbols) else ())
            alternatives.append(made)
        return Rule(rule.name, show_type(wanted), tuple(alternatives), rule.span)

    def symbol(self, item: s.ItemSyntax) -> tuple[Symbol, Type] | None:
        """A symbol with the type of its value; None when it was reported."""
        found = self.plain(item)
        if found is None or not item.sign:
            return found
        symbol, kind = found
        if item.separator:
            self.literals[item.separator] = None
        elif isinstance(symbol, Use) and item.sign in "*+" and self.may_be_empty(symbol.rule):
            self.world.error(
                "empty_repetition", f"{symbol.rule} can be empty, so repeating it has no end",
                item.span, "repeat something that takes at least one token",
            )  # fmt: skip
            return None
        repeated = Repeated(symbol, item.sign, item.separator, item.greedy)
        return repeated, maybe(kind) if item.sign == "?" else listing(kind)

    def may_be_empty(self, name: str, seen: frozenset[str] = frozenset()) -> bool:
        """Whether a rule derives the empty text (as far as its syntax tells)."""
        for rule in self.grammar.rules:
            if rule.name != name or name in seen or not isinstance(rule, s.RuleSyntax):
                continue
            inner = seen | {name}
            return any(
                all(
                    i.sign in ("?", "*")
                    or (i.text is None and i.name not in self.kinds
                        and self.may_be_empty(i.name, inner))
                    for i in alternative.items
                )
                for alternative in rule.written
            )  # fmt: skip
        return False

    def plain(self, item: s.ItemSyntax) -> tuple[Symbol, Type] | None:
        if item.todo is not None:
            return self.still_to_write(item), Hole()
        if item.text is not None:
            if not item.text:
                self.world.error("empty_token", "a literal holds at least one character", item.span)
                return None
            self.literals[item.text] = None
            return Quoted(item.text), TEXT
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
    ) -> tuple[tuple[Item, ...], Compose] | None:
        """The items with their slots, and the term that is made of them."""
        template = Templates(self.world, makes, wanted)
        items: list[Item] = []
        for item, (symbol, kind) in symbols:
            slot: int | None = None
            if item.capture:
                slot = template.capture(item.capture, kind, item.span, item.name)
            elif self.is_unread(symbol):
                pass
            elif not isinstance(symbol, Quoted | Operand) and not self.is_layout(symbol):
                what = f"what {item.name} reads here" if item.name else "what is repeated here"
                self.world.warning(
                    "dropped_part", f"{what} is thrown away", item.span,
                    f"capture it: FIELD:{item.name}",
                )  # fmt: skip
            items.append(Item(symbol, slot))
        made = template.finish()
        return (tuple(items), made) if made is not None else None

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
        alone = len(symbols) == 1 and settle(wanted) == TEXT
        values = [
            (item, kind)
            for item, (symbol, kind) in symbols
            if (alone or not isinstance(symbol, Quoted)) and not self.is_layout(symbol)
        ]
        if any(self.is_unread(symbol) for _, (symbol, _) in symbols):
            return None  # what is wrong here has been told
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
                "type_mismatch", f"this hands on {show_type(kind)}, but the rule {rule} is of "
                f"type {show_type(wanted)}", item.span, "add `makes FORM`",
            )  # fmt: skip
            return None
        if item.capture:
            self.world.warning(
                "dropped_part", f"{item.capture} captures for nothing: no form is made", item.span,
                "add `makes FORM`, or remove the capture",
            )  # fmt: skip
        items = tuple(Item(symbol) for _, (symbol, _) in symbols)
        place = next(n for n, (own, _) in enumerate(symbols) if own is item)
        return Alternative(items, None, alternative.span, place)

    # ---------------------------------------------------------------- operator tables

    def table(self, table: s.TableSyntax) -> OperatorTable:
        wanted = self.types[table.name]
        operand, operand_span = table.operand or ("", table.span)
        mark = self.world.mark()
        if not operand and not self.grammar.damaged:
            self.world.error(
                "missing_operand", f"the table {table.name} does not say what its operands are",
                table.span, "add a line `operand RULE`",
            )  # fmt: skip
        elif operand and self.rule_named(operand, operand_span):
            self.used.add(operand)
            if not unify(self.types[operand], wanted):
                self.world.error(
                    "type_mismatch", f"the operands are of type "
                    f"{show_type(self.types[operand])}, the table is of type "
                    f"{show_type(wanted)}", operand_span,
                )  # fmt: skip
        if operand not in self.types:
            # Its operands are still to be written.
            operand = f"operand of {table.name}"
            hole = (self.hole(mark, table.span),)
            self.extra.append(Rule(operand, show_type(wanted), hole, table.span))
        levels = tuple(
            tuple(
                operator
                for entry in level.operators
                if (operator := self.operator(wanted, FIXITY[level.fixity], entry)) is not None
            )
            for level in table.written
        )
        return OperatorTable(table.name, show_type(wanted), levels, operand, table.span)

    def operator(self, wanted: Type, fixity: Fixity, entry: s.OperatorSyntax) -> Operator | None:
        row = self.with_operands(wanted, fixity, entry)
        if row is None:
            return None
        symbols: list[tuple[s.ItemSyntax, tuple[Symbol, Type]]] = []
        for item in row:
            if item.text is None and not item.name:
                symbols.append((item, (Operand(), wanted)))
                continue
            found = self.symbol(item)
            if found is None:
                return None
            symbols.append((item, found))
        made = self.made(symbols, entry.makes, wanted)
        if made is None:
            return None
        first, last = (isinstance(made[0][n].symbol, Operand) for n in (0, -1))
        begins, ends = fixity != "prefix", fixity != "postfix"
        between = [isinstance(item.symbol, Operand) for item in made[0]]
        touching = any(a and b for a, b in itertools.pairwise(between))
        if (first, last) != (begins, ends) or (touching and not entry.juxtaposed):
            self.world.error(
                "wrong_row", f"a {fixity} operator {_ROWS[fixity]}", entry.span,
                "operators without a sign of their own are written: left a juxtaposed b makes F",
            )  # fmt: skip
            return None
        return Operator(fixity, made[0], made[1], entry.span)

    def with_operands(
        self, wanted: Type, fixity: Fixity, entry: s.OperatorSyntax
    ) -> tuple[s.ItemSyntax, ...] | None:
        """The row of an operator; operands that were left out are added at its ends."""
        if any(item.text is None and not item.name for item in entry.row):
            return entry.row
        name = entry.makes.name if isinstance(entry.makes, s.Make) else ""
        form = self.world.constructors.get(name)
        if form is None:
            return entry.row
        captured = {item.capture for item in entry.row if item.capture}
        number = 1 if fixity in ("prefix", "postfix") else 2
        if isinstance(entry.makes, s.Make) and entry.makes.args:
            free = [name for name in references(entry.makes) if name not in captured]
            return self.at_the_ends(form.name, wanted, fixity, entry, free, number)
        free = [
            field
            for field, kind in zip(form.fields, form.types, strict=True)
            if field not in captured and unify(kind, wanted)
        ]
        if number == 2 and {"left", "right"} <= set(free):
            free = ["left", "right"]
        if len(form.fields) != number + len(captured):
            free = []
        return self.at_the_ends(form.name, wanted, fixity, entry, free, number)

    def at_the_ends(
        self,
        form: str,
        wanted: Type,
        fixity: Fixity,
        entry: s.OperatorSyntax,
        free: list[str],
        number: int,
    ) -> tuple[s.ItemSyntax, ...] | None:
        """The row with operands of these names at its ends."""
        if len(free) != number:
            fields = ", ".join(self.world.constructors[form].fields) or "none"
            self.world.error(
                "wrong_number", f"{form} does not fit an operator with "
                f"{count(number, 'operand')}: its fields are {fields}",
                entry.makes.span, f"give it {count(number, 'field')} of type {show_type(wanted)}, "
                "or name the operands in the row",
            )  # fmt: skip
            return None
        ends = [s.ItemSyntax(None, "", field, entry.span) for field in free]
        if fixity == "prefix":
            return (*entry.row, ends[0])
        if fixity == "postfix":
            return (ends[0], *entry.row)
        return (ends[0], *entry.row, ends[1])


_ROWS = {
    "left": "has operands at both ends, with something between them",
    "right": "has operands at both ends, with something between them",
    "nonassociative": "has operands at both ends, with something between them",
    "prefix": "begins with a sign and ends with an operand",
    "postfix": "begins with an operand and ends with a sign",
}
FIXITY: dict[str, Fixity] = {
    "left": "left", "right": "right", "nonassociative": "nonassociative",
    "prefix": "prefix", "postfix": "postfix",
}  # fmt: skip


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
        elif isinstance(part, s.Ref) and part.name not in ("true", "false"):
            found[part.name] = None
    names = list(found)
    return ["left", "right"] if set(names) == {"left", "right"} else names


def quoted_in(grammar: s.GrammarSyntax) -> tuple[str, ...]:
    """The literals that a grammar is written with, whatever else is wrong in it."""
    found: dict[str, None] = {}
    for rule in grammar.rules:
        if isinstance(rule, s.RuleSyntax):
            rows = [alternative.items for alternative in rule.written]
        else:
            rows = [operator.row for level in rule.written for operator in level.operators]
        for item in (item for row in rows for item in row):
            found.update(dict.fromkeys(text for text in (item.text, item.separator) if text))
    return tuple(found)
