"""A program as a text with one part of it marked."""

from __future__ import annotations

from collections.abc import Sequence

from rich.text import Text
from textual.app import App

from embrix.messages.replies import Place
from embrix.text.comments import told_apart
from embrix.text.visible import visible
from embrix.tui.theme import ink


def add_program(
    text: Text, app: App[object], program: str, place: Place, comments: Sequence[Place] = (),
    begin: int = 0,
) -> None:  # fmt: skip
    """Append a program from an offset on, with the part at a place in bold and underlined, and
    comments told from the rest: where a line is broken nobody takes what is left of one for a part
    of the program."""
    end = max(place[1], len(program.rstrip()))
    for first, last, marked, in_comment in told_apart(begin, end, place, comments):
        colour = "brass" if marked else "faint" if in_comment else "ink"
        style = ink(app, colour, bold=marked, underline=marked, italic=in_comment)
        text.append(visible(program[first:last], keep="\n"), style)
