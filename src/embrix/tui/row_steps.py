"""What is known at the steps of a row of two walks: names, store, output, side by side."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Horizontal
from textual.message import Message

from embrix.messages.recipes import WalkRecipe
from embrix.messages.replies import Place, StepData
from embrix.messages.replies_on_comparing import AlignedRow, AlignedStop
from embrix.messages.requests import FetchSteps
from embrix.tui.desk import Desk
from embrix.tui.marked_program import add_program
from embrix.tui.step_details import StepDetails

BEFORE = 2
"""Lines of the program above the one with the part that is evaluated."""


class RowSteps(Horizontal):
    """The steps of one row, each as beside the walk."""

    DEFAULT_CSS = """
    RowSteps { height: 9; }
    RowSteps StepDetails { width: 1fr; height: 1fr; }
    RowSteps #right-step { margin-left: 1; }
    """

    def __init__(self, desk: Desk, program: str, comments: Sequence[Place] = ()) -> None:
        super().__init__(id="row-steps")
        self._desk = desk
        self._program = program
        self._comments = comments
        self.recipes: tuple[WalkRecipe, WalkRecipe] | None = None
        self.sides = (StepDetails(id="left-step"), StepDetails(id="right-step"))

    def compose(self) -> ComposeResult:
        yield from self.sides

    def show(self, row: AlignedRow | None) -> None:
        """Fetch what is known at the steps of a row; a lane without a step there shows nothing."""
        for number, side in enumerate(self.sides):
            topic = f"step_of_row_{number}"
            self._desk.drop(topic)
            stop: AlignedStop | None = None
            if row is not None:
                stop = (row.left, row.right)[number]
            if stop is None or self.recipes is None:
                side.empty_text = "no step here for this part of the program" if row else ""
                side.show(None, "judgements")
                continue
            request = FetchSteps(walk=self.recipes[number], first=stop.step, last=stop.step + 1)
            self._desk.ask(topic, request, partial(self._came, side))

    def _came(self, side: StepDetails, found: list[StepData]) -> None:
        if side.is_attached:
            reductions = bool(found) and found[0].kind == "term"
            side.show(found[0] if found else None, "reductions" if reductions else "judgements")
            self.post_message(self.Came())

    class Came(Message):
        """A step has come."""

    def program_at(self) -> Text:
        """The program from a little above the part that the steps evaluate, with that part
        marked."""
        text = Text(no_wrap=False, overflow="fold")
        steps = [side.step for side in self.sides if side.step is not None]
        place = next((one.place for one in steps if one.place is not None), None)
        if place is None:
            return text
        first = self._program.rfind("\n", 0, place[0])
        for _ in range(BEFORE):
            first = self._program.rfind("\n", 0, max(0, first))
        add_program(text, self.app, self._program, place, self._comments, first + 1)
        return text
