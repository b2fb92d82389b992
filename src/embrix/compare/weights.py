"""What makes a good program of a language, learned by running some: which forms go well in which
fields, so that most programs that are made up come to a value. No types have to be known."""

from __future__ import annotations

import random
from bisect import bisect_right
from collections import Counter
from collections.abc import Callable, Mapping
from itertools import accumulate
from typing import TypeAlias

from msgspec import Struct

from embrix.brix.core import Language
from embrix.compare.applied import EvaluatedRun
from embrix.grammar.parser import Parsed
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.program_words import words_of
from embrix.machine.recorder import NOT_LEFT, Recorder, WholeRecord
from embrix.machine.written_terms import write_term
from embrix.terms.generate import MOST_ITEMS, Choose, Generator, Words, shapes_of
from embrix.terms.node import (
    CONS,
    FIELDS,
    NIL,
    SOME,
    Constructor,
    Node,
    Value,
    list_items,
    nodes_of,
)
from embrix.terms.signature import Signature
from embrix.terms.types import NAME, Con, Type, settle

LIMITS = Limits(calls=4_000, depth=3_000, output=10_000)
SHALLOW, LEVELS = 3, 4
"""The least number of levels of a program, and how many numbers of levels there are."""
LEARNING, AT_FIRST = 2_000, 80
"""The most programs that are looked at to learn what goes well with what, and those before a first
look for a difference."""
ROUND, MORE = 500, 15
"""No more are looked at when a round of so many has not given so many more values than the round
before: there is little left to learn."""
AT_ONCE, TOGETHER = 250, 10
"""Programs at the beginning of which each changes what is made up next, and how many do together
when the weights change little."""
WRITTEN = 500
"""How many of them are written down and read again: what is read otherwise teaches nothing."""
HOPELESS = 50
"""Programs at the beginning after which no more are looked at, if none of them can be read."""
TELLING = 50
"""Programs after which progress is reported."""
FEW = 3
"""Times that a form must have applied a function to count as one that does."""
MOST_WEIGHT = 50.0
"""The greatest weight of a form; one as good as the best and wanted as others has the weight 1."""
ALIVE = 0.01
"""How often what has mostly failed in a field is tried there all the same."""
SLOTS = 1 << 14
"""Numbers that a choice among forms is made of."""
HARMFUL = 0.25
"""How much worse than the best one a form is that is no longer put into a field."""
BLAMED, INVOLVED = 3.0, 0.5
"""What it counts against a part that it stands in the node at which a program failed, and that the
failure happened inside it."""
MISSED = 5
"""Programs that stop at a form with a free name before it counts as one that asks for it."""
FAR = 1 << 20
MOST_DEEPER = 3
"""Levels by which a term may be deeper than was asked for, so that only good forms stand in it."""
TOP = ("", 0)

Weighed: TypeAlias = tuple[tuple[Constructor, ...], tuple[int, ...]]

Pair = tuple[str, int, str]
"""A form, the number of a field, the form (or the number of items) that stands in it."""


class Taught(Struct, frozen=True):
    """What weights rest on, in plain parts: how often something went well in a field, what counts
    against it, and by form how often it applied a function, was given or lacked a name."""

    good: list[tuple[str, int, str, int]]
    bad: list[tuple[str, int, str, float]]
    applying: dict[str, int]
    named: dict[str, int]
    missed: dict[str, int]
    asking: list[str]


