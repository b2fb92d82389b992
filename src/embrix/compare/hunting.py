"""Looking for the smallest program on which two lanes disagree.

Well-scoped programs are made up from forms and bindings; Hypothesis chooses and, once it has found
a difference, makes the program smaller. Reproducible from a seed, bounded by a number of programs.
"""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any
from weakref import WeakKeyDictionary

from hypothesis import HealthCheck, Phase, find, settings
from hypothesis import strategies as st
from hypothesis.errors import NoSuchExample

from embrix.brix.core import Interpreter
from embrix.grammar.parser import Parsed
from embrix.grammar.printing import Printer
from embrix.machine.lane import Lane
from embrix.machine.limits import Limits
from embrix.machine.outcome import Result
from embrix.machine.recorder import NOT_LEFT, Recorder
from embrix.terms.binding import free_names
from embrix.terms.generate import Choose, Generator
from embrix.terms.node import FIELDS, Constructor, Node, Value, nodes_of, size
from embrix.terms.signature import Signature
from embrix.terms.types import Con, settle

LIMITS = Limits(calls=4_000, depth=3_000, output=10_000)
DEEPEST = 5
SPARE_BITS = 2
"""Bits beyond those needed, so that no choice is much likelier than another."""

Progress = Callable[[int], None]


LEARNING = 2_500
"""Programs that are looked at to learn what goes well with what."""
MOST_SLOTS = 40
HARMFUL = 0.25
"""How much worse than the best one a form is that is no longer put into a field."""

Pair = tuple[str, int, str]
"""A form, the number of a field, the form that stands in it."""


class Taste:
    """Which forms go well in which fields: those that were evaluated to an end there, and not those
    in a node at which a program failed. So no types have to be known."""

    def __init__(self, signature: Signature) -> None:
        self._signature = signature
        self._good: Counter[Pair] = Counter()
        self._bad: Counter[Pair] = Counter()
        self.unwritten: set[str] = set()
        """Forms that no program could be read with."""

    def slots(self, forms: Sequence[Constructor], at: tuple[str, int]) -> list[Constructor]:
        """The forms for a field, each as often as it is wanted: one that has mostly done harm
        there, beside others that have not, is left out. Names that are used, and binders, are
        wanted most; what ends a program early least."""
        shares = []
        for form in forms:
            good, bad = self._good[*at, form.name], 3 * self._bad[*at, form.name]
            shares.append((good + 2) / (good + bad + 2))
        best = max(shares)
        found: list[Constructor] = []
        for form, share in zip(forms, shares, strict=True):
            if share < HARMFUL * best or form.name in self.unwritten:
                continue
            leaf = not any(isinstance(kind, Con) for kind in form.types)
            wanted = 10.0 if form.uses else 6.0 if form.binds else 0.7 if leaf else 2.0
            count = round(4 * (share / best) ** 2 * wanted)
            found += [form] * max(1, min(MOST_SLOTS, count))
        return found

    def learn(self, recorder: Recorder, lane: Lane) -> None:
        """A program has been run: what was evaluated to an end was good, what stands in the node at
        which it stopped was not. Parts that were never evaluated teach nothing."""
        functions = list(lane.interpreter.functions.values())
        done: set[int] = set()
        for number, which in enumerate(recorder.functions):
            subject = functions[which].subject
            node = recorder.arguments[number][subject] if subject is not None else None
            if not isinstance(node, tuple) or id(node) in done:
                continue
            done.add(id(node))
            if recorder.results[number] is not NOT_LEFT:
                self._good.update(self.pairs(node))
            elif number == recorder.current:
                self._bad.update(self.pairs(node))

    def pairs(self, node: Node) -> list[Pair]:
        """What stands in the fields of a node."""
        form = self._signature.form_of(node)
        found: list[Pair] = []
        for index, child in enumerate(node[FIELDS:] if form is not None else ()):
            inner = self._signature.form_of(child) if isinstance(child, tuple) else None
            if inner is not None and form is not None:
                found.append((form.name, index, inner.name))
        return found


