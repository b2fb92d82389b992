"""Looking for the smallest program on which two lanes differ.

Well-scoped programs are made up from forms and bindings; Hypothesis chooses and, once it has found
a difference, makes the program smaller. Reproducible from a seed, bounded by a number of programs.
"""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import platformdirs
from hypothesis import HealthCheck, Phase, find, settings
from hypothesis import strategies as st
from hypothesis.configuration import set_hypothesis_home_dir
from hypothesis.errors import NoSuchExample
from msgspec import Struct, field

from embrix.compare import weights
from embrix.compare.applied import EvaluatedRun
from embrix.compare.kept_weights import weights_of
from embrix.compare.shown_apart import surely_apart
from embrix.compare.smaller import count_forms, smallest
from embrix.compare.weights import AT_FIRST, LIMITS, WeightedGenerator, Weights, forms_of, written
from embrix.grammar.parser import Parsed
from embrix.machine.exploring import Explored, Reached, explore
from embrix.machine.lane import Lane
from embrix.machine.outcome import Result
from embrix.machine.program_words import words_of
from embrix.machine.recorder import WholeRecord
from embrix.machine.run import FEW
from embrix.machine.unit import Variant
from embrix.suite.all_ways import all_words
from embrix.terms.generate import NoTerm, numbers_for
from embrix.terms.node import Node, Value
from embrix.terms.types import Con, settle
from embrix.text.plural import counted
from embrix.text.visible import visible

Progress = Callable[["Hunt"], None]

BYTES = 240
"""What one program is made of: one byte for a choice among few, two among many."""
FEW_CHOICES = 16
LOOKED_AT = 500
"""Programs after which it is said how many of them apply a function."""
TELLING = 100
"""Programs between two tidings of how far a hunt is."""
MOST_RUNS = 200
"""Runs of one program that may take several ways; with more nothing is said about it."""
FIRST_LOOK = 300
"""Programs that are tried when little has been learned: many lanes differ on one of the first."""
AGAIN = 8
"""How many times as many programs are made up as are tried: many come more than once."""


class Hunt(Struct):
    """What came of a hunt: how many different programs were run of how many that were asked for,
    how they ended on the first lane, in how many each form occurs, how many of the first ones apply
    a function to an argument that is used; the smallest program with a difference, if there was
    one."""

    first: str
    second: str
    seed: int
    asked: int
    known: tuple[str, ...]
    """The forms of the language."""
    tried: int = 0
    ended: Counter[str] = field(default_factory=Counter)
    forms: Counter[str] = field(default_factory=Counter)
    looked_at: int = 0
    applying: int = 0
    program: str = ""
    nodes: int = 0
    ends: tuple[str, str] = ("", "")
    unread: int = 0
    """Programs that tell the lanes apart as terms, but cannot be written so that they are read."""
    stopped: bool = False
    learning: bool = False
    """Whether programs are looked at to learn from them."""

    @property
    def sentence(self) -> str:
        seed = f"(seed {self.seed})"
        if self.unread and not self.program:
            text = counted(self.unread, "term")
            return (
                f"{text} of {self.tried:,} tell the lanes apart, but no text is read as one {seed}"
            )
        if self.program:
            after = counted(self.tried, "program")
            return f"they differ on a program of {counted(self.nodes, 'node')}, found after {after}"
        if self.tried >= self.asked:
            return f"no difference in {counted(self.tried, 'program')} {seed}"
        of = f"{self.tried:,} of {counted(self.asked, 'program')}"
        if self.stopped:
            return f"stopped after {of} {seed}; on none of these the lanes differ"
        return (
            f"the hunt fell short: only {of} could be generated {seed}; none of these tells the "
            "lanes apart"
        )

    @property
    def distribution(self) -> str:
        """How the programs that were tried ended, and how many apply a function."""
        kinds = ", ".join(
            f"{count / max(1, self.tried):.0%} {kind}" for kind, count in self.ended.most_common()
        )
        share = f"{self.applying / max(1, self.looked_at):.0%}"
        return f"{kinds}; {share} apply a function to an argument that is used"

    @property
    def occurring(self) -> str:
        """In what share of the programs each form occurs, and which never do."""
        known = [name for name in self.known if self.forms[name]]
        never = [name for name in self.known if not self.forms[name]]
        shares = [f"{name} {self.forms[name] / max(1, self.tried):.0%}" for name in known]
        text = f"forms: {', '.join(shares) or 'none'}"
        return f"{text}; never: {', '.join(never)}" if never else text


