"""A program as a text with one part of it marked."""

from __future__ import annotations

from rich.text import Text
from textual.app import App

from embrix.messages.replies import Place
from embrix.text.visible import visible
from embrix.tui.theme import ink


def add_program(text: Text, app: App[object], program: str, place: Place, begin: int = 0) -> None:
    """Append a program from an offset on, with the part at a place in bold and underlined."""
    parts = (program[begin : place[0]], program[place[0] : place[1]], program[place[1] :].rstrip())
    for number, part in enumerate(parts):
        marked = number == 1
        style = ink(app, "brass" if marked else "ink", bold=marked, underline=marked)
        text.append(visible(part, keep="\n"), style)
