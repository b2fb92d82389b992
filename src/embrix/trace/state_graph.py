"""The states that a program can come to, as a graph to be looked at."""

from __future__ import annotations

from collections.abc import Iterable

from msgspec import Struct, field

from embrix.brix.core import TemplateParts
from embrix.machine.configuration import look
from embrix.machine.exploring import Explored
from embrix.machine.lane import Lane
from embrix.text.visible import visible


class GraphStep(Struct, frozen=True):
    """To which state a step leads, by which ways (counted from zero; none where one was open)."""

    to: int
    ways: tuple[int, ...]


class GraphState(Struct):
    """A state: what takes a step, what is beside it, what has been written, the ways that lead
    there, what its step may lead to, and the outcomes that it may come to at once."""

    text: str
    beside: tuple[str, ...]
    output: str
    ways: tuple[int, ...]
    steps: list[GraphStep] = field(default_factory=list)
    ends: list[int] = field(default_factory=list)


def states_of(lane: Lane, explored: Explored) -> list[GraphState]:
    """All states as text, in the order in which they were found; the first is the beginning."""
    relation = lane.interpreter.steps
    show = lane.machine.display.show
    found = []
    for one in explored.states:
        shown = [visible(show(value)) for value in one.arguments]
        whole: TemplateParts = (0,)
        if relation is not None and len(shown) == len(relation.params):
            whole = look(relation)
        text = "".join(part if isinstance(part, str) else shown[part] for part in whole)
        beside = tuple(text for number, text in enumerate(shown) if number not in whole)
        output = visible("".join(one.output))
        found.append(GraphState(text, beside, output, one.ways))
    for step in explored.steps:
        found[step.begin].steps.append(GraphStep(step.end, step.ways))
    for number, ends in explored.ended.items():
        found[number].ends += ends
    return found


class Chain(Struct, frozen=True):
    """From a state to the next one at which something parts, meets or ends: so many steps."""

    begin: int
    end: int
    length: int


def chains(states: list[GraphState]) -> tuple[list[int], list[Chain]]:
    """The states that matter (the first, those at which ways part or meet, those that end), and
    what lies between them."""
    coming = [0] * len(states)
    for state in states:
        for step in state.steps:
            coming[step.to] += 1

    def plain(number: int) -> bool:
        state = states[number]
        return number > 0 and coming[number] == 1 and len(state.steps) == 1 and not state.ends

    found = []
    kept = [number for number in range(len(states)) if not plain(number)]
    for begin in kept:
        for step in states[begin].steps:
            at, length = step.to, 1
            while plain(at):
                at, length = states[at].steps[0].to, length + 1
            found.append(Chain(begin, at, length))
    return kept, found


def ranks(first: int, links: Iterable[tuple[int, int]]) -> dict[int, int]:
    """How many links lead to each point at most, without going in circles: a link that leads back
    to where one comes from does not count."""
    after: dict[int, list[int]] = {}
    for begin, end in links:
        after.setdefault(begin, []).append(end)
    order: list[int] = []
    open_: set[int] = set()
    back: set[tuple[int, int]] = set()
    seen = {first}
    stack = [(first, iter(after.get(first, ())))]
    open_.add(first)
    while stack:
        at, rest = stack[-1]
        one = next(rest, None)
        if one is None:
            stack.pop()
            open_.discard(at)
            order.append(at)
        elif one in open_:
            back.add((at, one))
        elif one not in seen:
            seen.add(one)
            open_.add(one)
            stack.append((one, iter(after.get(one, ()))))
    found = dict.fromkeys(reversed(order), 0)
    for at in found:
        for one in after.get(at, ()):
            if (at, one) not in back:
                found[one] = max(found[one], found[at] + 1)
    return found
