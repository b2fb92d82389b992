"""Checking the rules of a grammar against the tokens and forms."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from embrix.brix import syntax as s
from embrix.brix.table_check import TableChecks
from embrix.brix.token_check import layout_of
from embrix.brix.world import World
from embrix.grammar.flatten import flatten
from embrix.grammar.model import (
    Compose,
    Fold,
    Grammar,
    OperatorTable,
    OrElse,
    Repeated,
    Rule,
    Several,
    Symbol,
    Template,
    Use,
)
from embrix.grammar.tokens import TokenKind, TokenTable
from embrix.terms.signature import Signature
from embrix.terms.types import UNKNOWN, Con, Type, settle, show_type
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
    tokens = TokenTable(literals, kinds, invalid, layout, syntax.tokens.any_case)
    if tokens.any_case:
        report_same_words(world, grammar, literals)
    declared = syntax.tokens.written
    for terminal, example, winner in tokens.never_winning():
        index = terminal - len(tokens.literals)
        decl = declared[index] if index >= 0 else None
        span = decl.span if decl is not None else grammar.span
        mine = "what is skipped" if decl and decl.name == "skip" else tokens.describe(terminal)
        other = tokens.kind_of(winner)
        theirs = f"read as {tokens.describe(winner)}"
        if other is not None and other.skip:
            theirs = "skipped"
        world.warning(
            "hidden_token",
            f"{mine} is never read: {example!r}, for example, is always {theirs}", span,
            "declare it before the token that hides it, or make the patterns differ",
        )  # fmt: skip
    checked = flatten(tokens, signature, world.numbers, tuple(check.starts), rules)
    if world.mark() == begun and not grammar.damaged:
        report_unbuilt(world, syntax, grammar, checked)
    return checked


def report_same_words(world: World, grammar: s.GrammarSyntax, literals: Sequence[str]) -> None:
    """Words of a grammar that are read in any case, and differ in nothing else."""
    first: dict[str, str] = {}
    for text in literals:
        other = first.setdefault(text.lower(), text)
        if other != text:
            world.error(
                "declared_twice", f"`{other}` and `{text}` are one word where upper and lower "
                "case do not count", grammar.span, "write it alike everywhere",
            )  # fmt: skip


def report_unbuilt(
    world: World, syntax: s.LanguageSyntax, grammar: s.GrammarSyntax, checked: Grammar
) -> None:
    """Warn about forms that no rule makes."""
    made: set[str] = set()
    pending: list[Template] = [
        p.build for p in checked.productions if isinstance(p.build, Compose | Fold)
    ]
    while pending:
        template = pending.pop()
        if isinstance(template, Compose):
            made.add(template.form.name)
            pending += template.parts
        elif isinstance(template, Fold):
            pending.append(template.make)
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


class _Grammar(TableChecks):
    """Checks a whole grammar."""

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
                self.is_program(name, span)
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
            if self.world.is_lost(rule.name) or not self.world.sorts:
                return UNKNOWN  # that there are no forms is reported once, of the language
            self.world.error(
                "unknown_type", f"{rule.name} is no sort of this language", syntax.span,
                did_you_mean(
                    rule.name, self.world.sorts,
                    f"write {rule.name} : SORT, with one of {', '.join(sorted(self.world.sorts))}",
                ),
            )  # fmt: skip
            return UNKNOWN
        return self.world.type(syntax)

    def is_program(self, name: str, span: Span) -> None:
        """Whether what a rule gives can be a program: a tree, whose root is a form."""
        kind = settle(self.types[name])
        if not isinstance(kind, Con) or kind.name in self.world.sorts:
            return
        shown = show_type(kind)
        forms = [one for one in self.world.constructors.values() if one.is_form]
        held = next((one for one in forms if [settle(k) for k in one.types] == [kind]), None)
        if held is not None:
            row = f"Program : {held.owner} ::= {held.fields[0]}:{name} makes {held.name}"
            hint = f"begin with a rule that makes one, as in `{row}`"
        else:
            inner = [one.name for one in map(settle, kind.args) if isinstance(one, Con)]
            sort = next(one for one in (*inner, *self.world.sorts) if one in self.world.sorts)
            row = f"Program : {sort} ::= parts:{name} makes FORM"
            hint = f"declare `FORM(parts: {shown})`, and begin with a rule like `{row}`"
        message = f"a program is a form, but {name} gives {shown}"
        self.world.error("type_mismatch", message, span, hint)

    def unreached(self) -> None:
        """Rules that no program can get to."""
        uses: dict[str, set[str]] = {}
        for rule in self.grammar.rules:
            names: set[str] = set()
            if isinstance(rule, s.RuleSyntax):
                parts = (item for row in rule.written for item in row.items)
            else:
                rows = (op.row for level in rule.written for op in level.operators)
                parts = (item for row in rows for item in row)
                names.add(rule.operand[0] if rule.operand else "")
            names.update(one.name for item in parts for one in item.all_inside())
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
                    "unused_rule", f"unreachable: no program can contain {rule.name}", rule.span,
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
                "add an alternative that does not use the rule itself",
            )  # fmt: skip
            made.append(Rule(rule.name, rule.sort, (self.hole(mark, rule.span),), rule.span))
        return made

    # ---------------------------------------------------------------- operator tables


def quoted_in(grammar: s.GrammarSyntax) -> tuple[str, ...]:
    """The literals that a grammar is written with, whatever else is wrong in it."""
    found: dict[str, None] = {}
    for rule in grammar.rules:
        if isinstance(rule, s.RuleSyntax):
            rows = [alternative.items for alternative in rule.written]
        else:
            rows = [operator.row for level in rule.written for operator in level.operators]
        for one in (one for row in rows for item in row for one in item.all_inside()):
            found.update(dict.fromkeys([one.text] if one.text else []))
    return tuple(found)
