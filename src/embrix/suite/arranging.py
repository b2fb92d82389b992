"""Cases of a suite file that are duplicated, renamed or removed; everything else of the file stays
as its author wrote it."""

from __future__ import annotations

import tomllib
from collections.abc import Collection
from typing import Any, Literal, TypeAlias

import tomlkit
from tomlkit.exceptions import TOMLKitError

from embrix.suite.accept import Acceptance, CannotAccept
from embrix.suite.cases import Case, Suite
from embrix.text.line_difference import difference
from embrix.text.toml_places import heads, read_toml

Arrangement: TypeAlias = Literal["duplicate", "rename", "remove"]


def arrange(suite: Suite, case: Case, how: Arrangement, name: str = "") -> Acceptance:
    """The suite with a case duplicated right behind itself, renamed, or removed; a case of a table
    stands for the whole entry. `name` is the new one; a duplicate without it gets a free one.
    Raises `CannotAccept`."""
    old = suite.source.text
    number = case.entry[0]
    begin, end = _block(old, number)
    wanted = _plain(old)
    entry: dict[str, Any] = wanted["case"][number]
    names = {one["name"] for one in wanted["case"] if "name" in one}
    names |= {one.name for one in suite.questions}
    if how == "remove":
        wanted["case"].pop(number)
        new = old[:begin].rstrip("\n") + "\n\n" + old[end:].lstrip("\n")
        new = new.strip("\n") + "\n"
    else:
        name = name.strip() or free_name(str(entry.get("name", "a case")), names)
        if name in names - ({entry.get("name")} if how == "rename" else set()):
            raise CannotAccept(f"the suite has a case called {name} already")
        block = _renamed(old[begin:end], name)
        if how == "rename":
            entry["name"] = name
            new = old[:begin] + block + old[end:]
        else:
            wanted["case"].insert(number + 1, {**entry, "name": name})
            rest = old[end:].lstrip("\n")
            kept = old[:end].rstrip("\n") + "\n\n" + block.strip("\n") + "\n"
            new = kept + ("\n" + rest if rest else "")
    if _plain(new) != {key: value for key, value in wanted.items() if value != []}:
        raise CannotAccept("the entry cannot be taken out of this file; edit it as a text")
    return Acceptance(new, tuple(difference(old, new, around=2)))


def free_name(name: str, names: Collection[str]) -> str:
    """A name that is not taken, made from one that is."""
    plain, count = name, 1
    while name in names:
        name, count = f"{plain} (again{f' {count}' * (count > 1)})", count + 1
    return name


def _block(text: str, number: int) -> tuple[int, int]:
    """Where an entry `[[case]]` begins, and where the next one does, or the comment above that."""
    entries = heads(text, ("case", "question"))
    cases = [place for place, (_, kind) in enumerate(entries) if kind == "case"]
    if number >= len(cases):
        raise CannotAccept("the case is not written as [[case]]; edit it as a text")
    at = cases[number]
    begin = text.rfind("\n", 0, entries[at][0]) + 1
    if at + 1 == len(entries):
        return begin, len(text)
    end = text.rfind("\n", 0, entries[at + 1][0]) + 1
    while True:
        line = text.rfind("\n", 0, max(0, end - 1)) + 1
        if line <= begin or not text[line:end].lstrip().startswith("#"):
            return begin, end
        end = line


def _renamed(block: str, name: str) -> str:
    """An entry with another name; comments and layout stay."""
    try:
        document = tomlkit.parse(block)
        entry: Any = document["case"]
        entry[0]["name"] = name
    except (TOMLKitError, RecursionError, ValueError, KeyError, IndexError) as bad:
        raise CannotAccept("the entry cannot be read alone; edit it as a text") from bad
    return tomlkit.dumps(document)


def _plain(text: str) -> dict[str, Any]:
    try:
        return read_toml(text)
    except tomllib.TOMLDecodeError as bad:
        raise CannotAccept(f"the file cannot be read: {bad}") from bad
