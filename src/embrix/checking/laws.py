"""Trying the laws of an interpreter on values that are made up."""

from __future__ import annotations

import random
from collections.abc import Sequence
from functools import partial

from msgspec import Struct
from msgspec.structs import replace

from embrix.brix import core as k
from embrix.brix.core import Law
from embrix.compare.smaller import smallest
from embrix.machine.program_words import words_of
from embrix.machine.run import LawTrial, Machine
from embrix.machine.stack import with_room
from embrix.terms.generate import NAMES, Choose, Generator, NoTerm, Spot, Words
from embrix.terms.keys import key_of
from embrix.terms.made_functions import MadeFunction
from embrix.terms.node import FIELDS, Constructor, Node, Value, size
from embrix.terms.signature import Signature
from embrix.terms.types import Con, Type, settle

SEED = 1
TRIES = 300
MADE = 20
"""Examples that are made for each one of which the condition of a law has to hold."""
MOST_SMALLER = 500
"""Examples that are tried in order to make a counterexample smaller."""
KEPT, LARGEST_KEPT = 200, 30
"""Values of a type that others are made of, and how many nodes each may have."""
SELDOM = 4
"""One in so many values differs from one of which the condition holds in a part."""
SEVERAL = 3
"""A part of a value is made anew once in so many times, where there are values to make it of; below
a binder it is made of one of these once in so many times."""


class LawReport(Struct, frozen=True):
    """What came of trying a law: on how many of the examples that were `made` its condition holds,
    from which seed, and the smallest counterexample (which `failed`, or is false); `untried` says
    why there is no example."""

    law: Law
    tried: int
    seed: int
    counterexample: dict[str, str] | None
    untried: str = ""
    made: int = 0
    failed: bool = False


class _FromAccepted(Generator):
    """Values made of values that a condition holds of: what is of a kind, well scoped or in a
    normal form has parts that are so as well, and by chance alone is seldom made."""

    def __init__(self, signature: Signature, choose: Choose, words: Words) -> None:
        super().__init__(signature, choose, words)
        self._kind: Type | None = None
        self._parts: dict[int, list[Value]] = {}
        self._leaves: dict[int, list[Value]] = {}
        """Values to make others of, by their constructor, so that none is too seldom; those without
        parts apart."""
        self._whole: dict[int, list[Value]] = {}
        """Those of which the whole condition holds: others differ from them in a part."""

    def accept(self, kind: Type, value: Value, *, whole: bool) -> None:
        """From now on others may be made of a value, all of one type."""
        if not isinstance(value, tuple) or size(value) > LARGEST_KEPT:
            return
        self._kind = settle(kind)
        leaf = not any(isinstance(part, tuple) for part in value[FIELDS:])
        self._keep(self._leaves if leaf else self._parts, value)
        if whole and not leaf:
            self._keep(self._whole, value)

    def _keep(self, values: dict[int, list[Value]], value: Node) -> None:
        kept = values.setdefault(value[0], [])
        if len(kept) < KEPT:
            kept.append(value)
        else:
            kept[self.choose(KEPT)] = value

    def value(self, kind: Type, depth: int, scope: tuple[str, ...] = ()) -> Value:
        if self._whole and not self.choose(SELDOM):
            return self._with_other_part(self._one_of(self._whole))
        return super().value(kind, depth, scope)

    def _field(self, kind: Type, depth: int, scope: tuple[str, ...]) -> Value:
        fits = self._built and self._kind is not None and settle(kind) == self._kind
        # What is kept has no free names, most often: below a binder more is made anew.
        if fits and (not self.choose(SEVERAL)) == bool(scope):
            return self._part()
        return super()._field(kind, depth, scope)

    def pick(self, sort: str, depth: int, at: Spot | None, *, scoped: bool) -> Constructor:
        """As always, but the form of a whole value is often one of which few have been accepted,
        and where there are names in scope they are used now and then."""
        usual = super().pick(sort, depth, at, scoped=scoped)
        if self._kind is None or self.choose(SEVERAL):
            return usual
        fitting = self.shapes.fitting(sort, depth, scoped=scoped)
        if at is None:
            return min(fitting, key=lambda form: len(self._whole.get(form.tag, ())))
        using = [form for form in fitting if form.uses]
        return using[self.choose(len(using))] if scoped and using else usual

    def _part(self) -> Value:
        few = self._leaves if self._leaves and (not self._parts or self.choose(2)) else self._parts
        return self._one_of(few)

    def _one_of(self, values: dict[int, list[Value]]) -> Value:
        kept = [*values.values()][self.choose(len(values))]
        return kept[self.choose(len(kept))]

    def _with_other_part(self, value: Value) -> Value:
        """A value with another one in place of a part of the same type."""
        ways: list[tuple[int, ...]] = []
        pending: list[tuple[Value, tuple[int, ...]]] = [(value, ())]
        for node, way in pending:  # which grows while it is gone through
            if isinstance(node, tuple):
                form = self._signature.form_of(node)
                if form is not None and Con(form.owner) == self._kind and way:
                    ways.append(way)
                pending += [(part, (*way, at)) for at, part in enumerate(node) if at >= FIELDS]
        if not ways:
            return self._part()
        return put_at(value, ways[self.choose(len(ways))], self._part())