class NoPrograms(Exception):
    """Programs of this language cannot be made up; the message says why."""


class _Enough(BaseException):
    """Leaves the search; not an Exception, which would count as a program that was found."""


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
    """Look for a difference in outcome, output or (where one lane extends the other) final state;
    in `costs` and in never ending when asked for. Where a lane leaves open which way a run takes,
    all that a program can come to is compared. Some programs are tried when little has been
    learned, all others when much has. `progress` may raise InterruptedError to stop.
    Raises `NoPrograms`."""
    if not one.records:
        raise NoPrograms(f"{one.name} is an outside lane: programs are generated with a lane of "
                         f"definitions, so name it second")  # fmt: skip
    known = tuple(form.name for form in one.interpreter.language.signature.forms)
    done = Hunt(one.name, other.name, seed, most, known)
    try:
        _Search(done, one, other, costs=costs, endless=endless, progress=progress).carry_out(most)
    except InterruptedError:
        done.stopped = True
    return done


class _Search:
    """One hunt."""

    def __init__(
        self, done: Hunt, one: Lane, other: Lane, *, costs: bool, endless: bool,
        progress: Progress | None,
    ) -> None:  # fmt: skip
        if costs and not other.records:
            raise NoPrograms(f"{other.name} is an outside lane and reports no costs")
        interpreter = one.interpreter
        kind = settle(interpreter.functions[interpreter.main].types[0])
        if not isinstance(kind, Con):
            raise NoPrograms(f"programs of {interpreter.language.name} cannot be written down")
        if other.language != one.language:
            raise NoPrograms(f"{one.name} runs {one.language}, {other.name} {other.language}")
        self.done, self.one, self.other = done, one, other
        self.sort = kind.name
        self.costs, self.endless, self.progress = costs, endless, progress
        self.variant: Variant = "counted" if costs else "plain"
        self.states = other.records and _related(one, other)
        self.as_terms = (
            other.records and other.interpreter.language.numbers == interpreter.language.numbers
        )
        """Whether programs need not be written and read: both lanes have the same numbers."""
        self.by_all_ways = one.several or (other.records and other.several)
        self.weights = self._learned(min(AT_FIRST, weights.LEARNING))
        self.known: set[Value] = set()
        self.found = False
        self.most = 0

    def _learned(self, most: int) -> Weights:
        """What so many programs teach at most."""
        self.done.learning = True
        try:
            return weights_of(self.one, self.sort, self.done.seed, self._tell, most)
        except NoTerm as none:
            raise NoPrograms(f"there is no finite {none}, so no program can be generated") from none
        finally:
            self.done.learning = False

    def carry_out(self, most: int) -> None:
        language = self.one.interpreter.language
        term = None
        if AT_FIRST < weights.LEARNING and most >= 4:
            term = self._looked_for(min(FIRST_LOOK, most // 4))
        if term is None and not self.done.stopped:
            self.weights = self._learned(weights.LEARNING)
            term = self._looked_for(most)
        if term is None:
            return
        term = smallest(language.signature, term, self.differs, numbers_for(language.numbers)[0])
        self.done.program = written(self.one, term)
        self.done.nodes = count_forms(language.signature, term)
        lanes = (self.one, self.other)
        if self.by_all_ways:
            explored = [self._explored(lane, self.done.program) for lane in lanes]
            left, right = (", ".join(all_words(one)) for one in explored)
            if left == right:
                left, right = map(_with_output, explored)
            self.done.ends = (left, right)
            return
        ends = [lane.run(self.done.program, limits=LIMITS) for lane in lanes]
        rows = [end.outcome.sentence for end in ends]
        if rows[0] == rows[1]:
            rows = ["  ".join([end.outcome.sentence, *_besides(end)]) for end in ends]
        self.done.ends = (rows[0], rows[1])

    def _looked_for(self, most: int) -> Value | None:
        """A program on which the lanes differ, if there is one among so many; those that have been
        tried before count."""
        self.most = most
        language = self.one.interpreter.language
        other = self.other.interpreter if self.other.records else None
        words = words_of(self.one.interpreter, self.one.machine.printer, other)

        @st.composite
        def programs(draw: st.DrawFn) -> Value:
            # In one piece: many small draws take longer than the programs do.
            choose = _chooser(draw(st.binary(min_size=BYTES, max_size=BYTES)))
            return WeightedGenerator(language, choose, self.weights, words).program(self.sort)

        chosen = settings(
            max_examples=most * AGAIN, database=None, deadline=None, derandomize=False,
            phases=(Phase.generate, Phase.shrink), suppress_health_check=list(HealthCheck),
        )  # fmt: skip
        # What the library keeps has no business in the folder that happens to be the present one.
        set_hypothesis_home_dir(Path(platformdirs.user_cache_dir("embrix")) / "hunting")
        try:
            return find(
                programs(), self.differs, settings=chosen, random=random.Random(self.done.seed)
            )
        except (NoSuchExample, _Enough):
            return None

    def differs(self, term: Value) -> bool:
        """Whether the lanes disagree on a program."""
        if not self.found:
            if term in self.known:
                return False
            if self.done.tried >= self.most:
                raise _Enough
            self.known.add(term)
        left = self._run(self.one, term)
        if not self.found:
            self._count(term, left)
        if self.by_all_ways:
            # What stands for the program on both sides: itself, or its text.
            program = term if self.as_terms else written(self.one, term)
            differ = self._come_to_others(program) and self._as_written(term)
        else:
            differ = self._disagree(left, self._run(self.other, term)) and self._as_written(term)
        self.found = self.found or differ
        return differ

    def _run(self, lane: Lane, term: Node) -> Result:
        """A program on a lane."""
        if self.as_terms:
            return lane.machine.run(term, limits=LIMITS, variant=self.variant, few=FEW)
        return lane.run(written(self.one, term), limits=LIMITS, variant=self.variant, few=FEW)

    def _as_written(self, term: Node) -> bool:
        """Whether the lanes disagree when the program is written down and read again."""
        text = written(self.one, term)
        if not isinstance(self.one.parser.parse(text), Parsed):
            self.done.unread += 1
            return False
        if self.by_all_ways:
            return self._come_to_others(text)
        left, right = (lane.run(text, limits=LIMITS, variant=self.variant)
                       for lane in (self.one, self.other))  # fmt: skip
        return self._disagree(left, right)

    def _explored(self, lane: Lane, program: Node | str) -> Explored:
        """All that a program can come to on a lane, as far as a number of runs shows it."""
        if not lane.several:
            run = lane.run(program, limits=LIMITS) if isinstance(program, str) else (
                lane.machine.run(program, limits=LIMITS, variant="plain"))  # fmt: skip
            return Explored([Reached(run.outcome, run.output, tuple(run.state), ())], runs=1)
        if isinstance(program, str):
            return lane.explore(program, most_runs=MOST_RUNS)
        return explore(lane.machine, program, most_runs=MOST_RUNS)

    def _come_to_others(self, program: Node | str) -> bool:
        """Whether a program can come to something on one lane that it cannot on the other. Nothing
        is said about one of which not all is known."""
        sides = []
        for lane in (self.one, self.other):
            found = self._explored(lane, program)
            kinds = {one.outcome.kind for one in found.outcomes}
            if not found.whole or kinds & {"out of fuel", "unfinished"}:
                return False
            ends = {
                (self._observed(Result(one.outcome, one.output)), one.left if self.states else ())
                for one in found.outcomes
                if one.outcome.kind != "cycle"
            }
            sides.append((ends, found.endless if self.endless else False))
        return sides[0] != sides[1]

    def _count(self, term: Node, result: Result) -> None:
        done = self.done
        done.tried += 1
        done.ended[result.outcome.kind] += 1
        done.forms.update(forms_of(self.one.interpreter.language.signature, term))
        if done.looked_at < LOOKED_AT:
            recorder = WholeRecord(LIMITS.calls)
            self.one.machine.run(term, variant="traced", limits=LIMITS, recorder=recorder)
            done.looked_at += 1
            done.applying += EvaluatedRun(recorder, self.one.interpreter).uses_an_argument
        if done.tried % TELLING == 0:
            try:
                self._tell()
            except InterruptedError as stop:
                done.stopped = True
                raise _Enough from stop

    def _tell(self) -> None:
        if self.progress is not None:
            self.progress(self.done)

    def _disagree(self, left: Result, right: Result) -> bool:
        """Whether two runs differ. One that was cut off says nothing, unless that is asked for."""
        stopped = [one.outcome.kind in ("out of fuel", "cycle") for one in (left, right)]
        if any(stopped):
            return self.endless and stopped[0] != stopped[1]
        if "unfinished" in (left.outcome.kind, right.outcome.kind):
            return False
        seen = self._observed(left), self._observed(right)
        if seen[0] != seen[1]:
            values = (seen[0][0], seen[1][0]) == ("value", "value") and self.other.records
            if not values or seen[0][2] != seen[1][2]:
                return True
            if surely_apart(self.one.interpreter, left.outcome.value,
                            self.other.interpreter, right.outcome.value):  # fmt: skip
                return True
        if self.states and list(left.state) != list(right.state):
            return True
        return self.costs and self._costs_of(left) != self._costs_of(right)

    def _costs_of(self, result: Result) -> list[int]:
        """The costs that mean the same on both lanes."""
        names = ["judgements", "lookups", "suspensions forced"]
        names += ["allocations", "reads", "writes"] if self.states else []
        return [result.costs.get(name, 0) for name in names]

    def _observed(self, result: Result) -> tuple[str, str, str]:
        """How a run ended and what it wrote, as far as both lanes tell that."""
        outcome = result.outcome
        text = outcome.name or outcome.text
        if not self.other.records and outcome.kind in ("rejected", "ambiguous"):
            text = ""  # a command does not tell what refuses
        if outcome.kind == "value" and not self.other.tells_value:
            text = ""
        output = "".join(result.output) if self.other.tells_output else ""
        return outcome.kind, text, output


def _chooser(data: bytes) -> Callable[[int], int]:
    """Choices made of bytes: the smaller the byte, the simpler what is chosen; the simplest when
    there are none left."""
    at = 0

    def choose(count: int) -> int:
        nonlocal at
        taken = 1 if count <= FEW_CHOICES else 2
        part = data[at : at + taken]
        at += taken
        return int.from_bytes(part, "big") * count >> (8 * taken)

    return choose


def _with_output(explored: Explored) -> str:
    """All that a program can come to, with what it writes and leaves."""
    ends = [
        "  ".join([one.outcome.sentence, *_besides(Result(one.outcome, one.output, {}, one.left))])
        for one in explored.outcomes
    ]
    return ", ".join(dict.fromkeys(ends))


def _besides(end: Result) -> list[str]:
    """What tells two runs with the same outcome apart."""
    text = [f"writes {visible(''.join(end.output))}"] if end.output else []
    return text + ([f"holding {', '.join(end.state)}"] if end.state else [])


def _related(one: Lane, other: Lane) -> bool:
    """Whether one lane is the other, or extends it: then they put away alike, and what they hold
    at the end can be compared."""
    names = []
    for lane in (one, other):
        syntax = lane.interpreter.syntax
        base = syntax.base if syntax is not None else None
        own = (lane.interpreter.language.name, lane.interpreter.name)
        names.append((own, base[:2] if base is not None else None))
    (first, its_base), (second, other_base) = names
    return first == second or its_base == second or other_base == first
