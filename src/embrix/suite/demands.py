"""What the entries of a case demand: an outcome, output, state, costs, steps."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from typing import Any

from embrix.suite.cases import COSTS, FIRST_CALLS, Bound, Expectation, Relation, Steps
from embrix.suite.entries import Entries
from embrix.text.suggest import did_you_mean

OUTCOMES = (
    "value", "shows", "error", "rejected", "accepted", "diverges", "outcomes", "may", "confluent",
)  # fmt: skip
DEMANDS = (*OUTCOMES, "at", "says", "output", "state", "costs")
_STEP_KEYS = ("lines", "under", "deep", "only", "renaming")
_RELATIONS: tuple[Relation, ...] = ("at most", "at least", "exactly")


def expectation(
    entries: Entries, data: Mapping[str, Any], part: int, errors: Collection[str]
) -> Expectation | None:
    """The outcome that is demanded, if any is. Raises `Wrong`."""
    stated = [key for key in OUTCOMES if key in data]
    if not stated:
        for key in ("at", "says"):
            if key in data:
                raise entries.wrong(part, key, f"`{key}` belongs to an outcome; none is stated")
        return None
    if len(stated) > 1:
        raise entries.wrong(part, stated[1], f"`{stated[0]}` and `{stated[1]}` exclude each other")
    key, value = stated[0], data[stated[0]]
    at = place(entries, data, part)
    if "says" in data and key != "error":
        raise entries.wrong(part, "says", "only an `error` says something")
    if key in ("value", "shows"):
        if isinstance(value, bool):
            value = "true" if value else "false"
        if not isinstance(value, str | int):
            raise entries.wrong(part, key, "a value is a number or a text")
        return Expectation("value" if key == "value" else "shows", str(value), at)
    if key == "accepted":
        if value is not True:
            raise entries.wrong(
                part, key, "a program that is to be refused has another entry",
                'write accepted = true, or rejected = "grammar"',
            )  # fmt: skip
        return Expectation("accepted", "", at)
    if key in ("outcomes", "may", "confluent"):
        return _of_all_ways(entries, key, value, part, at)
    if key == "diverges":
        calls = FIRST_CALLS if value is True else value
        if isinstance(calls, bool) or not isinstance(calls, int) or calls < 1:
            raise entries.wrong(
                part, key, "a program that diverges has not ended after a number of calls",
                "write diverges = true, or diverges = 5000",
            )  # fmt: skip
        return Expectation("diverges", str(calls), at)
    if not isinstance(value, str):
        raise entries.wrong(part, key, f"`{key}` must be a text")
    if key == "error":
        if value not in errors:
            raise entries.wrong(
                part, key, f"no interpreter declares an error called {value}",
                did_you_mean(value, errors),
            )  # fmt: skip
        return Expectation("error", value, at, entries.text(data, "says", part))
    if value not in ("tokens", "grammar"):
        raise entries.wrong(part, key, "a program is rejected by its tokens or by its grammar",
                            'write "tokens" or "grammar"')  # fmt: skip
    return Expectation("rejected", value, at)


def _of_all_ways(
    entries: Entries, key: str, value: object, part: int, at: tuple[int, int] | None
) -> Expectation:
    """What is said of all ways in which a program can go on."""
    if at is not None:
        raise entries.wrong(part, "at", "several outcomes have no place in common")
    if key == "confluent":
        if value is not True:
            raise entries.wrong(
                part, key, "a program with several outcomes has another entry",
                'write confluent = true, or outcomes = ["…", "…"]',
            )  # fmt: skip
        return Expectation("confluent", "")
    items = value if isinstance(value, list) else [value]
    texts = [str(one) for one in items if isinstance(one, str | int) and not isinstance(one, bool)]
    if not texts or len(texts) < len(items) or any("\n" in one for one in texts):
        raise entries.wrong(
            part, key, f"`{key}` is a list of outcomes, each as it is printed",
            f'{key} = ["3", "error Unbound", "stuck", "endless"]',
        )  # fmt: skip
    return Expectation("outcomes" if key == "outcomes" else "may", "\n".join(texts))


def place(entries: Entries, data: Mapping[str, Any], part: int) -> tuple[int, int] | None:
    if "at" not in data:
        return None
    found = re.fullmatch(r"(\d{1,6}):(\d{1,6})", str(data["at"]))
    if not found:
        raise entries.wrong(part, "at", "a place is written as line and column", 'at = "1:9"')
    return int(found.group(1)), int(found.group(2))


def output(entries: Entries, data: Mapping[str, Any], part: int) -> str | None:
    """All that a program must write, if anything is said about that."""
    written = data.get("output")
    if isinstance(written, list):
        return "".join(f"{line}\n" for line in entries.texts(data, "output", part, "lines"))
    if written is not None and not isinstance(written, str):
        raise entries.wrong(part, "output", "`output` must be a text, or a list of lines")
    return written


def state(entries: Entries, data: Mapping[str, Any], part: int) -> tuple[str, ...] | None:
    """What must come beside the value, as shown."""
    if "state" not in data:
        return None
    if isinstance(data["state"], str):
        return (data["state"],)
    return entries.texts(data, "state", part, "texts")


def costs(entries: Entries, data: Mapping[str, Any], part: int) -> tuple[Bound, ...]:
    """What a run may cost."""
    bounds = []
    for name, value in entries.table(data, "costs", part).items():
        known = name.startswith("calls of ") or name in COSTS
        if not known:
            hint = did_you_mean(name, COSTS, "known are " + ", ".join(COSTS) + ", calls of NAME")
            raise entries.wrong(part, name, f"nothing called {name} is counted", hint)
        relation: Relation = "exactly"
        number = str(value)
        for one in _RELATIONS:
            if number.startswith(one + " "):
                relation, number = one, number[len(one) + 1 :]
        if isinstance(value, bool) or not re.fullmatch(r"[0-9][0-9_,]{0,29}", number.strip()):
            raise entries.wrong(
                part, name, "a cost is a number, perhaps with `at most` or `at least`",
                f'{name} = "at most 3"',
            )  # fmt: skip
        digits = int(re.sub(r"[_,\s]", "", number))
        bounds.append(Bound(COSTS.get(name, name), relation, digits))
    return tuple(bounds)


def steps(
    entries: Entries, data: Mapping[str, Any], part: int, lanes: Collection[str]
) -> dict[str, Steps]:
    """What must happen on the way, by lane."""
    found: dict[str, Steps] = {}
    for lane, entry in entries.table(data, "steps", part).items():
        entries.lane(lane, lanes, part, lane)
        table = entry if isinstance(entry, dict) else {"lines": entry}
        table = entries.unknown_keys(table, _STEP_KEYS, part)
        lines = table.get("lines")
        if not isinstance(lines, list) or not all(isinstance(line, str) for line in lines):
            raise entries.wrong(part, "steps", "steps are a list of texts, one a step")
        deep = table.get("deep")
        if deep is not None and (isinstance(deep, bool) or not isinstance(deep, int) or deep < 0):
            raise entries.wrong(part, "deep", "`deep` is a number of levels", "deep = 1")
        if not isinstance(table.get("renaming", False), bool):
            raise entries.wrong(part, "renaming", "`renaming` is true or false")
        found[lane] = Steps(
            tuple(lines), entries.text(table, "under", part), deep,
            entries.texts(table, "only", part, "functions"), table.get("renaming", False),
        )  # fmt: skip
    return found
