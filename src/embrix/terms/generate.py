"""Making up well-scoped programs from forms and their binding.

The choices come from outside (`Choose`), so that a seeded random generator and a property-testing
library that shrinks its examples drive the same code. Names are few and reused on purpose:
shadowing is what such programs are wanted for.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from functools import lru_cache
from typing import TypeAlias

from embrix.terms.node import NIL_NODE, NONE_NODE, SOME, Constructor, Value, make_list
from embrix.terms.scopes import following, names_at
from embrix.terms.signature import Signature
from embrix.terms.types import BOOL, NAME, NUMBER, TEXT, Con, Type, settle

Choose: TypeAlias = Callable[[int], int]
"""Given n, a number from 0 to n - 1; smaller is simpler."""

MOST_ITEMS = 3
LARGE = 40
"""Forms after which a term is brought to an end."""

NAMES = ("x", "y", "rate")
NUMBERS: tuple[int | Fraction, ...] = (0, 1, 2, 3, 7, 10, Fraction(1, 2))


class Generator:
    """Closed terms of a sort, of bounded depth."""

    def __init__(
        self,
        signature: Signature,
        choose: Choose,
        names: Sequence[str] = NAMES,
        numbers: Sequence[int | Fraction | float] = NUMBERS,
    ) -> None:
        self._signature = signature
        self.choose = choose
        self._names = names
        self._numbers = numbers
        self.shapes = shapes_of(signature)
        self._at: tuple[str, int] | None = None
        """The form and the number of the field that is being made."""
        self._built = 0
        """Forms of the present term so far."""

    def term(self, sort: str, depth: int, scope: tuple[str, ...] = ()) -> Value:
        """A term of a sort at most about `depth` levels high whose free names are in `scope`."""
        self._built = 0
        return self._term(sort, depth, scope)

    def _term(self, sort: str, depth: int, scope: tuple[str, ...]) -> Value:
        self._built += 1
        depth = depth if self._built < LARGE else min(depth, 0)
        return self._build(self.pick(sort, depth, self._at, scoped=bool(scope)), depth, scope)

    def pick(
        self, sort: str, depth: int, at: tuple[str, int] | None, *, scoped: bool
    ) -> Constructor:
        """A form for a field of a form (None at the top), the simplest first; one that uses a name
        only where there is one in scope."""
        forms = self.shapes.fitting(sort, depth, scoped=scoped)
        return forms[self.choose(len(forms))]

    def count(self, depth: int, at: tuple[str, int] | None) -> int:
        """How many items a list in a field has."""
        return self.choose(MOST_ITEMS + 1) if depth > 0 else 0

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
                parts[index] = scope[self.choose(len(scope))]
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
            return self._names[self.choose(len(self._names))]
        count = 1 + self.choose(2)
        return make_list([self._names[self.choose(len(self._names))] for _ in range(count)])

    def _field(self, kind: Type, depth: int, scope: tuple[str, ...]) -> Value:
        kind = settle(kind)
        if kind == NUMBER:
            return self._numbers[self.choose(len(self._numbers))]
        if kind == NAME:
            return self._names[self.choose(len(self._names))]
        if kind == BOOL:
            return bool(self.choose(2))
        if kind == TEXT:
            return ("", "a", "lock")[self.choose(3)]
        assert isinstance(kind, Con)
        if kind.name == "List":
            items: list[Value] = []
            at = self._at
            for _ in range(self.count(depth, at)):
                self._at = at
                items.append(self._field(kind.args[0], depth, scope))
                after = following(self._signature, items[-1])
                scope = (*(known for known in scope if known not in after), *after)
            return make_list(items) if items else NIL_NODE
        if kind.name == "Maybe":
            if depth > 0 and self.choose(2):
                return (SOME, None, self._field(kind.args[0], depth, scope))
            return NONE_NODE
        return self._term(kind.name, depth, scope)


class Shapes:
    """How high the terms of each form are at least."""

    def __init__(self, signature: Signature) -> None:
        self._signature = signature
        self._height = _heights(signature)
        self._known: dict[tuple[str, int, bool], tuple[Constructor, ...]] = {}

    def fitting(self, sort: str, depth: int, *, scoped: bool) -> tuple[Constructor, ...]:
        """The forms for a term of a sort at most about so high, the simplest first; those that use
        a name only where there is one in scope."""
        key = (sort, depth, scoped)
        if key not in self._known:
            forms = [f for f in self._signature.of_sort(sort) if scoped or not f.uses]
            forms.sort(key=lambda form: self._height[form.name])
            self._known[key] = self.low(forms, depth)
        return self._known[key]

    def low(self, forms: Sequence[Constructor], depth: int) -> tuple[Constructor, ...]:
        """Those of some forms whose terms can be about so low; the lowest ones if none can."""
        heights = [self._height[form.name] for form in forms]
        most = max(depth, min(heights))
        return tuple(f for f, height in zip(forms, heights, strict=True) if height <= most)


@lru_cache(maxsize=16)
def shapes_of(signature: Signature) -> Shapes:
    return Shapes(signature)


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