class Weights:
    """Which forms go well in which fields: those that were evaluated to an end there, and not those
    in a node at which a program failed. So no types have to be known."""

    def __init__(self, signature: Signature, words: Words) -> None:
        self._signature = signature
        self.words = words
        self._shapes = shapes_of(signature)
        self._good: Counter[Pair] = Counter()
        self._bad: dict[Pair, float] = {}
        self._applying: Counter[str] = Counter()
        self.free = free_names_of(signature)
        self._named: Counter[str] = Counter()
        self._missed: Counter[str] = Counter()
        self.asking: set[str] = set()
        """The forms with free names that fail where another one has not given the name anything."""
        self._known: dict[tuple[str, int], dict[tuple[str, int, bool], Weighed]] = {}
        """What has been weighed since what was learned counts, by field."""
        self._changed: set[tuple[str, int]] = set()
        """The fields of which something has been learned since then."""
        self._all_changed = False
        """Whether some form is wanted more or less than then."""
        self._wants: dict[str, float] = {}
        """How much each form is wanted, in the same way."""
        self._can_stand: dict[tuple[str, tuple[str, int], bool], list[Constructor]] = {}

    def taught(self) -> Taught:
        """All that has been learned."""
        return Taught(
            [(*pair, count) for pair, count in self._good.items()],
            [(*pair, count) for pair, count in self._bad.items()],
            dict(self._applying), dict(self._named), dict(self._missed), sorted(self.asking),
        )  # fmt: skip

    def take(self, taught: Taught) -> None:
        """Know what others have learned, in place of all that was known."""
        self._all_changed = True
        self.weigh_anew()
        self._good = Counter({(form, at, part): count for form, at, part, count in taught.good})
        self._bad = {(form, at, part): count for form, at, part, count in taught.bad}
        self._applying = Counter(taught.applying)
        self._named, self._missed = Counter(taught.named), Counter(taught.missed)
        self.asking = set(taught.asking)

    def slots(self, sort: str, depth: int, at: tuple[str, int], *, scoped: bool) -> Weighed:
        """The forms for a field, each as often as it is wanted: one that has mostly done harm
        there, beside others that have not, comes seldom. Names that are used, and binders, are
        wanted most; what ends a program early least."""
        known = self._known.setdefault(at, {})
        key = (sort, depth, scoped)
        if key not in known:
            known[key] = self._weighed(sort, depth, at, scoped=scoped)
        return known[key]

    def share(self, pair: Pair) -> float:
        """How well something goes in a field, from 0 to 1; a half where nothing is known."""
        good = self._good.get(pair, 0)
        return (good + 1) / (good + self._bad.get(pair, 0.0) + 2)

    def _weighed(self, sort: str, depth: int, at: tuple[str, int], *, scoped: bool) -> Weighed:
        above, index = at
        shares = {form: self.share((above, index, form.name))
                  for form in self._possible(sort, at, scoped=scoped)}  # fmt: skip
        best = max(shares.values(), default=0.5)
        fine = [form for form, share in shares.items() if share >= HARMFUL * best]
        if depth < -MOST_DEEPER or not fine:
            fine = list(shares)
        weights = {
            form: min(MOST_WEIGHT, (shares[form] / best) ** 2 * self._wanted(form))
            for form in self._shapes.low(fine, depth, scoped=scoped)
        }
        # What failed so far comes now and then: it may have been something else that failed.
        rare = [form for form in shares if form not in fine]
        if depth >= 0 and rare:
            seldom = self._shapes.low(rare, depth, scoped=scoped)
            each = ALIVE * sum(weights.values()) / len(seldom)
            weights.update(dict.fromkeys(seldom, each))
        return weighed(weights)

    def _possible(self, sort: str, at: tuple[str, int], *, scoped: bool) -> list[Constructor]:
        """The forms that can stand in a field."""
        key = (sort, at, scoped)
        if key not in self._can_stand:
            self._can_stand[key] = self._fitting(sort, at, scoped=scoped)
        return self._can_stand[key]

    def _fitting(self, sort: str, at: tuple[str, int], *, scoped: bool) -> list[Constructor]:
        forms = self._shapes.fitting(sort, FAR, scoped=scoped)
        allowed = self.words.parts.get(at)
        found = [form for form in forms if allowed is None or form.name in allowed]
        return found or list(forms)

    def _wanted(self, form: Constructor) -> float:
        known = self._wants.get(form.name)
        if known is None:
            known = self._wants[form.name] = self._worth(form)
        return known

    def _worth(self, form: Constructor) -> float:
        if self._applying[form.name] >= FEW:
            return 45.0
        if form.uses or form.name in self.asking:
            return 20.0
        if form.binds:
            return 6.0
        if self.asking and form.name in self.free:
            return 5.0
        return 2.0 if any(isinstance(kind, Con) for kind in form.types) else 0.7

    def weigh_anew(self) -> None:
        """What has been learned counts from now on."""
        if self._all_changed:
            self._known.clear()
            self._all_changed = False
        for at in self._changed:
            self._known.pop(at, None)
        self._changed.clear()
        self._wants.clear()

    def learn(self, recorder: Recorder, lane: Lane) -> None:
        """A program has been run: what was evaluated to an end was good, what stands in the node at
        which it stopped was not. Parts that were never evaluated teach nothing."""
        seen = EvaluatedRun(recorder, lane.interpreter)
        for form, _, _ in seen.applications():
            self._applying[form.name] += 1
            self._all_changed = self._all_changed or self._applying[form.name] == FEW
        done: set[int] = set()
        for number, node in enumerate(seen.nodes):
            if node is not None and id(node) not in done:
                done.add(id(node))
                if recorder.results[number] is not NOT_LEFT:
                    good = [pair for pair, _ in self.pairs(node)]
                    self._good.update(good)
                    self._changed.update([(form, at) for form, at, _ in good])
                    named = self._signature.form_of(node)
                    if named is not None and named.name in self.free:
                        self._named[named.name] += 1
        self._blame(recorder, seen)

    def _blame(self, recorder: Recorder, seen: EvaluatedRun) -> None:
        """What stands in the node at which a program stopped, and what that node stands in."""
        at = seen.nearest(recorder.current)
        inner: Node | None = None
        while at >= 0:
            node = seen.nodes[at]
            at_fault = self._signature.form_of(node)
            if inner is None and at_fault is not None and at_fault.name in self.free:
                self._missing(at_fault.name)
            for pair, part in self.pairs(node):
                if inner is None or part is inner:
                    weight = BLAMED if inner is None else INVOLVED
                    self._bad[pair] = self._bad.get(pair, 0.0) + weight
                    self._changed.add(pair[:2])
            inner = node
            at = seen.nearest(recorder.parents[at])

    def _missing(self, form: str) -> None:
        """A program has stopped at a form with a free name."""
        self._missed[form] += 1
        often = self._missed[form] >= MISSED and 4 * self._missed[form] > self._named[form]
        if often and form not in self.asking:
            # That it failed says nothing against it any more.
            self.asking.add(form)
            self._all_changed = True
            self._bad = {pair: bad for pair, bad in self._bad.items() if pair[2] != form}

    def pairs(self, node: Node) -> list[tuple[Pair, Node | None]]:
        """What stands in the fields of a node, and how many items its lists have."""
        form = self._signature.form_of(node)
        found: list[tuple[Pair, Node | None]] = []
        for index, child in enumerate(node[FIELDS:] if form is not None else ()):
            assert form is not None
            parts = _parts(child)
            if is_list(child):
                found.append(((form.name, index, str(len(parts))), None))
            for part in parts:
                inner = self._signature.form_of(part)
                if inner is not None:
                    found.append(((form.name, index, inner.name), part))
        return found