class Tasting(Generator):
    """Makes up programs by taste."""

    def __init__(self, signature: Signature, choose: Choose, taste: Taste) -> None:
        super().__init__(signature, choose)
        self._taste = taste

    def pick(self, forms: Sequence[Constructor], at: tuple[str, int] | None) -> Constructor:
        slots = self._taste.slots(forms, at or ("", 0)) or list(forms)
        return slots[self._choose(len(slots))]


def learned(lane: Lane, sort: str, seed: int) -> Taste:
    """What programs made up on a lane have taught."""
    signature = lane.interpreter.language.signature
    printer = lane.machine.printer
    taste = Taste(signature)
    seeded = random.Random(seed)
    met: tuple[Counter[str], Counter[str]] = (Counter(), Counter())
    for number in range(LEARNING if printer is not None else 0):
        generator = Tasting(signature, seeded.randrange, taste)
        term = generator.term(sort, 1 + number % DEEPEST)
        text = _written(printer, term)  # type: ignore[arg-type]
        parsed = lane.parser.parse(text) if text is not None else None
        met[isinstance(parsed, Parsed)].update(_forms(signature, term))
        refused, read = met
        taste.unwritten = {name for name in refused if refused[name] > 5 and not read[name]}
        if isinstance(parsed, Parsed):
            recorder = Recorder(LIMITS.calls)
            lane.machine.run(parsed.term, variant="traced", limits=LIMITS, recorder=recorder)
            taste.learn(recorder, lane)
    return taste


_KNOWN: WeakKeyDictionary[Interpreter, dict[tuple[str, int], Taste]] = WeakKeyDictionary()


def _remembered(lane: Lane, sort: str, seed: int) -> Taste:
    """What has been learned, once for each interpreter and seed: the same always comes of it."""
    known = _KNOWN.setdefault(lane.interpreter, {})
    if (sort, seed) not in known:
        known[sort, seed] = learned(lane, sort, seed)
    return known[sort, seed]


@dataclass(slots=True)
class Hunt:
    """What came of a hunt: how many programs were tried and how they ended on the first lane, how
    many use what they bind; the smallest program with a difference, if there was one."""

    first: str
    second: str
    seed: int
    tried: int = 0
    ended: Counter[str] = field(default_factory=Counter)
    using: int = 0
    program: str = ""
    nodes: int = 0
    ends: tuple[str, str] = ("", "")

    @property
    def sentence(self) -> str:
        if not self.program:
            return f"no difference in {self.tried:,} programs (seed {self.seed})"
        return (
            f"they differ on a program of {self.nodes} nodes, found after {self.tried:,} programs"
        )


