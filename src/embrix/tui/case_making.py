"""A case made of the program on the bench, what it states being chosen first; a stop of a lesson
made of the step of the walk."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec

from embrix.messages.replies_on_writing import TextChange
from embrix.messages.requests import AddFoundCase, AddStop
from embrix.text.refusal import refusal
from embrix.text.saving import save_text
from embrix.tui.desk import Desk
from embrix.tui.dialogs import Pick
from embrix.tui.workbench import Say, Workbench


def make_case(
    bench: Workbench, desk: Desk, suite: Path, lane: str, take: Callable[[TextChange], None]
) -> None:
    """Ask what a case is to state of the program, and what the suite would be with it."""
    rows = [
        ("outcome", "its value or failure, and its output", "outcome"),
        ("steps", f"the steps of {lane} as well", "steps"),
        ("tokens", "how it is cut into tokens", "tokens"),
        ("tree", "how it is read", "term"),
    ]

    def picked(what: str | None) -> None:
        if what is None:
            return
        fields = {
            "suite": str(suite), "program": bench.editor.text, "lanes": [lane],
            "origin": "the workbench", "what": what, "given": bench.walking.given,
            "input": bench.input,
        }  # fmt: skip
        desk.ask("case", msgspec.convert(fields, AddFoundCase), take)

    bench.app.push_screen(Pick("what the case states", rows, "There is no such choice."), picked)


def make_stop(
    bench: Workbench, desk: Desk, lesson: Path, take: Callable[[TextChange], None]
) -> None:
    """Ask what a lesson would be with the step of the walk as its last stop."""
    document = bench.document
    request = AddStop(
        language=bench.language, text=bench.editor.text, given=bench.walking.given,
        input=bench.input, lesson=str(lesson), lane=bench.lane, step=bench.walking.at,
        file=str(document.path) if document is not None and document.named else "",
        ways=bench.ways_on(bench.lane),
    )  # fmt: skip
    desk.ask("case", request, take)


def begun(lesson: Path, say: Say) -> bool:
    """Whether a lesson has a file: an empty one is made where there is none."""
    try:
        if not lesson.exists():
            save_text(lesson, "")
    except OSError as fault:
        say(f"{lesson.name} cannot be written: {refusal(fault)}", "brick")
        return False
    return True
