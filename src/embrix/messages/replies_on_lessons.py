"""Replies about lessons."""

from __future__ import annotations

from embrix.messages.reply import Reply

GIVES_AWAY: dict[str, tuple[str, ...]] = {
    "next": ("names", "store"), "names": ("store",), "store": (), "result": (),
}  # fmt: skip
"""Each part of a stop with those whose cover lies over it as well: it would tell what is there."""


class HeldHere(Reply):
    """What a location or name of a store holds, and whether it has just changed."""

    location: str
    value: str
    changed: bool


class StopShown(Reply):
    """A stop as it is given. `place` and `focus` are the active parts of the program and of the
    step, as offsets (none where they are the same); without a step `step` is -1. `picture` is
    what is shown in place of the step, as text. `covered` names what is not shown before the room
    has answered."""

    name: str
    program: str
    file: str
    lane: str
    lanes: list[tuple[str, str]]
    place: tuple[int, int]
    step: int
    length: int
    text: str
    focus: tuple[int, int]
    names: list[tuple[str, str]]
    store: list[HeldHere]
    clause: str
    picture: str
    notes: str
    question: str
    covered: list[str]
    given: dict[str, str]
    input: list[str]
    ways: list[int]
    comments: list[tuple[int, int]] = []
    """Where the program has comments."""


class LessonShown(Reply):
    """A lesson with all of its stops, or why it cannot be given."""

    title: str = ""
    language: str = ""
    about: str = ""
    stops: list[StopShown] = []
    wrong: list[str] = []
