"""A case made of the program on the bench: what it states is chosen first."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec

from embrix.messages.replies_on_writing import TextChange
from embrix.messages.requests import AddFoundCase
from embrix.tui.desk import Desk
from embrix.tui.dialogs import Pick
from embrix.tui.workbench import Workbench


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

    bench.app.push_screen(Pick("what the case states", rows, "No case states that."), picked)
