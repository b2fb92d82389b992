"""Answers about texts that are written: changes, names, the outline."""

from __future__ import annotations

from typing import TypeAlias

from embrix.messages.reply import Packed, Reply

Place: TypeAlias = tuple[int, int]
TokenSlice: TypeAlias = tuple[int, int, str]
"""Where a token begins and ends, and its kind."""


class TextChange(Reply):
    """What a file would be: the old text, the new one, the lines of the difference; or why not."""

    refused: str = ""
    old: str = ""
    text: str = ""
    changes: list[str] = []


class NamePlace(Reply):
    """Where a name stands; lines and columns count from one. `text` is the line."""

    file: str
    line: int
    column: int
    text: str


class NameHere(Reply):
    """What a name means: the kind of thing, its declaration as it is written, where that is and
    everywhere it is meant. Nothing of that where no name of the course stands."""

    kind: str = ""
    name: str = ""
    about: str = ""
    declared: NamePlace | None = None
    places: list[NamePlace] = []


class FileChange(Reply):
    """What a file of the course would be."""

    file: str
    old: str
    text: str


class Renaming(Reply):
    """What files would be if something were called otherwise, with the lines of the difference; or
    why not."""

    refused: str = ""
    kind: str = ""
    name: str = ""
    places: int = 0
    files: list[FileChange] = []
    changes: list[str] = []


class TextHits(Reply):
    """Places where a text stands, how many in all, and what files would be with another in its
    place; or why it cannot be looked for."""

    refused: str = ""
    count: int = 0
    places: list[NamePlace] = []
    files: list[FileChange] = []


class Proposal(Reply):
    """Something that can be written at a place: `insert` in place of the letters that are there."""

    kind: str
    name: str
    insert: str
    about: str = ""


class OutlineCell(Packed):
    """A clause for a form in a function: its state, where it stands (lines count from one), and
    whether cases come to it: `unmet`, `failing` (only failing ones) or nothing to say."""

    state: str
    file: str = ""
    line: int = 0
    met: str = ""


class OutlineRow(Packed):
    form: str
    owner: str
    cells: list[OutlineCell]


class OutlineGrid(Reply):
    """Forms and functions of an interpreter; or why there is none."""

    refused: str = ""
    functions: list[str] = []
    rows: list[OutlineRow] = []
    counted: bool = False
    """Whether the cases of the suites have been run for it."""
