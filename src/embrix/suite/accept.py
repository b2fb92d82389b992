"""Accepting what came as what is expected: the entry in the file is replaced, everything else of
the file (comments, layout, order) stays as its author wrote it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import tomlkit
from msgspec import Struct
from tomlkit.exceptions import TOMLKitError

from embrix.machine.lane import Lane
from embrix.suite.all_ways import all_words
from embrix.suite.cases import Case
from embrix.suite.check import run_case, steps_of
from embrix.suite.expected_steps import ANY, OPEN
from embrix.text.line_difference import difference
from embrix.text.source import Source

_OUTCOMES = ("value", "shows", "error", "rejected", "accepted", "diverges", "at", "says")


class CannotAccept(Exception):
    """What came cannot become an expectation; the message says why."""


class Acceptance(Struct, frozen=True):
    """A new text of a suite file, and the difference to the old one as lines for people."""

    text: str
    changes: tuple[str, ...]


def accept(
    source: Source,
    case: Case,
    lane: Lane,
    lanes: Sequence[Lane],
    what: str = "outcome",
    typed: str | None = None,
) -> Acceptance:
    """The suite file with what one lane gave as the expectation of a case.

    `what` is what the verdict was about: an outcome, output, state, costs or steps. What the lane
    gives becomes the expectation of all where every other lane that the case speaks of gives the
    same, else its own. What was `typed` (a value, or `error NAME`) is put in its place for all, or
    for the lane where it has an expectation of its own. Raises `CannotAccept` and `BadBinding`.
    """
    try:
        document = tomlkit.parse(source.text)
    except (TOMLKitError, RecursionError, ValueError) as bad:
        raise CannotAccept(f"the file cannot be read: {bad}") from bad
    number, row = case.entry
    cases = document.get("case")
    if not isinstance(cases, list) or not 0 <= number < len(cases):
        raise CannotAccept("the case is not in this file")
    entry: Any = cases[number]
    if typed is not None:
        table = entry["table"][row] if row >= 0 else entry
        said = table.get("for", {})
        own = said.get(lane.name, said.get(_choice_of(said, lane.name)))
        _put(table if own is None else own, typed_entries(typed), "outcome")
    elif what == "steps":
        _accept_steps(entry, case, lane)
    elif what in ("tokens", "term"):
        raise CannotAccept(f"how a program is read ({what}) is not accepted; write it down")
    else:
        table = entry["table"][row] if row >= 0 else entry
        _accept_entries(table, case, lane, lanes, what, whole=row >= 0)
    text = tomlkit.dumps(document)
    return Acceptance(text, tuple(difference(source.text, text, around=2)))


def typed_entries(typed: str) -> dict[str, Any]:
    """An expectation that was typed, as entries: what `Case.typed` says is read back as it was."""
    for key, words in (("error", "error "), ("rejected", "rejected by the ")):
        if typed.startswith(words):
            what, _, place = typed.removeprefix(words).strip().partition(" at ")
            return {key: what, "at": place.strip()} if place else {key: what}
    return {"value": int(typed) if _whole(typed) else typed}


def found_entries(case: Case, lane: Lane, what: str) -> dict[str, Any]:
    """What a lane gives, as entries of a suite."""
    if what == "outcome" and lane.records and lane.several:
        return {
            "outcomes": all_words(lane.explore(case.program, case.given, given_input=case.input))
        }
    result = run_case(case, lane)
    outcome = result.outcome
    if what == "output":
        return {"output": "".join(result.output)}
    if what == "state":
        return {"state": list(result.state)}
    if what == "costs":
        found = {}
        for bound in case.costs_for(lane.name):
            found[bound.cost] = result.costs.get(bound.cost, 0)
        return {"costs": found}
    expected = case.expectation_for(lane.name)
    entries: dict[str, Any]
    if outcome.kind == "value":
        key = expected.kind if expected is not None and expected.kind == "shows" else "value"
        built = expected is not None and expected.kind == "value" and expected.text.endswith(")")
        text = outcome.structure if built else outcome.text
        entries = {key: int(text) if _whole(text) else text}
    elif outcome.kind == "failure":
        entries = {"error": outcome.name}
        if expected is not None and expected.says:
            entries["says"] = outcome.text
    elif outcome.kind == "rejected":
        entries = {"rejected": outcome.name}
    elif outcome.kind in ("cycle", "out of fuel"):
        entries = {"diverges": True}
    else:
        raise CannotAccept(f"the result is no outcome that can be expected: {outcome.sentence}")
    if expected is not None and expected.at is not None and outcome.place is not None:
        line, column = Source("", case.program).position(outcome.place[0])
        entries["at"] = f"{line}:{column}"
    return entries


def _whole(text: str) -> bool:
    return (
        text.isascii()
        and text.removeprefix("-").isdecimal()
        and len(text) < 15
        and str(int(text)) == text
    )


def _accept_entries(
    table: Any, case: Case, lane: Lane, lanes: Sequence[Lane], what: str, *, whole: bool
) -> None:
    entries = found_entries(case, lane, what)
    said = table.get("for", {})
    own = said.get(lane.name)
    if own is not None and any(key in own for key in _gone(what)):
        _put(own, entries, what)
        return
    # Others of which the same is said: by the same choice, or by the case itself.
    choice = _choice_of(said, lane.name)
    others = [
        other for other in lanes
        if other.name != lane.name and case.applies_to(other.name)
        and other.name not in said and _choice_of(said, other.name) == choice
    ]  # fmt: skip
    if whole or all(found_entries(case, other, what) == entries for other in others):
        _put(said[choice] if choice is not None else table, entries, what)
        return
    inner = tomlkit.inline_table()
    inner.update(entries)
    if "for" in table:
        table["for"][lane.name] = inner
        return
    dotted = tomlkit.key(["for", lane.name]) if _bare(lane.name) else None
    if dotted is not None:
        table.append(dotted, inner)
    else:
        made = tomlkit.inline_table()
        made[lane.name] = inner
        table["for"] = made


def _choice_of(said: Any, lane: str) -> str | None:
    """The entry that speaks of a lane by the way in which its choices are decided, if one does."""
    inside = lane.partition("[")[2].rstrip("]")
    wanted = sorted(pair.strip() for pair in inside.split(","))
    for key in map(str, said):
        pairs = sorted(pair.strip() for pair in key.split(","))
        if inside and "[" not in key and pairs == wanted:
            return key
    return None


def _bare(name: str) -> bool:
    return name.replace("_", "").replace("-", "").isalnum()


def _gone(what: str) -> tuple[str, ...]:
    return _OUTCOMES if what == "outcome" else (what,)


def _put(table: Any, entries: dict[str, Any], what: str) -> None:
    """Entries in the place of those that they replace; the first keeps its place and comment."""
    old = [key for key in _gone(what) if key in table]
    if what == "costs":
        for key, value in entries["costs"].items():
            short = next((k for k in table["costs"] if key.endswith(k)), key)
            table["costs"][short] = value
        return
    for key in old:
        if key not in entries and not (len(entries) == 1 and key == old[0]):
            table.remove(key)
    fresh = [key for key in entries if key not in table]
    if old and old[0] in table and old[0] not in entries and len(entries) == 1:
        ((key, value),) = entries.items()
        _rename(table, old[0], key, value)
        return
    for key, value in entries.items():
        if key not in fresh:
            table[key] = value
    for key in fresh:
        table[key] = entries[key]


def _rename(table: Any, old: str, new: str, value: Any) -> None:
    """An entry under another name in the same place; its comment stays."""
    container: Any = getattr(table, "value", None)
    if hasattr(container, "_replace"):
        container._replace(old, new, tomlkit.item(value))
        return
    table.remove(old)
    table[new] = value


def _accept_steps(entry: Any, case: Case, lane: Lane) -> None:
    """The steps that came; lines that are left open and still hold stay as they were written."""
    wanted = case.steps.get(lane.name)
    if wanted is None:
        raise CannotAccept(f"the case expects no steps of {lane.name}")
    if any(line.strip() == ANY for line in wanted.lines):
        raise CannotAccept(f"steps with {ANY} between them are not replaced; write them down")
    found = [line for _, line in steps_of(case, lane, wanted)]
    kept = [
        wanted.lines[number]
        if number < len(wanted.lines) and OPEN in wanted.lines[number] else line
        for number, line in enumerate(found)
    ]  # fmt: skip
    lines = tomlkit.array()
    lines.extend(kept)
    lines.multiline(len(kept) > 1)
    if isinstance(entry["steps"][lane.name], dict):
        entry["steps"][lane.name]["lines"] = lines
    else:
        entry["steps"][lane.name] = lines
