"""All ways in which a program can go on: what it can give, and the states that it comes to.

A run takes one way wherever several are open. Here a program is run again and again, with other
ways each time: first those that every run takes by itself, then, for each place at which another
way was open, the same ways up to there and that other one. Such a run begins with the state in
which the other way was open, if there is one: what comes before is not done again. Runs that come
to a state in which another run has been (the same arguments of `repeat`, places aside, the same
output so far, as much input read) end there: what comes after it is known. So every state is gone
on from once.

The search is bounded by runs, by states and by the calls of each run; where a bound cuts it short,
that is reported.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Hashable, Sequence
from typing import TypeAlias

from msgspec import Struct, field

from embrix.machine.fingerprints import Fingerprints
from embrix.machine.limits import Limits
from embrix.machine.one_run import RunSoFar
from embrix.machine.outcome import Outcome, Result
from embrix.machine.run import Machine
from embrix.machine.stack import with_room
from embrix.terms.node import Node, Value, tuple_of
from embrix.text.collecting import uncollected

MOST_RUNS, MOST_STATES = 2_000, 2_000
CALLS = 20_000
"""Calls of each run."""


class Reached(Struct, frozen=True):
    """A way in which a program can end: how, what it wrote, and the shortest ways that lead there
    (counted from zero; the first way is taken when there are no more). `state` is the number of the
    state in which the last step began, None without small steps."""

    outcome: Outcome
    output: tuple[str, ...]
    left: tuple[str, ...]
    """What came beside the value."""
    ways: tuple[int, ...]
    state: int | None = None


class Configuration(Struct, frozen=True):
    """The arguments of a step, what has been written before it, and how the run that came there
    first had gone: all states of a run share what it took, of which `turns` lie before the step."""

    arguments: tuple[Value, ...]
    output: tuple[str, ...]
    taken: Sequence[tuple[int, int]]
    turns: int

    @property
    def ways(self) -> tuple[int, ...]:
        """The ways that lead there."""
        return tuple(way for way, _ in self.taken[: self.turns])


class Step(Struct, frozen=True):
    """From one state to another, by the numbers of the ways that are taken in between."""

    begin: int
    end: int
    ways: tuple[int, ...]


class Explored(Struct):
    """All that was found. `whole` is False where a bound cut the search short; `endless` tells that
    some run has no end that was seen: it comes back to a state, or was cut off at its limits."""

    outcomes: list[Reached] = field(default_factory=list)
    states: list[Configuration] = field(default_factory=list)
    steps: list[Step] = field(default_factory=list)
    runs: int = 0
    whole: bool = True
    ended: dict[int, list[int]] = field(default_factory=dict)
    """By the number of a state the numbers of the outcomes that its next step may come to."""

    @property
    def endless(self) -> bool:
        return self.cut_off or self.circle()

    @property
    def cut_off(self) -> bool:
        """Whether some run was ended by its limits: nobody knows whether it would end."""
        return any(one.outcome.kind == "out of fuel" for one in self.outcomes)

    def circle(self) -> bool:
        """Whether the steps lead from a state back to it (by taking away what leads nowhere)."""
        after: dict[int, set[int]] = {number: set() for number in range(len(self.states))}
        before: dict[int, set[int]] = {number: set() for number in range(len(self.states))}
        for step in self.steps:
            after[step.begin].add(step.end)
            before[step.end].add(step.begin)
        ready = [number for number, ends in after.items() if not ends]
        left = len(after)
        while ready:
            number = ready.pop()
            left -= 1
            for one in before[number]:
                after[one].discard(number)
                if not after[one]:
                    ready.append(one)
        return left > 0


class _TooManyStates(Exception):
    """The search has come to as many states as it may."""


class _KnownState(Exception):
    """The run has come to a state from which every way has been tried, or will be."""


def explore(
    machine: Machine,
    term: Node,
    given: Sequence[tuple[str, Value]] = (),
    given_input: Sequence[str] = (),
    most_runs: int = MOST_RUNS,
    most_states: int = MOST_STATES,
    progress: Callable[[int], None] | None = None,
) -> Explored:
    """Everything that a program can come to. `progress` is told of the number of runs, and may
    raise InterruptedError to end the search."""
    return _Exploration(machine, term, given, given_input, most_runs, most_states).all(progress)


_At: TypeAlias = tuple[int, int]
"""The state that a run was in last, and how many ways it had taken by then."""


class _Untried(Struct, frozen=True):
    """Ways to be tried: as many of those of a run that was `made` as are taken again, the ones
    after these, and the state in which the run was when it took these."""

    made: tuple[int, ...]
    turn: int
    then: tuple[int, ...]
    at: _At | None
    before: tuple[int, ...]
    """The ways that the run had taken before its first state."""


class _Exploration:
    def __init__(
        self,
        machine: Machine,
        term: Node,
        given: Sequence[tuple[str, Value]],
        given_input: Sequence[str],
        most_runs: int,
        most_states: int,
    ) -> None:
        self._machine, self._term = machine, term
        self._given, self._input = given, given_input
        self._most_runs, self._most_states = most_runs, most_states
        self._found = Explored()
        self._pending: deque[_Untried] = deque([_Untried((), 0, (), None, ())])
        self._numbers: dict[Hashable, int] = {}
        self._asked: list[int] = []
        """For each state how much input had been read."""
        self._from: int | None = None
        """The state from which the run is to go on when it comes to its first one."""
        self._fingerprints = Fingerprints()
        self._steps: set[tuple[int, int]] = set()
        self._ends: dict[Hashable, int] = {}
        self._ways: tuple[int, ...] = ()
        self._at: _At | None = None
        self._parted: list[_At | None] = []
        """For each way that the run has taken the state it was in then."""
        self._taken: list[tuple[int, int]] = []
        self._before: tuple[int, ...] = ()
        """The ways that the run had taken before its first state."""

    def all(self, progress: Callable[[int], None] | None) -> Explored:
        # Once for all runs, which are many and short.
        with uncollected():
            return with_room(lambda: self._all(progress))

    def _all(self, progress: Callable[[int], None] | None) -> Explored:
        found = self._found
        while self._pending:
            if found.runs >= self._most_runs:
                found.whole = False
                break
            untried = self._pending.popleft()
            try:
                self._run(untried)
            except _TooManyStates:
                found.whole = False
                break
            found.runs += 1
            if progress is not None:
                progress(found.runs)
        return found

    def _run(self, untried: _Untried) -> None:
        ways = (*untried.made[: untried.turn], *untried.then)
        self._ways, self._at, self._taken = ways, untried.at, []
        self._parted, self._before = [], untried.before
        self._from = self._begun_at(untried.at, ways)
        try:
            result = self._machine.run(
                self._term, self._given, variant="plain", limits=Limits(calls=CALLS),
                given_input=self._input, ways=ways, watch=self._state, roomy=False,
            )  # fmt: skip
        except _KnownState:
            taken = self._taken
        else:
            taken = list(result.ways)
            self._end(result)
        before = tuple(way for way, _ in taken)
        left = self._most_runs - self._found.runs - 1 - len(self._pending)
        for turn in range(len(ways), len(taken)):
            for other in range(1, taken[turn][1]):
                if left <= 0:  # it would never be its turn
                    self._found.whole = False
                    return
                left -= 1
                at = self._parted[turn] if turn < len(self._parted) else self._at
                self._pending.append(_Untried(before, turn, (other,), at, self._before))

    def _begun_at(self, at: _At | None, ways: tuple[int, ...]) -> int | None:
        """The state with which a run can begin in place of going there once more; None where it
        cannot. Functions belong to the run that has made them."""
        if at is None or self._fingerprints.functions:
            return None
        number, turns = at
        known = self._found.states[number]
        alike = known.turns == turns and known.ways == ways[:turns]
        return number if alike else None

    def _state(
        self, arguments: tuple[Value, ...], so_far: RunSoFar
    ) -> tuple[Value, ...] | None:  # fmt: skip
        """The run is about to take a step. What comes before the first way that has not been
        taken before is known from another run: it goes on from the state in which that was."""
        if self._from is not None:
            known, asked = self._found.states[self._from], self._asked[self._from]
            so_far.come_to(known.output, known.taken[: known.turns], asked)
            self._from = None
            return known.arguments
        self._visited(arguments, so_far)
        return None

    def _visited(self, arguments: tuple[Value, ...], so_far: RunSoFar) -> None:
        taken = so_far.taken
        if self._at is not None and len(taken) < len(self._ways):
            return
        if self._at is None:
            self._before = tuple(way for way, _ in taken)
        # What was chosen before the first step may be used after the last one.
        state = self._fingerprints.of(tuple_of(*arguments))
        key = (self._before, state, tuple(so_far.output), so_far.asked)
        number = self._numbers.get(key)
        known = number is not None
        if number is None:
            number = len(self._found.states)
            if number >= self._most_states:
                raise _TooManyStates
            self._numbers[key] = number
            self._asked.append(so_far.asked)
            self._found.states.append(
                Configuration(arguments, tuple(so_far.output), taken, len(taken))
            )
        if self._at is not None:
            begin, turn = self._at
            if (begin, number) not in self._steps:
                self._steps.add((begin, number))
                ways = tuple(way for way, _ in taken[turn:])
                self._found.steps.append(Step(begin, number, ways))
        self._parted += [self._at] * (len(taken) - len(self._parted))
        self._at = (number, len(taken))
        self._taken = taken
        if known and len(taken) >= len(self._ways):
            raise _KnownState

    def _end(self, result: Result) -> None:
        outcome = result.outcome
        shown = outcome.structure or outcome.text
        key = (outcome.kind, outcome.name, shown, outcome.place, result.output, tuple(result.state))
        number = self._ends.get(key)
        if number is None:
            number = self._ends[key] = len(self._found.outcomes)
            self._found.outcomes.append(
                Reached(
                    outcome, result.output, tuple(result.state),
                    shortest([way for way, _ in result.ways]), self._at[0] if self._at else None,
                )
            )  # fmt: skip
        if self._at is not None:
            ends = self._found.ended.setdefault(self._at[0], [])
            if number not in ends:
                ends.append(number)


def shortest(ways: Sequence[int]) -> tuple[int, ...]:
    """The ways without the first ones at the end, which every run takes by itself."""
    last = max((turn for turn, way in enumerate(ways) if way), default=-1)
    return tuple(ways[: last + 1])
