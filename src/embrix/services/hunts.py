"""Hunts for the workbench, and programs that became cases of a suite."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding, Lane
from embrix.messages.replies import HuntState, TextChange
from embrix.suite.accept import CannotAccept, found_entries
from embrix.suite.adopt import adopt
from embrix.suite.cases import Case
from embrix.text.diagnostic import Findings
from embrix.text.visible import cut


def hunted(
    session: Session, language: str, lanes: Sequence[str], most: int, seed: int, *, costs: bool,
    endless: bool, progress: Callable[[HuntState], None],
) -> HuntState:  # fmt: skip
    """What came of a hunt between two lanes, or why there was none."""
    from embrix.compare.search import Hunt, NoPrograms, hunt  # it takes a while to begin

    def state_of(done: Hunt) -> HuntState:
        return HuntState(
            lanes=[done.first, done.second], seed=done.seed, tried=done.tried,
            sentence=done.sentence, distribution=done.distribution, asked=done.asked,
            occurring=done.occurring, program=done.program, nodes=done.nodes,
            ends=list(done.ends),
        )  # fmt: skip

    try:
        one, other = (session.runner(language, name) for name in lanes)
        done = hunt(one, other, most=most, seed=seed, costs=costs, endless=endless,
                    progress=lambda so_far: progress(state_of(so_far)))  # fmt: skip
    except (NoPrograms, NoLane) as wrong:
        return HuntState(str(wrong))
    return state_of(done)


def as_case(
    session: Session, suite: Path, program: str, lanes: Sequence[str], origin: str
) -> TextChange:
    """What a suite would be with a program as a case, each lane expected to give what it gives
    now: the old text, the new one, the lines of the difference; or why not."""
    held = session.suite(suite, Findings())
    if held is None:
        return TextChange("the suite cannot be read")
    try:
        named = [session.runner(held.language, name) for name in lanes]
        # What an interpreter outside or another version gives is what the case is to find wrong.
        first = [lane for lane in named if lane.records and lane.name == lane.role]
        own = [lane for lane in session.lanes(held.language) if lane.name not in lanes]
        answer = answer_for(program, [*first, *own], len(first))
        if len(lanes) > 1:
            answer["why"] = f"{' and '.join(lanes)} differ"
            answer["name"] = f"found by hunting: {answer['name']}"
        made = adopt(held, json.dumps(answer), origin)
    except (CannotAccept, BadBinding, NoLane) as wrong:
        return TextChange(str(wrong))
    if made.text == held.source.text:
        return TextChange("the suite has a case with this program already")
    return TextChange("", held.source.text, made.text, list(made.changes))


def answer_for(program: str, lanes: Sequence[Lane], compared: int) -> dict[str, Any]:
    """The entries of a case: what the first lane gives, and what others give instead. Where the
    first `compared` lanes end alike, their output or what they hold at the end is stated too.
    Raises `CannotAccept`."""
    case = Case("", program, None)
    found = {lane.name: found_entries(case, lane, "outcome") for lane in lanes[:compared]}
    for lane in lanes[compared:]:
        # A lane that is not finished is yet to give what the others do.
        with contextlib.suppress(CannotAccept):
            found[lane.name] = found_entries(case, lane, "outcome")
    for what in ("output", "state") if compared > 1 else ():
        few = lanes[:compared]
        if all(found[lane.name] == found[few[0].name] for lane in few):
            for lane in few:
                found[lane.name].update(found_entries(case, lane, what))
    plain = dict(found[lanes[0].name])
    instead = {name: own for name, own in found.items() if own != plain}
    if "state" in plain or "output" in plain:
        # What is said of these lanes is not said of all others.
        for what in ("output", "state"):
            plain.pop(what, None)
        instead = {name: own for name, own in found.items() if own != plain}
    if compared == 1:
        written = [found_entries(case, lane, "output") for lane in lanes if lane.name in found]
        if written[0].get("output") and all(one == written[0] for one in written):
            plain |= written[0]
    name = cut(" ".join(program.split()), 50)
    answer = {"name": name, "program": program, **plain}
    return {**answer, "for": instead} if instead else answer
