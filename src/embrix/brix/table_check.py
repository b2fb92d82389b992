"""Checking operator tables."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

from embrix.brix import syntax as s
from embrix.brix.rule_check import RuleChecks, references
from embrix.brix.world import count, unify
from embrix.grammar.model import (
    Fixity,
    Item,
    Operand,
    Operator,
    OperatorTable,
    Rule,
    Symbol,
)
from embrix.terms.types import Type, show_type


class TableChecks(RuleChecks):
    """Checks operator tables."""

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
            if item.is_operand:
                symbols.append((item, (Operand(), wanted)))
                continue
            found = self.symbol(item)
            if found is None:
                return None
            symbols.append((item, found))
        mark = self.world.mark()
        made = self.made(symbols, entry.makes, wanted)
        if made is None:
            return self.without_form(fixity, [symbol for _, (symbol, _) in symbols], entry, mark)
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

    def without_form(
        self, fixity: Fixity, symbols: Sequence[Symbol], entry: s.OperatorSyntax, mark: int
    ) -> Operator | None:
        """An operator that lacks the form that it makes, with what has been wrong since a mark;
        None where more is wrong with it."""
        row = [Item(symbol) for symbol in symbols]
        begins, ends = fixity != "prefix", fixity != "postfix"
        if not any(isinstance(symbol, Operand) for symbol in symbols):
            row = [Item(Operand())] * begins + row + [Item(Operand())] * ends
        first, last = (isinstance(row[n].symbol, Operand) for n in (0, -1))
        if (first, last) != (begins, ends) or any(map(self.is_unread, symbols)):
            return None
        return Operator(fixity, tuple(row), None, entry.span, self.missing(mark, True))

    def with_operands(
        self, wanted: Type, fixity: Fixity, entry: s.OperatorSyntax
    ) -> tuple[s.ItemSyntax, ...] | None:
        """The row of an operator; operands that were left out are added at its ends."""
        if any(item.is_operand for item in entry.row):
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