def put_at(value: Value, way: Sequence[int], part: Value) -> Value:
    """A value with another part where a way through the nodes leads."""
    if not way:
        return part
    at, *rest = way
    return (*value[:at], put_at(value[at], rest, part), *value[at + 1 :])


def try_law(machine: Machine, law: Law, tries: int = TRIES, seed: int = SEED) -> LawReport:
    """Hold a law against generated values. It is tested, never proved. Where its condition holds
    a conclusion that fails or is stuck is no true one; a law without a condition is not tried on
    what it fails on."""
    return with_room(partial(_tried, machine, law, tries, seed))


def _tried(machine: Machine, law: Law, tries: int, seed: int) -> LawReport:
    chance = random.Random(seed)
    interpreter = machine.interpreter
    forms = {**interpreter.signature.by_tag, **interpreter.constructors}
    signature = Signature(tuple(forms.values()))
    words = replace(words_of(interpreter, machine.printer), parts={})
    kinds = law.function.types
    generators = [_FromAccepted(signature, chance.randrange, words) for _ in kinds]
    limited = _limited(law)
    wrong: tuple[LawTrial, ...] = ("false", "failed") if law.conditions else ("false",)
    worst: tuple[LawTrial, list[Value]] | None = None
    tried = made = 0
    known: dict[object, tuple[LawTrial, bool]] = {}
    """What came of the examples so far, and whether others may be made of them."""
    while tried < tries and made < (tries * MADE if law.conditions else tries):
        try:
            pairs = zip(generators, kinds, strict=True)
            values = [_made_up(generator, chance, kind) for generator, kind in pairs]
        except NoTerm as none:
            return LawReport(law, 0, seed, None, f"there are no finite examples of {none}")
        made += 1
        key = tuple(map(key_of, values)) if law.conditions else made
        again = key in known
        if not again:
            found = machine.test_law(law, values)
            known[key] = found, found != "apart" or machine.meets(law, values)
        found, met = known[key]
        for at in limited if met else ():
            generators[at].accept(kinds[at], values[at], whole=found != "apart")
        if again or found in ("apart", "open") or (found == "failed" and found not in wrong):
            continue
        tried += 1
        if found in wrong and (worst is None or _weight(values) < _weight(worst[1])):
            worst = found, values
    if worst is None:
        why = "every example that was made ends in a failure"
        if law.conditions:
            why = f"its condition holds of none of the {made:,} examples that were made"
        return LawReport(law, tried, seed, None, "" if tried else why, made)
    values = _smaller(machine, law, signature, *worst)
    show = machine.display.show
    texts = [one.text(show) if isinstance(one, MadeFunction) else show(one) for one in values]
    shown = dict(zip(law.function.params, texts, strict=True))
    return LawReport(law, tried, seed, shown, made=made, failed=worst[0] == "failed")


def _limited(law: Law) -> list[int]:
    """The parameters of a law that its condition speaks of."""
    named = {
        part.slot
        for condition in law.conditions
        for part in k.parts_inside(condition)
        if isinstance(part, k.Local)
    }
    return [at for at, slot in enumerate(law.function.slots) if slot in named]


def _weight(values: Sequence[Value]) -> int:
    return sum(map(size, values))


def _smaller(
    machine: Machine, law: Law, signature: Signature, wrong: LawTrial, values: list[Value]
) -> list[Value]:
    """A counterexample with every value as small as it can be for the same to come of it."""
    left = MOST_SMALLER

    def still(at: int, value: Value) -> bool:
        nonlocal left
        left -= 1
        return left > 0 and machine.test_law(law, [*values[:at], value, *values[at + 1 :]]) == wrong

    before: list[Value] = []
    while before != values and left > 0:
        before = [*values]
        for at, value in enumerate(before):
            values[at] = smallest(signature, value, partial(still, at), closed=False)
    return values


def _made_up(generator: Generator, chance: random.Random, kind: Type) -> Value:
    """A value of a type, with names free in it more often than not. Raises `NoTerm`."""
    scope = NAMES if chance.random() < 0.6 else ()
    depth = chance.randrange(1, 5)
    try:
        return generator.value(kind, depth, scope)
    except NoTerm:
        # There are open terms, perhaps.
        return generator.value(kind, depth, NAMES)