def weighed(weights: Mapping[Constructor, float]) -> Weighed:
    """Forms with the numbers below which a choice means each, every one at least once."""
    whole = sum(weights.values())
    counts = [max(1, round(SLOTS * weight / whole)) for weight in weights.values()]
    return tuple(weights), tuple(accumulate(counts))


class WeightedGenerator(Generator):
    """Makes up programs by weights."""

    def __init__(
        self, language: Language, choose: Choose, weights: Weights, words: Words | None = None
    ) -> None:
        super().__init__(language.signature, choose, words or weights.words)
        self._weights = weights
        self._given: dict[str, None] = {}
        """The free names that forms have given something, as far as the program is made."""

    def program(self, sort: str) -> Value:
        """A closed term."""
        self._given = {}
        return self.term(sort, SHALLOW + self.choose(LEVELS))

    def pick(
        self, sort: str, depth: int, at: tuple[str, int] | None, *, scoped: bool
    ) -> Constructor:
        if self.gone_astray(depth):
            return super().pick(sort, depth, at, scoped=scoped)
        forms, ends = self._weights.slots(sort, depth, at or TOP, scoped=scoped)
        if self._weights.asking and not self._given:
            others = [one for one in forms if one.name not in self._weights.asking]
            if others and len(others) < len(forms):
                return others[self.choose(len(others))]
        return forms[bisect_right(ends, self.choose(ends[-1]))]

    def _build(
        self, form: Constructor, depth: int, scope: tuple[str, ...], known: Mapping[str, Type]
    ) -> Value:
        made = super()._build(form, depth, scope, known)
        if form.name not in self._weights.asking:
            names = (made[FIELDS + index] for index in self._weights.free.get(form.name, ()))
            self._given.update(dict.fromkeys(names))
        return made

    def _name(self, at: tuple[str, int] | None = None) -> str:
        """A name; where one is asked for that another form must have given something, one of
        these, and more often than not where it is given something once more."""
        weights = self._weights
        asked = at is not None and at[0] in weights.asking
        again = at is not None and bool(weights.asking) and at[0] in weights.free
        if self._given and (asked or (again and self.choose(4))):
            given = list(self._given)
            return given[self.choose(len(given))]
        return super()._name(at)

    def count(self, depth: int, at: tuple[str, int] | None) -> int:
        lengths = range(MOST_ITEMS + 1) if depth > 0 else range(2)
        shares = [self._weights.share((*(at or TOP), str(one))) for one in lengths]
        best = max(shares)
        slots = [
            one
            for one, share in zip(lengths, shares, strict=True)
            for _ in range(max(1, round(4 * (one + 1) * (share / best) ** 2)))
        ]
        return slots[self.choose(len(slots))]


