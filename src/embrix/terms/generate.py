"""Making up well-scoped programs from forms and their binding.

The choices come from outside (`Choose`), so that a seeded random generator and a property-testing
library that shrinks its examples drive the same code. Names are few and reused on purpose:
shadowing is what such programs are wanted for.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from typing import TypeAlias

from embrix.terms.node import NIL_NODE, NONE_NODE, SOME, Constructor, Value, make_list
from embrix.terms.scopes import following, names_at
from embrix.terms.signature import Signature
from embrix.terms.types import BOOL, NAME, NUMBER, TEXT, Con, Type, settle

Choose: TypeAlias = Callable[[int], int]
"""Given n, a number from 0 to n - 1; smaller is simpler."""

NAMES = ("x", "y", "rate")
NUMBERS: tuple[int | Fraction, ...] = (0, 1, 2, 3, 7, 10, Fraction(1, 2))


class Generator:
    """Closed terms of a sort, of bounded depth."""

    def __init__(
        self,
        signature: Signature,
        choose: Choose,
        names: Sequence[str] = NAMES,
        numbers: Sequence[int | Fraction] = NUMBERS,
    ) -> None:
        self._signature = signature
        self._choose = choose
        self._names = names
        self._numbers = numbers
        self._height = _heights(signature)
        self._at: tuple[str, int] | None = None
        """The form and the number of the field that is being made."""

    def term(self, sort: str, depth: int, scope: tuple[str, ...] = ()) -> Value:
        """A term of a sort at most about `depth` levels high whose free names are in `scope`."""
        forms = [
            form
            for form in self._signature.of_sort(sort)
            if self._height[form.name] <= max(depth, self._least(sort, scope))
            and (scope or not form.uses)
        ]
        forms.sort(key=lambda form: self._height[form.name])
        return self._build(self.pick(forms, self._at), depth, scope)

    def pick(self, forms: Sequence[Constructor], at: tuple[str, int] | None) -> Constructor:
        """One of these forms, the simplest first, for a field of a form (None at the top)."""
        return forms[self._choose(len(forms))]

    def _least(self, sort: str, scope: tuple[str, ...]) -> int:
        return min(
            self._height[form.name]
            for form in self._signature.of_sort(sort)
            if scope or not form.uses
        )

    def _build(self, form: Constructor, depth: int, scope: tuple[str, ...]) -> Value:
        parts: list[Value] = [None] * len(form.types)
        binders = {spot.field for bind in form.binds for spot in bind.names if not spot.inner}
        scopes = {spot.field for bind in form.binds for spot in bind.scopes if not spot.inner}
        later = scopes - {spot.field for bind in form.binds for spot in bind.names}
        bound: dict[int, tuple[str, ...]] = {}
        for bind in form.binds:
            for spot in bind.names:
                if not spot.inner and parts[spot.field] is None:
                    parts[spot.field] = self._binder(form.types[spot.field])
        for index, kind in enumerate(form.types):
            if index in form.uses:
                parts[index] = scope[self._choose(len(scope))]
            elif index not in binders | later:
                self._at = (form.name, index)
                parts[index] = self._field(kind, depth - 1, scope)
        # What binds through the elements of a list is known when the list is there.
        node = (form.tag, None, *parts)
        for bind in form.binds:
            names = tuple(
                name for spot in bind.names for name in names_at(self._signature, node, spot)
            )
            for spot in bind.scopes:
                if not spot.inner:
                    bound[spot.field] = (*bound.get(spot.field, ()), *names)
        for index, names in sorted(bound.items()):
            inner = (*(known for known in scope if known not in names), *dict.fromkeys(names))
            self._at = (form.name, index)
            parts[index] = self._field(form.types[index], depth - 1, inner)
        return (form.tag, None, *parts)

    def _binder(self, kind: Type) -> Value:
        """A name, or a list of one or two."""
        if settle(kind) == NAME:
            return self._names[self._choose(len(self._names))]
        count = 1 + self._choose(2)
        return make_list([self._names[self._choose(len(self._names))] for _ in range(count)])

    def _field(self, kind: Type, depth: int, scope: tuple[str, ...]) -> Value:
        kind = settle(kind)
        if kind == NUMBER:
            return self._numbers[self._choose(len(self._numbers))]
        if kind == NAME:
            return self._names[self._choose(len(self._names))]
        if kind == BOOL:
            return bool(self._choose(2))
        if kind == TEXT:
            return ("", "a", "lock")[self._choose(3)]
        assert isinstance(kind, Con)
        if kind.name == "List":
            count = self._choose(3) if depth > 0 else 0
            items: list[Value] = []
            at = self._at
            for _ in range(count):
                self._at = at
                items.append(self._field(kind.args[0], depth, scope))
                after = following(self._signature, items[-1])
                scope = (*(known for known in scope if known not in after), *after)
            return make_list(items) if items else NIL_NODE
        if kind.name == "Maybe":
            if depth > 0 and self._choose(2):
                return (SOME, None, self._field(kind.args[0], depth, scope))
            return NONE_NODE
        return self.term(kind.name, depth, scope)


def _heights(signature: Signature) -> dict[str, int]:
    """The least height of a term built by each form; forms that have no finite term are high."""
    far = 10**6
    least = dict.fromkeys((form.name for form in signature.forms), far)
    changed = True
    while changed:
        changed = False
        sorts = {
            sort: min(least[form.name] for form in signature.of_sort(sort))
            for sort in signature.sorts
        }
        for form in signature.forms:
            needed = [sorts.get(kind.name, 0) for kind in form.types if isinstance(kind, Con)]
            height = 1 + max(needed, default=0)
            if height < least[form.name]:
                least[form.name] = height
                changed = True
    return least
