"""Checking the rules of a grammar against the tokens and forms."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from embrix.brix import syntax as s
from embrix.brix.world import World, count, unify
from embrix.grammar.flatten import flatten
from embrix.grammar.model import (
    Alternative,
    Fixity,
    Grammar,
    Item,
    Kind,
    Operator,
    OperatorTable,
    Quoted,
    Rule,
    Symbol,
    Use,
)
from embrix.grammar.tokens import TokenKind, TokenTable
from embrix.terms.node import Constructor
from embrix.terms.signature import Signature
from embrix.terms.types import UNKNOWN, Con, Type, show_type
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean


def check_grammar(
    world: World,
    syntax: s.LanguageSyntax,
    signature: Signature,
    kinds: tuple[TokenKind, ...],
) -> Grammar | None:
    """The grammar of a language, or None when too little of it is right to be used."""
    assert syntax.grammar is not None
    check = _Grammar(world, syntax.grammar, kinds)
    rules = check.all()
    if world.findings.has_errors or not check.starts:
        return None
    invalid: Literal["stops", "one by one"] = (
        "one by one" if syntax.invalid == "one by one" else "stops"
    )
    tokens = TokenTable(tuple(check.literals), kinds, invalid)
    return flatten(tokens, signature, syntax.numbers, tuple(check.starts), rules)


class _Grammar:
    def __init__(
        self, world: World, grammar: s.GrammarSyntax, kinds: tuple[TokenKind, ...]
    ) -> None:
        self.world = world
        self.grammar = grammar
        self.kinds = {kind.name: kind for kind in kinds if not kind.skip}
        self.sorts: dict[str, str] = {}
        self.literals: dict[str, None] = {}
        self.starts: list[str] = []
        self.used: set[str] = set()

    def all(self) -> list[Rule | OperatorTable]:
        for rule in self.grammar.rules:
            if rule.name in self.sorts:
                self.world.error(
                    "declared_twice", f"there is a rule called {rule.name} already", rule.span
                )
            self.sorts[rule.name] = rule.sort
            if rule.sort not in self.world.sorts:
                self.world.error(
                    "unknown_type", f"{rule.sort} is no sort of this language", rule.span,
                    did_you_mean(
                        rule.sort, self.world.sorts,
                        f"write {rule.name} : SORT, with one of {', '.join(self.world.sorts)}",
                    ),
                )  # fmt: skip
        for name, span in self.grammar.starts:
            if self.rule_named(name, span):
                self.starts.append(name)
        if not self.grammar.starts:
            self.world.error(
                "missing_part", "the grammar does not say where a program starts",
                self.grammar.span, "add a line `start RULE`",
            )  # fmt: skip
        checked: list[Rule | OperatorTable] = []
        for rule in self.grammar.rules:
            if isinstance(rule, s.RuleSyntax):
                checked.append(self.rule(rule))
            else:
                checked.append(self.table(rule))
        self.unused()
        return checked

    def unused(self) -> None:
        starts = {name for name, _ in self.grammar.starts}
        for rule in self.grammar.rules:
            if rule.name not in self.used | starts:
                self.world.warning(
                    "unused_rule", f"no rule refers to {rule.name}", rule.span,
                    "refer to it, or name it after `start`",
                )  # fmt: skip

    def rule_named(self, name: str, span: Span) -> bool:
        if name in self.sorts:
            return True
        known = [*self.sorts, *self.kinds]
        self.world.error(
            "unknown_rule", f"there is no rule called {name}", span,
            did_you_mean(name, known, "known are " + ", ".join(known)),
        )  # fmt: skip
        return False

    # ---------------------------------------------------------------- rules

    def rule(self, rule: s.RuleSyntax) -> Rule:
        alternatives = [self.alternative(rule, a) for a in rule.alternatives]
        kept = tuple(a for a in alternatives if a is not None)
        return Rule(rule.name, rule.sort, kept, rule.span)

    def symbol(self, item: s.ItemSyntax) -> tuple[Symbol, Type] | None:
        """A symbol with the type of its value; literals have no value."""
        if item.text is not None:
            if not item.text:
                self.world.error("empty_token", "a literal holds at least one character", item.span)
                return None
            self.literals[item.text] = None
            return Quoted(item.text), Con("Text")
        if item.name in self.kinds:
            return Kind(item.name), Con(self.kinds[item.name].conversion or "Text")
        if item.name == "skip":
            self.world.error("unknown_rule", "skipped tokens cannot stand in a rule", item.span)
            return None
        if not self.rule_named(item.name, item.span):
            return None
        self.used.add(item.name)
        return Use(item.name), Con(self.sorts[item.name])

    def form(self, name: str, sort: str, span: Span) -> Constructor | None:
        form = self.world.constructors.get(name)
        if form is None:
            known = [c.name for c in self.world.of_type(sort)]
            self.world.error(
                "unknown_constructor", f"there is no form called {name}", span,
                did_you_mean(name, known, "declare it among the forms"),
            )  # fmt: skip
        elif form.owner != sort:
            self.world.error(
                "type_mismatch", f"{name} is of sort {form.owner}, but the rule is of sort {sort}",
                span,
            )  # fmt: skip
            return None
        return form

    def alternative(
        self, rule: s.RuleSyntax, alternative: s.AlternativeSyntax
    ) -> Alternative | None:
        pairs = [(item, self.symbol(item)) for item in alternative.items]
        if any(found is None for _, found in pairs):
            return None
        symbols = [(item, found) for item, found in pairs if found is not None]
        if not alternative.makes:
            return self.passing(rule, alternative, symbols)
        form = self.form(alternative.makes, rule.sort, alternative.makes_span)
        if form is None:
            return None
        items: list[Item] = []
        filled: set[int] = set()
        for item, (symbol, kind) in symbols:
            index: int | None = None
            if item.capture:
                index = self.captured(form, item, kind, filled)
            elif isinstance(symbol, (Use, Kind)):
                self.world.warning(
                    "dropped_part", f"what {item.name} reads here is thrown away", item.span,
                    f"capture it: FIELD:{item.name}",
                )  # fmt: skip
            items.append(Item(symbol, index))
        self.complete(form, filled, alternative.makes_span)
        return Alternative(tuple(items), form, alternative.span)

    def passing(
        self,
        rule: s.RuleSyntax,
        alternative: s.AlternativeSyntax,
        symbols: Sequence[tuple[s.ItemSyntax, tuple[Symbol, Type]]],
    ) -> Alternative | None:
        """An alternative that makes nothing hands on the value of its one rule or token."""
        values = [(i, kind) for i, (symbol, kind) in symbols if not isinstance(symbol, Quoted)]
        if len(values) != 1:
            self.world.error(
                "makes_nothing", "this alternative makes no form, and it has "
                f"{count(len(values), 'part')} that could be handed on instead of one",
                alternative.span, "add `makes FORM`",
            )  # fmt: skip
            return None
        item, kind = values[0]
        if not unify(kind, Con(rule.sort)):
            self.world.error(
                "type_mismatch", f"this hands on {show_type(kind)}, but the rule {rule.name} is of "
                f"sort {rule.sort}", item.span, "add `makes FORM`",
            )  # fmt: skip
            return None
        if item.capture:
            self.world.warning(
                "dropped_part", f"{item.capture} captures for nothing: no form is made", item.span,
                "add `makes FORM`, or remove the capture",
            )  # fmt: skip
        return Alternative(
            tuple(Item(symbol) for _, (symbol, _) in symbols), None, alternative.span
        )

    def captured(
        self, form: Constructor, item: s.ItemSyntax, kind: Type, filled: set[int]
    ) -> int | None:
        if item.capture not in form.fields:
            self.world.error(
                "unknown_field", f"{form.name} has no field called {item.capture}", item.span,
                did_you_mean(item.capture, form.fields, "its fields are " + ", ".join(form.fields)),
            )  # fmt: skip
            return None
        index = form.fields.index(item.capture)
        if index in filled:
            self.world.error("declared_twice", f"{item.capture} is captured twice", item.span)
        filled.add(index)
        if not unify(kind, form.types[index]):
            self.world.error(
                "type_mismatch", f"{item.capture} of {form.name} is of type "
                f"{show_type(form.types[index])}, but {item.name or 'this'} gives "
                f"{show_type(kind)}", item.span,
            )  # fmt: skip
        return index

    def complete(self, form: Constructor, filled: set[int], span: Span) -> None:
        missing = [name for n, name in enumerate(form.fields) if n not in filled]
        if missing:
            self.world.error(
                "missing_field", f"nothing fills {', '.join(missing)} of {form.name}", span,
                f"capture it: {missing[0]}:RULE",
            )  # fmt: skip

    # ---------------------------------------------------------------- operator tables

    def table(self, table: s.TableSyntax) -> OperatorTable:
        if self.rule_named(table.operand, table.operand_span):
            self.used.add(table.operand)
            if self.sorts[table.operand] != table.sort:
                self.world.error(
                    "type_mismatch", f"the operands are of sort {self.sorts[table.operand]}, "
                    f"the table is of sort {table.sort}", table.operand_span,
                )  # fmt: skip
        levels = tuple(
            tuple(
                operator
                for entry in level.operators
                if (operator := self.operator(table, level.fixity, entry)) is not None
            )
            for level in table.levels
        )
        return OperatorTable(table.name, table.sort, levels, table.operand, table.span)

    def operator(
        self, table: s.TableSyntax, fixity: str, entry: s.OperatorSyntax
    ) -> Operator | None:
        form = self.form(entry.makes, table.sort, entry.makes_span)
        if not entry.literal:
            self.world.error("empty_token", "an operator holds at least one character", entry.span)
            return None
        self.literals[entry.literal] = None
        if form is None:
            return None
        kind = Con(table.sort)
        operands = [n for n, t in enumerate(form.types) if t in (kind, UNKNOWN)]
        wanted = 1 if fixity in ("prefix", "postfix") else 2
        if len(form.fields) != wanted or len(operands) != wanted:
            self.world.error(
                "wrong_number", f"{form.name} does not fit an operator with "
                f"{count(wanted, 'operand')}: its fields are {', '.join(form.fields) or 'none'}",
                entry.makes_span, f"give it {count(wanted, 'field')} of sort {table.sort}",
            )  # fmt: skip
            return None
        if wanted == 2 and {"left", "right"} <= set(form.fields):
            operands = [form.fields.index("left"), form.fields.index("right")]
        known: dict[str, Fixity] = {
            "left": "left", "right": "right", "nonassociative": "nonassociative",
            "prefix": "prefix", "postfix": "postfix",
        }  # fmt: skip
        return Operator(known[fixity], entry.literal, form, tuple(operands), entry.span)
