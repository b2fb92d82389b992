"""The frames of an environment and of the closures in it, each linked to the one around it."""

from __future__ import annotations

from embrix.messages.replies import EMPTY_ENVIRONMENT, LEFT_OUT, LinkedFrame
from embrix.terms.node import EMPTY, FIELDS, FRAME, ITSELF_NODE, KNOT, LOCATION, STORE, Node, Value
from embrix.trace.walk import Walk

MOST_FRAMES = 40


def frame_graph(walk: Walk, number: int) -> list[LinkedFrame]:
    """The frames of the environment at a step, the innermost first; then those that are only held
    by closures, each row of them as far as a frame that is there already."""
    environment = walk.environment_at(number)
    bindings = walk.step(number).bindings
    numbers: dict[int, int] = {}
    nodes: list[Node] = []
    begun: list[int] = []
    """For each frame the number of the first one of its row."""

    def follow(start: Node) -> None:
        frame, first = start, len(nodes)
        while _is_frame(frame) and id(frame) not in numbers and len(nodes) < MOST_FRAMES:
            numbers[id(frame)] = len(nodes)
            nodes.append(frame)
            begun.append(first)
            frame = frame[FIELDS + 2]

    def found(node: Node) -> int:
        if not _is_frame(node):
            return EMPTY_ENVIRONMENT
        return numbers.get(id(node), LEFT_OUT)

    if environment is not None:
        follow(environment)
    own = len(nodes)
    store = walk.store_at(number)
    for frame in nodes:  # which grows while it is gone through
        held = _held(frame, store)
        if held is not None and _is_frame(held):
            follow(held)
    show = walk.lane.machine.display.show

    def shown(value: Value) -> str:
        """A value; a location with what is there."""
        at = _at(value, store)
        return show(value) if at is None else f"{show(value)} ↦ {show(at)}"

    made: list[LinkedFrame] = []
    for at, frame in enumerate(nodes):
        name, value = frame[FIELDS], frame[FIELDS + 1]
        held = _held(frame, store)
        holds = None if held is None else found(held)
        around = found(frame[FIELDS + 2])
        if at < min(own, len(bindings)):
            one = bindings[at]
            note = "" if one.origin == "around" else one.origin
            made.append(LinkedFrame(one.name, one.value, note, one.shadowed, around, holds))
        else:
            shadowed = any(other[FIELDS] == name for other in nodes[begun[at] : at])
            made.append(LinkedFrame(name, shown(value), "", shadowed, around, holds))
    return made


def _is_frame(node: Node) -> bool:
    return node[0] in (FRAME, KNOT)


def _held(frame: Node, store: Node | None) -> Node | None:
    """The environment that the value in a frame has as a field of its own; of a location, what is
    there. A value in a knot mentions its own frame."""
    value = _at(frame[FIELDS + 1], store)
    value = frame[FIELDS + 1] if value is None else value
    for part in value[FIELDS:] if isinstance(value, tuple) else ():
        if part is ITSELF_NODE:
            return frame
        if isinstance(part, tuple) and part and part[0] in (FRAME, KNOT, EMPTY):
            return part
    return None


def _at(value: Value, store: Node | None) -> Value | None:
    """What a store has at a location; None for anything else."""
    location = isinstance(value, tuple) and value[0] == LOCATION
    if not location or store is None or store[0] != STORE:
        return None
    found: Value | None = store[FIELDS].get(value[FIELDS])
    return found
