"""Taking over: a language that extends another one, joined with the text of its base.

The result is checked as if it had been written in one file; every part keeps its own place. Where
`...` stands, the base's alternatives, levels or tokens come in; what is not widened is changed only
by `replace`.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

from msgspec.structs import replace

from embrix.brix import syntax as s
from embrix.brix.widen import widened_functions
from embrix.text.diagnostic import Findings
from embrix.text.source import Span
from embrix.text.suggest import did_you_mean

T = TypeVar("T")


def extended_language(
    base: s.LanguageSyntax, own: s.LanguageSyntax, findings: Findings
) -> s.LanguageSyntax:
    """A language with everything of its base; `base` has been joined with its own base before."""
    work = _Joining(own, findings)
    return replace(
        own,
        numbers=own.numbers or base.numbers,
        tokens=work.tokens(base.tokens, own.tokens),
        types=work.types(base.types, own.types),
        grammars=work.grammars(base.grammars, own.grammars),
        errors=base.errors + own.errors,
        functions=(*work.functions(base), *own.functions),
        widenings=(),
        choices=base.choices + own.choices,
        prelude=base.prelude + own.prelude,
        lost=base.lost + own.lost,
    )


def standing_alone(own: s.LanguageSyntax, findings: Findings) -> s.LanguageSyntax:
    """A language without a base: `...` and `replace` refer to nothing there, and are left out."""
    nothing = replace(
        own,
        tokens=s.TokensSyntax(),
        types=(),
        grammars=(),
        errors=(),
        functions=(),
        numbers=(),
        choices=(),
        prelude=(),
        lost=(),
    )
    return extended_language(nothing, own, findings)


class _Joining:
    def __init__(self, own: s.LanguageSyntax, findings: Findings) -> None:
        self.own = own
        self.findings = findings

    def error(self, code: str, message: str, span: Span, hint: str = "") -> None:
        self.findings.error(code, message, self.own.source, span, hint)

    def nothing_there(self, what: str, span: Span, known: Sequence[str], name: str) -> None:
        base = self.own.base
        message = (
            f"{base[0]} has no {what}"
            if base
            else f"this extends nothing, so there is no {what} to take up"
        )
        hint = did_you_mean(name, known) if base else "a header says: language B extends A"
        self.error("nothing_taken_over", message, span, hint)

    # ---------------------------------------------------------------- tokens and forms

    def tokens(self, base: s.TokensSyntax, own: s.TokensSyntax) -> s.TokensSyntax:
        """The base's tokens come where `...` stands, or else first."""
        taken = {decl.name: decl for decl in base.written}
        replaced = {decl.name: decl for decl in own.written if decl.replaces}
        for name, decl in replaced.items():
            if name not in taken:
                self.nothing_there(f"token {name}", decl.span, list(taken), name)
        theirs = tuple(replaced.get(decl.name, decl) for decl in base.written)
        new = [
            row
            for row in own.rows
            if isinstance(row, s.More) or not (row.replaces and row.name in taken)
        ]
        joined: list[s.TokenDecl | s.More] = []
        marks = [row for row in new if isinstance(row, s.More)]
        if not marks:
            joined += theirs
        row: s.TokenDecl | s.More
        for row in new:
            if not isinstance(row, s.More):
                joined.append(row)
            elif row is marks[0] and (theirs or self.own.base):
                joined += theirs
            elif row is marks[0]:
                self.nothing_there("tokens", row.span, (), "")
            else:
                self.error("declared_twice", "`...` stands here a second time", row.span)
        return s.TokensSyntax(
            tuple(joined), own.lines or base.lines, own.invalid or base.invalid,
            own.any_case or base.any_case,
        )  # fmt: skip

    def types(
        self, base: tuple[s.TypeDecl, ...], own: tuple[s.TypeDecl, ...]
    ) -> tuple[s.TypeDecl, ...]:
        """Forms of a sort of the base are added to it."""
        joined = {decl.name: decl for decl in base}
        for decl in own:
            known = joined.get(decl.name)
            if known is None:
                joined[decl.name] = decl
            else:
                both = known.constructors + decl.constructors
                joined[decl.name] = replace(known, constructors=both)
        return tuple(joined.values())

    def functions(self, base: s.LanguageSyntax) -> list[s.Define]:
        """The base's functions, widened; what takes every form stands for those of the base."""
        own = self.own
        if own.base is None:
            for widening in own.widenings:
                self.nothing_there(f"function {widening.name}", widening.span, (), widening.name)
            return []
        more = {decl.name for decl in own.types if decl.constructors}
        forms = {
            decl.name: [form.name for form in decl.constructors]
            for decl in base.types
            if decl.name in more
        }
        return widened_functions(base.functions, own, forms, self.findings)

    # ---------------------------------------------------------------- grammars

    def grammars(
        self, base: tuple[s.GrammarSyntax, ...], own: tuple[s.GrammarSyntax, ...]
    ) -> tuple[s.GrammarSyntax, ...]:
        joined = {grammar.name: grammar for grammar in base}
        for grammar in own:
            known = joined.get(grammar.name) or s.GrammarSyntax(grammar.name, (), (), grammar.span)
            joined[grammar.name] = s.GrammarSyntax(
                grammar.name, grammar.starts or known.starts,
                self.rules(known.rules, grammar.rules), grammar.span,
                known.damaged or grammar.damaged,
            )  # fmt: skip
        return tuple(joined.values())

    def rules(
        self,
        base: tuple[s.RuleSyntax | s.TableSyntax, ...],
        own: tuple[s.RuleSyntax | s.TableSyntax, ...],
    ) -> tuple[s.RuleSyntax | s.TableSyntax, ...]:
        joined = {rule.name: rule for rule in base}
        extra: list[s.RuleSyntax | s.TableSyntax] = []
        for rule in own:
            known = joined.get(rule.name)
            if known is None and rule.replaces:
                self.nothing_there(f"rule {rule.name}", rule.span, list(joined), rule.name)
            if known is not None and known in own:
                extra.append(rule)  # declared twice in one text, which the check reports
            elif isinstance(rule, s.RuleSyntax):
                joined[rule.name] = self.rule(known, rule)
            else:
                joined[rule.name] = self.table(known, rule)
        return (*joined.values(), *extra)

    def rule(self, known: s.RuleSyntax | s.TableSyntax | None, own: s.RuleSyntax) -> s.RuleSyntax:
        base = known if isinstance(known, s.RuleSyntax) else None
        theirs = tuple(base.alternatives) if base else ()
        rows = self.widened(theirs, own.alternatives, own, known)
        return replace(own, alternatives=rows, sort=self.sort(known, own), replaces=False)

    def table(
        self, known: s.RuleSyntax | s.TableSyntax | None, own: s.TableSyntax
    ) -> s.TableSyntax:
        base = known if isinstance(known, s.TableSyntax) else None
        levels = self.widened(base.levels if base else (), own.levels, own, known)
        operand = own.operand or (base.operand if base else None)
        return replace(
            own, levels=levels, operand=operand, sort=self.sort(known, own), replaces=False
        )

    def sort(
        self,
        known: s.RuleSyntax | s.TableSyntax | None,
        own: s.RuleSyntax | s.TableSyntax,
    ) -> s.TypeSyntax:
        """A rule of the base keeps its type unless another one is written."""
        unsaid = isinstance(own.sort, s.TypeName) and own.sort.name == own.name
        return known.sort if known is not None and unsaid else own.sort

    def widened(
        self,
        theirs: tuple[T | s.More, ...],
        mine: tuple[T | s.More, ...],
        own: s.RuleSyntax | s.TableSyntax,
        known: s.RuleSyntax | s.TableSyntax | None,
    ) -> tuple[T | s.More, ...]:
        """The rows of a rule or table with those of the base in place of `...`."""
        marks = [row for row in mine if isinstance(row, s.More)]
        if known is not None and not marks and not own.replaces:
            self.error(
                "not_replaced", f"{own.name} is a rule of the base already", own.span,
                f"write `...` where its rows come in, or: replace {own.name}",
            )  # fmt: skip
        for mark in marks[1:]:
            self.error("declared_twice", "`...` stands here a second time", mark.span)
        if marks and (known is None or type(known) is not type(own)):
            what = "table" if isinstance(own, s.TableSyntax) else "rule"
            self.nothing_there(f"{what} {own.name}", marks[0].span, (), own.name)
        rows: list[T | s.More] = []
        for row in mine:
            if row is (marks[0] if marks else None):
                rows += theirs
            elif not isinstance(row, s.More):
                rows.append(row)
        return tuple(rows)
