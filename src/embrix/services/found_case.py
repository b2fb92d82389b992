"""A program with what it gives as a case of a suite."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Literal, TypeAlias

from embrix.grammar.parser import Parsed
from embrix.lanes.names import NoLane
from embrix.lanes.session import Session
from embrix.machine.lane import BadBinding, Lane
from embrix.messages.replies_on_writing import TextChange
from embrix.suite.accept import CannotAccept, found_entries
from embrix.suite.adopt import adopt
from embrix.suite.cases import Case, Steps
from embrix.suite.check import steps_of, token_texts
from embrix.text.diagnostic import Findings
from embrix.text.visible import cut

Stated: TypeAlias = Literal["outcome", "steps", "tokens", "term"]
"""What a case states of its program."""
MOST_STEPS = 200
"""Steps of a case that is made."""


def as_case(
    session: Session, suite: Path, program: str, lanes: Sequence[str], origin: str,
    what: Stated = "outcome", given: Mapping[str, str] | None = None, lines: Sequence[str] = (),
) -> TextChange:  # fmt: skip
    """What a suite would be with a program, the names and lines that it is `given`, as a case: each
    lane expected to give what it gives now, the first to take the steps it takes, or the program to
    be cut or read as it is; or why not."""
    held = session.suite(suite, Findings())
    if held is None:
        return TextChange("the suite cannot be read")
    try:
        if what in ("tokens", "term"):
            answer = _reading(session, held.language, program, what)
        else:
            named = [session.runner(held.language, name) for name in lanes if name]
            # What an interpreter outside or another version gives is what the case is to find
            # wrong.
            first = [lane for lane in named if lane.records and lane.name == lane.role]
            own = [lane for lane in session.lanes(held.language) if lane.name not in lanes]
            if not (first or own):
                raise CannotAccept("no interpreter says what the program gives; its tokens and its "
                                   "tree can be stated")  # fmt: skip
            case = Case("", program, None, given=dict(given or {}), input=tuple(lines))
            answer = answer_for(case, [*first, *own], len(first))
            if what == "steps":
                answer["steps"] = _steps(case, (*first, *own)[0])
        if len(lanes) > 1:
            answer["why"] = f"{' and '.join(lanes)} differ"
            answer["name"] = f"found by hunting: {answer['name']}"
        made = adopt(held, json.dumps(answer), origin)
    except (CannotAccept, BadBinding, NoLane) as wrong:
        return TextChange(str(wrong))
    if made.text == held.source.text:
        return TextChange("the suite has a case with this program already")
    return TextChange("", held.source.text, made.text, list(made.changes))


def _reading(session: Session, language: str, program: str, what: Stated) -> dict[str, Any]:
    """The entries of a case that states how a program is cut or read. Raises `CannotAccept`."""
    lane = session.reading_lane(language)
    grammar = session.course.languages[language].grammar
    if lane is None or grammar is None:
        raise CannotAccept("the language has no grammar that can be used")
    name = f"{'tokens' if what == 'tokens' else 'the tree'} of {_name(program)}"
    if what == "tokens":
        if grammar.tokens.cut(program).invalid:
            raise CannotAccept("no token begins with a part of the program")
        return {"name": name, "program": program, "tokens": list(token_texts(lane, program))}
    parsed = lane.parser.parse(program)
    if not isinstance(parsed, Parsed):
        raise CannotAccept("the program is refused, so it has no tree")
    term = lane.machine.display.structure(parsed.term)
    return {"name": name, "program": program, "term": term}


def _steps(case: Case, lane: Lane) -> dict[str, list[str]]:
    found = [line for _, line in steps_of(case, lane, Steps(()))]
    if len(found) > MOST_STEPS:
        raise CannotAccept(f"these are more than {MOST_STEPS} steps")
    if not found:
        raise CannotAccept(f"{lane.name} has no steps: it has no judgement line")
    return {lane.name: found}


def _name(program: str) -> str:
    return cut(" ".join(program.split()), 50)


def answer_for(case: Case, lanes: Sequence[Lane], compared: int) -> dict[str, Any]:
    """The entries of a case: what the first lane gives, and what others give instead. Where the
    first `compared` lanes end alike, their output or what they hold at the end is stated too.
    Raises `CannotAccept`."""
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
    supplied: dict[str, Any] = {"given": case.given} if case.given else {}
    if case.input:
        supplied["input"] = list(case.input)
    answer = {"name": _name(case.program), "program": case.program, **supplied, **plain}
    return {**answer, "for": instead} if instead else answer
