"""Making up well-scoped terms and values from forms, constructors and binding.

The choices come from outside (`Choose`), so that a seeded random generator and a property-testing
library that shrinks its examples drive the same code. Names are few and reused on purpose:
shadowing is what such programs are wanted for.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction
from functools import lru_cache
from typing import TypeAlias

import immutables
from msgspec import Struct, field

from embrix.terms.keys import key_of
from embrix.terms.made_functions import MadeFunction
from embrix.terms.node import (
    EMPTY_NODE,
    FRAME,
    LOCATION,
    MAP,
    NONE_NODE,
    SOME,
    STORE,
    Constructor,
    Value,
    make_list,
    tuple_of,
)
from embrix.terms.scopes import following, names_at
from embrix.terms.signature import Signature
from embrix.terms.types import (
    BOOL,
    INT,
    LOC,
    NAME,
    NUMBER,
    TEXT,
    Con,
    Fn,
    Hole,
    Tup,
    Type,
    replaced_names,
    settle,
    show_type,
)

Choose: TypeAlias = Callable[[int], int]
"""Given n, a number from 0 to n - 1; smaller is simpler."""

MOST_ITEMS = 3
LARGE = 40
"""Forms after which a term is brought to an end."""
FRUITLESS, FAR_TOO_LARGE = -20, 200
"""A height, counted down from the wanted one, and a number of forms at which what a grammar lets
stand in a field has led to no end."""

NAMES = ("x", "y", "rate")
NUMBERS: tuple[int | Fraction, ...] = (0, 1, 2, 3, 7, 10, Fraction(1, 2))
TEXTS = ("", "a", "lock")
LOCATIONS = 3


def numbers_for(kind: str) -> Sequence[int | Fraction | float]:
    """Examples of numbers of a kind."""
    if kind == "float":
        return [float(one) for one in NUMBERS]
    return [one for one in NUMBERS if kind != "integer" or isinstance(one, int)]


NEVER = 10**6
"""The height of a form or type that has no finite term."""

Spot: TypeAlias = tuple[str, int]
"""A field of a form, by the name of the form and the number of the field."""


class NoTerm(Exception):
    """There is no finite value of a type; the message names it."""


class Words(Struct, frozen=True, eq=False):
    """The leaves that terms are made of. `leaves` and `parts` tell for a field what can stand in it
    where that is not everything of its type: numbers, names or texts, and forms (under ("", 0)
    those of a whole program)."""

    names: Sequence[str] = NAMES
    numbers: Sequence[int | Fraction | float] = NUMBERS
    leaves: Mapping[Spot, Sequence[Value]] = field(default_factory=dict)
    parts: Mapping[Spot, frozenset[str]] = field(default_factory=dict)
    texts: Sequence[str] = TEXTS


TOP: Spot = ("", 0)


class Generator:
    """Values of a type, terms closed, of bounded depth."""

    def __init__(self, signature: Signature, choose: Choose, words: Words | None = None) -> None:
        self._signature = signature
        self.choose = choose
        self.words = words or Words()
        self.shapes = shapes_of(signature)
        self._at: Spot | None = None
        """The form and the number of the field that is being made."""
        self._built = 0
        """Forms of the present term so far."""

    def term(self, sort: str, depth: int, scope: tuple[str, ...] = ()) -> Value:
        """A term of a sort at most about `depth` levels high whose free names are in `scope`.
        Raises `NoTerm`."""
        return self.value(Con(sort), depth, scope)

    def value(self, kind: Type, depth: int, scope: tuple[str, ...] = ()) -> Value:
        """A value of a type, as `term`. Raises `NoTerm`."""
        self._built = 0
        self._at = None
        return self._field(kind, depth, scope)

    def _term(self, kind: Con, depth: int, scope: tuple[str, ...]) -> Value:
        self._built += 1
        depth = depth if self._built < LARGE else min(depth, 0)
        form = self.pick(kind.name, depth, self._at, scoped=bool(scope))
        known = dict(zip(form.params, kind.args, strict=False))
        return self._build(form, depth, scope, known)

    def pick(self, sort: str, depth: int, at: Spot | None, *, scoped: bool) -> Constructor:
        """A form for a field of a form (None at the top), the simplest first; one that uses a name
        only where there is one in scope. Raises `NoTerm`.

        A grammar with errors may let a field have forms alone that need one another for ever; after
        many forms, and far below the wanted height, each form may stand everywhere."""
        forms = self.shapes.fitting(sort, depth, scoped=scoped)
        allowed = self.words.parts.get(at or TOP)
        if allowed is not None and not self.gone_astray(depth):
            found = [form for form in forms if form.name in allowed]
            every = self.shapes.fitting(sort, NEVER, scoped=scoped)
            forms = tuple(found or [form for form in every if form.name in allowed]) or forms
        return forms[self.choose(len(forms))]

    def gone_astray(self, depth: int) -> bool:
        """Whether the present term has many forms, or is far below the height that is wanted."""
        return depth <= FRUITLESS or self._built >= FAR_TOO_LARGE

    def count(self, depth: int, at: Spot | None) -> int:
        """How many items a list in a field has."""
        return self.choose(MOST_ITEMS + 1) if depth > 0 else 0

    def _build(
        self, form: Constructor, depth: int, scope: tuple[str, ...], known: Mapping[str, Type]
    ) -> Value:
        kinds = [replaced_names(kind, known) for kind in form.types] if known else form.types
        parts: list[Value] = [None] * len(kinds)
        held_back = self.shapes.held_back[form.name]
        bound: dict[int, tuple[str, ...]] = {}
        for bind in form.binds:
            for spot in bind.names:
                if not spot.inner and parts[spot.field] is None:
                    parts[spot.field] = self._binder(kinds[spot.field], (form.name, spot.field))
        for index, kind in enumerate(kinds):
            if index in form.uses:
                parts[index] = scope[self.choose(len(scope))]
            elif index not in held_back:
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
            parts[index] = self._field(kinds[index], depth - 1, inner)
        return (form.tag, None, *parts)

    def _name(self, at: Spot | None = None) -> str:
        names = self.words.leaves.get(at or TOP, self.words.names)
        return str(names[self.choose(len(names))])

    def _binder(self, kind: Type, at: Spot) -> Value:
        """A name, or a list of one or two."""
        if settle(kind) == NAME:
            return self._name(at)
        return make_list([self._name(at) for _ in range(1 + self.choose(2))])

    def _field(self, kind: Type, depth: int, scope: tuple[str, ...]) -> Value:
        kind = settle(kind)
        if kind == NAME:
            return self._name(self._at)
        if isinstance(kind, Hole):
            kind = NUMBER  # any type will do
        if kind in (NUMBER, TEXT):
            every = self.words.numbers if kind == NUMBER else self.words.texts
            leaves: Sequence[Value] = self.words.leaves.get(self._at or TOP, every)
            return leaves[self.choose(len(leaves))]
        if kind == BOOL:
            return bool(self.choose(2))
        if kind == INT:
            return self.choose(MOST_ITEMS + 1)
        if kind == LOC:
            return (LOCATION, None, self.choose(LOCATIONS))
        if isinstance(kind, Tup):
            return tuple_of(*(self._field(item, depth, scope) for item in kind.items))
        if isinstance(kind, Fn):
            return self._function(kind, depth, scope)
        if not isinstance(kind, Con):
            raise NoTerm("anything")
        if kind.name == "Maybe":
            if depth > 0 and self.choose(2):
                return (SOME, None, self._field(kind.args[0], depth, scope))
            return NONE_NODE
        if kind.name in ("List", "Set", "Map", "Env", "Store"):
            return self._collection(kind, depth, scope)
        return self._term(kind, depth, scope)

    def _function(self, kind: Fn, depth: int, scope: tuple[str, ...]) -> Value:
        """A function that gives a value, or one of its arguments; for one plain value perhaps
        another one."""
        fitting = [
            n for n, param in enumerate(kind.params) if show_type(param) == show_type(kind.result)
        ]
        way = self.choose(len(fitting) + 1)
        given = fitting[way - 1] if way else None
        value = None if way else self._field(kind.result, depth - 1, scope)
        unless: tuple[Value, Value] | None = None
        first = settle(kind.params[0]) if kind.params else None
        if first in (NUMBER, INT, TEXT, NAME, BOOL) and first is not None and self.choose(2):
            unless = (
                self._field(first, depth - 1, scope), self._field(kind.result, depth - 1, scope)
            )  # fmt: skip
        return MadeFunction(len(kind.params), given, value, unless)

    def _collection(self, kind: Con, depth: int, scope: tuple[str, ...]) -> Value:
        at = self._at
        rows: list[list[Value]] = []
        for _ in range(self.count(depth, at)):
            self._at = at
            rows.append([self._field(item, depth, scope) for item in kind.args])
            if kind.name == "List":
                after = following(self._signature, rows[-1][0])
                scope = (*(known for known in scope if known not in after), *after)
        if kind.name == "List":
            return make_list([item for (item,) in rows])
        if kind.name == "Set":
            return frozenset(key_of(item) for (item,) in rows)
        if kind.name == "Map":
            return (MAP, None, immutables.Map({key_of(key): held for key, held in rows}))
        if kind.name == "Store":
            held = immutables.Map(dict(enumerate(item for (item,) in rows)))
            return (STORE, None, held, len(rows))
        made = EMPTY_NODE
        for (item,) in rows:
            made = (FRAME, None, self._name(), item, made)
        return made


class Shapes:
    """How high the terms of each form are at least."""

    def __init__(self, signature: Signature) -> None:
        self._signature = signature
        self.held_back = {form.name: _held_back(form) for form in signature.forms}
        """By form the fields that are not made in their turn: names that are bound, made before
        all others, and what they are bound in, made at the end."""
        self._height = _heights(signature)
        self._known: dict[tuple[str, int, bool], tuple[Constructor, ...]] = {}

    def fitting(self, sort: str, depth: int, *, scoped: bool) -> tuple[Constructor, ...]:
        """The forms for a term of a sort at most about so high, the simplest first; those that use
        a name only where there is one in scope. Raises `NoTerm`."""
        key = (sort, depth, scoped)
        if key not in self._known:
            height = self._height[scoped]
            forms = [f for f in self._signature.of_sort(sort) if height[f.name] < NEVER]
            if not forms:
                raise NoTerm(sort)
            forms.sort(key=lambda form: height[form.name])
            self._known[key] = self.low(forms, depth, scoped=scoped)
        return self._known[key]

    def low(
        self, forms: Sequence[Constructor], depth: int, *, scoped: bool
    ) -> tuple[Constructor, ...]:
        """Those of some forms whose terms can be about so low; the lowest ones if none can."""
        heights = [self._height[scoped][form.name] for form in forms]
        most = max(depth, min(heights))
        return tuple(f for f, height in zip(forms, heights, strict=True) if height <= most)


@lru_cache(maxsize=16)
def shapes_of(signature: Signature) -> Shapes:
    return Shapes(signature)


def _held_back(form: Constructor) -> frozenset[int]:
    names = {spot for bind in form.binds for spot in bind.names}
    scopes = {spot.field for bind in form.binds for spot in bind.scopes if not spot.inner}
    binders = {spot.field for spot in names if not spot.inner}
    return frozenset(binders | (scopes - {spot.field for spot in names}))


def _heights(signature: Signature) -> dict[bool, dict[str, int]]:
    """The least height of a term built by each form, with names in scope (True) and without;
    `NEVER` where there is no finite term. Without names in scope a form that uses one has none,
    and what stands where a form binds a name has names in scope."""
    names = [form.name for form in signature.forms]
    least = {scoped: dict.fromkeys(names, NEVER) for scoped in (True, False)}
    changed = True
    while changed:
        changed = False
        sorts = {
            scoped: {
                sort: min(heights[form.name] for form in signature.of_sort(sort))
                for sort in signature.sorts
            }
            for scoped, heights in least.items()
        }
        for scoped, heights in least.items():
            for form in signature.forms:
                if form.uses and not scoped:
                    continue
                inside = {spot.field for bind in form.binds for spot in bind.scopes}
                needed = [
                    _needed(kind, sorts[scoped or index in inside])
                    for index, kind in enumerate(form.types)
                ]
                height = min(NEVER, 1 + max(needed, default=0))
                if height < heights[form.name]:
                    heights[form.name] = height
                    changed = True
    return least


def _needed(kind: Type, sorts: Mapping[str, int]) -> int:
    """The least height of a value in a field; lists and the like may be empty."""
    kind = settle(kind)
    if isinstance(kind, Tup):
        return max((_needed(item, sorts) for item in kind.items), default=0)
    if isinstance(kind, Con):
        return sorts.get(kind.name, 0)
    return _needed(kind.result, sorts) if isinstance(kind, Fn) else NEVER
