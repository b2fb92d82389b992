"""The forms of a language as somebody sees them who writes what is done for each."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from embrix.brix.core import Language
from embrix.terms.node import Constructor
from embrix.terms.types import BOOL, NAME, NUMBER, TEXT, Con, settle

LITERALS = {NUMBER: ("Num", "n: Number"), TEXT: ("Words", "t: Text"), BOOL: ("Truth", "b: Bool")}
"""The constructor of a value for each type of a literal."""
MAIN = "eval"
"""The function that evaluates programs; those of other sorts have the sort in their names."""


class EvaluatedForm(Struct, frozen=True):
    """A form, seen from the function that evaluates it."""

    name: str
    fields: tuple[str, ...]
    functions: dict[str, str]
    """By field the function that evaluates it, for those that are evaluated."""
    literal: str
    """The constructor of its value where it is a number, a text or a truth value."""
    uses: str
    """The name that it stands for, where it is nothing but that."""
    binder: str
    """The one name that it binds in `scope`, and nowhere else."""
    scope: str
    scopes: frozenset[str]
    """The fields in which it binds anything."""

    @property
    def parts(self) -> tuple[str, ...]:
        """The fields that are evaluated."""
        return tuple(self.functions)

    @property
    def pattern(self) -> str:
        return f"{self.name}({', '.join(self.fields)})" if self.fields else self.name

    @property
    def outer(self) -> tuple[str, ...]:
        """The parts that stand outside of what it binds."""
        return tuple(part for part in self.parts if part not in self.scopes)

    @property
    def sure(self) -> tuple[str, ...]:
        """The parts that surely run, in the order of the page. Of more than two, of those of
        several sorts, and beside what a name is bound in the first may well decide which of the
        others does."""
        functions = {self.functions[part] for part in self.outer}
        every = len(self.outer) < 3 and self.outer == self.parts and len(functions) == 1
        return self.outer if every else self.outer[:1]

    @property
    def unsure(self) -> tuple[str, ...]:
        """The other parts that stand outside of what it binds."""
        return self.outer[len(self.sure) :]

    @property
    def like_let(self) -> bool:
        """Whether it names what a part gives, which follows the name, for another part."""
        return (
            bool(self.binder) and self.scope in self.parts and len(self.outer) == 1
            and self.fields.index(self.binder) < self.fields.index(self.outer[0])
        )  # fmt: skip

    def called(self, function: str) -> str:
        """The form with a function applied to all parts."""
        inside = [function.format(f) if f in self.parts else f for f in self.fields]
        return f"{self.name}({', '.join(inside)})" if inside else self.name


class EvaluatedSort(Struct, frozen=True):
    """A sort whose terms a function evaluates."""

    name: str
    function: str
    forms: tuple[EvaluatedForm, ...]


def evaluated_sorts(language: Language, *, one: bool = False) -> list[EvaluatedSort]:
    """The sort of programs, and those of the parts that their forms have, if not only the `one`.
    Then a form with parts of another sort has none: what is done with it is a decision."""
    signature = language.signature
    sorts = [_program_sort(language)]
    for sort in sorts:  # which grow while they are gone through
        for form in signature.of_sort(sort) if not one else ():
            for kind in map(settle, form.types):
                if isinstance(kind, Con) and kind.name in signature.sorts:
                    sorts += [kind.name] if kind.name not in sorts else []
    functions = {Con(sort): f"{MAIN}_{sort.lower()}" for sort in sorts}
    functions[Con(sorts[0])] = MAIN
    others = {Con(sort) for sort in signature.sorts if sort not in sorts}
    return [
        EvaluatedSort(
            sort, functions[Con(sort)],
            tuple(_form(form, functions, others) for form in signature.of_sort(sort)),
        )
        for sort in sorts
    ]  # fmt: skip


def _form(form: Constructor, functions: dict[Con, str], others: set[Con]) -> EvaluatedForm:
    kinds = [settle(kind) for kind in form.types]
    parts = {
        field: functions[kind] for field, kind in zip(form.fields, kinds, strict=True)
        if isinstance(kind, Con) and kind in functions and not others.intersection(kinds)
    }  # fmt: skip
    only = kinds[0] if len(kinds) == 1 else None
    literal = LITERALS.get(only, ("", ""))[0] if isinstance(only, Con) else ""
    uses = form.fields[form.uses[0]] if len(form.uses) == 1 and len(kinds) == 1 else ""
    binder = scope = ""
    if len(form.binds) == 1 and not form.binds[0].rest:
        names, scopes = form.binds[0].names, form.binds[0].scopes
        plain = len(names) == len(scopes) == 1 and not (names[0].inner or scopes[0].inner)
        if plain and kinds[names[0].field] == NAME:
            binder, scope = form.fields[names[0].field], form.fields[scopes[0].field]
    literal = "" if form.uses else literal
    spots = [spot for bind in form.binds for spot in (*bind.names, *bind.scopes)]
    inside = any(spot.inner for spot in spots) or any(bind.rest for bind in form.binds)
    bound = {form.fields[spot.field] for bind in form.binds for spot in bind.scopes}
    if inside:
        bound = set(form.fields)
    return EvaluatedForm(
        form.name, form.fields, parts, literal, uses, binder, scope, frozenset(bound)
    )


def _program_sort(language: Language) -> str:
    """The sort that programs have: that of the start of the grammar, else the first."""
    sorts: Sequence[str] = language.signature.sorts
    grammar = language.grammar
    for start in grammar.starts if grammar is not None else ():
        for rule in language.syntax.grammars[0].rules:
            if rule.name == start and getattr(rule.sort, "name", "") in sorts:
                return str(getattr(rule.sort, "name", ""))
    return sorts[0]