def hunt(
    one: Lane,
    other: Lane,
    *,
    most: int = 10_000,
    seed: int = 1,
    costs: bool = False,
    endless: bool = False,
    progress: Progress | None = None,
) -> Hunt:
    """Look for a difference in outcome, output or state; in `costs` and in never ending when asked
    for. Raises KeyError when the programs of the language cannot be written down."""
    interpreter = one.interpreter
    printer = one.machine.printer
    kind = settle(interpreter.functions[interpreter.main].types[0])
    if printer is None or not isinstance(kind, Con):
        raise KeyError(interpreter.language.name)
    done = Hunt(one.name, other.name, seed)
    signature = interpreter.language.signature
    shrinking = False
    taste = _remembered(one, kind.name, seed)

    bits = st.booleans()

    @st.composite
    def programs(draw: st.DrawFn) -> Value:
        def choose(count: int) -> int:
            # Of bits, because whole numbers are sometimes picked from constants in whatever
            # modules happen to be loaded: the same seed would not give the same programs.
            number = 0
            for _ in range((count - 1).bit_length() + SPARE_BITS * (count > 2)):
                number = number * 2 + draw(bits)
            return number % count

        generator = Tasting(signature, choose, taste)
        return generator.term(kind.name, 1 + choose(DEEPEST))

    def differs(term: Value) -> bool:
        nonlocal shrinking
        text = _written(printer, term)
        if text is None:
            return False
        left, right = (lane.run(text, limits=LIMITS, variant=variant) for lane in (one, other))
        if not shrinking:
            done.tried += 1
            done.ended[left.outcome.kind] += 1
            done.using += _uses(signature, term)
            if progress is not None and done.tried % 100 == 0:
                progress(done.tried)
        found = _disagree(left, right, costs=costs, endless=endless)
        shrinking = shrinking or found
        return found

    variant: Any = "counted" if costs else "plain"
    chosen = settings(
        max_examples=most, database=None, deadline=None, derandomize=False,
        phases=(Phase.generate, Phase.shrink), suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    try:
        term = find(programs(), differs, settings=chosen, random=random.Random(seed))
    except NoSuchExample:
        return done
    term = _smallest(signature, term, differs)
    done.program = _written(printer, term) or ""
    done.nodes = _nodes(signature, term)
    ends = [lane.run(done.program, limits=LIMITS) for lane in (one, other)]
    done.ends = (ends[0].outcome.sentence, ends[1].outcome.sentence)
    return done


def _forms(signature: Signature, term: Value) -> set[str]:
    forms = map(signature.form_of, nodes_of(term))
    return {form.name for form in forms if form is not None}


def _nodes(signature: Signature, term: Value) -> int:
    """How many forms a term is built of."""
    return sum(signature.form_of(node) is not None for node in nodes_of(term))


def _smallest(signature: Signature, term: Value, differs: Callable[[Value], bool]) -> Value:
    """A term made smaller by putting parts of it in the place of larger parts, as long as that is
    possible: what is chosen in one stream of numbers does not always come loose."""
    going = True
    while going:
        going = False
        for candidate in _smaller(signature, term):
            if not free_names(signature, candidate) and differs(candidate):
                term, going = candidate, True
                break
    return term


def _smaller(signature: Signature, term: Value) -> Iterator[Value]:
    """The term with one part replaced by a part inside it of the same sort, largest steps first."""
    form = signature.form_of(term) if isinstance(term, tuple) else None
    if form is not None:
        for inner in _inside(term):
            other = signature.form_of(inner)
            if other is not None and other.owner == form.owner:
                yield inner
    if isinstance(term, tuple):
        for index, child in enumerate(term[FIELDS:], FIELDS):
            for made in _smaller(signature, child):
                yield (*term[:index], made, *term[index + 1 :])


def _inside(term: Node) -> list[Node]:
    """The parts of a term, the smallest first."""
    found: list[Node] = []
    pending = [child for child in term[FIELDS:] if isinstance(child, tuple)]
    while pending:
        node = pending.pop(0)
        found.append(node)
        pending += [child for child in node[FIELDS:] if isinstance(child, tuple)]
    return sorted(found, key=size)


def _written(printer: Printer, term: Value) -> str | None:
    try:
        return printer.show(term).text
    except RecursionError:
        return None


def _disagree(left: Result, right: Result, *, costs: bool, endless: bool) -> bool:
    """Whether two runs differ. A run that was cut off says nothing, unless that is asked for."""
    stopped = [one.outcome.kind in ("out of fuel", "cycle") for one in (left, right)]
    if any(stopped):
        return endless and stopped[0] != stopped[1]
    if "unfinished" in (left.outcome.kind, right.outcome.kind):
        return False
    told = [
        (one.outcome.kind, one.outcome.name or one.outcome.text, one.output)
        for one in (left, right)
    ]
    if told[0] != told[1]:
        return True
    return costs and _comparable(left) != _comparable(right)


def _comparable(result: Result) -> dict[str, int]:
    """The costs that mean the same on every lane."""
    same = ("allocations", "reads", "writes", "lookups", "suspensions forced", "judgements")
    return {name: result.costs.get(name, 0) for name in same}


def _uses(signature: Signature, term: Value) -> bool:
    """Whether some name that a program binds is used in it."""
    forms = map(signature.form_of, nodes_of(term))
    return any(form is not None and form.uses for form in forms)