def untaught(lane: Lane) -> Weights:
    """The weights with which learning on a lane begins."""
    words = words_of(lane.interpreter, lane.machine.printer)
    return Weights(lane.interpreter.language.signature, words)


def learned(
    lane: Lane, sort: str, seed: int, underway: Callable[[], None], most: int | None = None
) -> Weights:
    """What programs made up on a lane have taught, so many at `most`. `underway` is called now and
    then."""
    language = lane.interpreter.language
    weights = untaught(lane)
    seeded = random.Random(seed)
    unread = 0
    values, before = 0, None
    for number in range(LEARNING if most is None else most):
        if unread == number == HOPELESS:
            break  # the grammar has errors: none of them can be written
        if number and number % ROUND == 0:
            if before is not None and values < before + MORE:
                break
            values, before = 0, values
        if number % TELLING == 0:
            underway()
        term = WeightedGenerator(language, seeded.randrange, weights).program(sort)
        if number < WRITTEN:
            parsed = lane.parser.parse(written(lane, term))
            if not isinstance(parsed, Parsed):
                unread += 1
                continue
            term = parsed.term
        recorder = WholeRecord(LIMITS.calls)
        result = lane.machine.run(term, variant="traced", limits=LIMITS, recorder=recorder)
        values += result.outcome.kind == "value"
        weights.learn(recorder, lane)
        if number < AT_ONCE or number % TOGETHER == 0:
            weights.weigh_anew()
    weights.weigh_anew()
    return weights


def free_names_of(signature: Signature) -> dict[str, tuple[int, ...]]:
    """The fields of each form that hold a name which no form binds."""
    found: dict[str, tuple[int, ...]] = {}
    for form in signature.forms:
        bound = {spot.field for bind in form.binds for spot in bind.names}
        found[form.name] = tuple(
            index for index, kind in enumerate(form.types)
            if settle(kind) == NAME and index not in bound and index not in form.uses
        )  # fmt: skip
    return {name: fields for name, fields in found.items() if fields}


def is_list(child: Value) -> bool:
    return isinstance(child, tuple) and child[0] in (CONS, NIL)


def _parts(child: Value) -> list[Node]:
    """What stands in a field: one node, or those of a list or of what may be there."""
    if not isinstance(child, tuple):
        return []
    if is_list(child):
        return [item for item in list_items(child) if isinstance(item, tuple)]
    return [child[FIELDS]] if child[0] == SOME and isinstance(child[FIELDS], tuple) else [child]


def forms_of(signature: Signature, term: Value) -> set[str]:
    """The names of the forms that a term is built of."""
    forms = map(signature.form_of, nodes_of(term))
    return {form.name for form in forms if form is not None}


def written(lane: Lane, term: Value) -> str:
    """A term as a program text; in a language without a grammar as a term."""
    printer = lane.machine.printer
    if printer is not None:
        return printer.show(term).text
    return write_term(lane.interpreter.language.signature, term)
