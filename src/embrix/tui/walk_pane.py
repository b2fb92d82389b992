"""The walk: a gauge of the whole run, the steps around the present one, and that one in full."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from itertools import pairwise
from typing import ClassVar

from textual import events
from textual.binding import Binding, BindingType
from textual.message import Message
from textual.strip import Strip
from textual.widget import Widget

from embrix.messages.replies import StepData
from embrix.text.fitting import DEEPEST, fitted, indented
from embrix.text.visible import visible
from embrix.tui.commands import of_place
from embrix.tui.rows import Piece, Rows, pieces_to_strip
from embrix.tui.side_views import OUTCOME_SIGNS
from embrix.tui.theme import ink, mark_ink

_LEVELS = "▁▂▃▄▅▆▇█"


class Gauge(Widget):
    """The height of the run over time, like the water along a reach; a gate marks the step."""

    DEFAULT_CSS = "Gauge { height: 2; background: $lock-bank; }"

    class Jump(Message):
        """Somebody points at a step."""

        def __init__(self, share: float) -> None:
            super().__init__()
            self.share = share

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.levels: list[int] = []
        self.length = 0
        self.at = 0

    def show(self, levels: list[int], length: int, at: int) -> None:
        if (levels, length, at) != (self.levels, self.length, self.at):
            self.levels, self.length, self.at = levels, length, at
            self.refresh()

    def column(self) -> int:
        """The cell in which the gate stands."""
        if self.length < 2:
            return 0
        return round(self.at * (self.size.width - 1) / (self.length - 1))

    def render_line(self, y: int) -> Strip:
        width = self.size.width
        base = self.rich_style
        if not self.levels or self.length == 0:
            return Strip.blank(width, base)
        top = max(1, *self.levels)
        gate = self.column()
        pieces: list[Piece] = []
        for column in range(width):
            picked = self.levels[column * len(self.levels) // max(1, width)]
            rows = max(1, self.size.height)
            filled = round((picked + 1) * (8 * rows - 1) / (top + 1))
            eighths = min(8, max(0, filled - 8 * (rows - 1 - y)))
            sign = _LEVELS[eighths - 1] if eighths else " "
            if column == gate:
                pieces.append(("┃", ink(self.app, "brass", bold=True)))
            else:
                pieces.append((sign, ink(self.app, "water" if column < gate else "deep")))
        return pieces_to_strip(pieces, width, base)

    def on_mouse_down(self, event: events.MouseDown) -> None:
        self.capture_mouse()
        self._point(event.x)

    def on_mouse_move(self, event: events.MouseMove) -> None:
        if event.button:
            self._point(event.x)

    def on_mouse_up(self) -> None:
        self.release_mouse()

    def _point(self, x: int) -> None:
        width = max(2, self.size.width)
        self.post_message(self.Jump(max(0.0, min(1.0, x / (width - 1)))))


NO_WALK = "The steps of the run appear here.\nF4 chooses the lane, F7 and F8 step."


class StepRows(Rows):
    """The steps of the run as lines; those not fetched yet are asked for."""

    BINDINGS: ClassVar[list[BindingType]] = [
        Binding(command.key, f"screen.{command.action}", show=False) for command in of_place("walk")
    ]

    class Wanted(Message):
        """Steps around a number are to be shown and have not been fetched."""

        def __init__(self, number: int) -> None:
            super().__init__()
            self.number = number

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.length = 0
        self.style_of_walk = "judgements"
        self.known_steps: dict[int, StepData] = {}
        self.marks: set[int] = set()
        self.empty_text = NO_WALK

    def count(self) -> int:
        return self.length

    def begin(
        self, length: int, style: str, at: int, known: Sequence[StepData] = (),
        marks: Collection[int] = (),
    ) -> None:  # fmt: skip
        """Another run, of which some steps are known, and some marked."""
        before = (self.length, self.style_of_walk, self.cursor, self.marks)
        same = before == (length, style, at, set(marks)) and bool(known)
        same = same and all(self.known_steps.get(one.number) == one for one in known)
        self.length, self.style_of_walk = length, style
        self.known_steps = {one.number: one for one in known}
        self.marks = set(marks)
        if not same:
            self.renew(cursor=at)

    def add(self, known: Sequence[StepData]) -> None:
        """Steps that have been fetched."""
        self.known_steps.update({one.number: one for one in known})
        self.refresh()

    def row(self, number: int) -> Sequence[Piece]:
        app = self.app
        marked = number in self.marks
        here = number == self.cursor
        lead: Piece = (
            f"{'▶' if here else ' '}{number:>5,}{'◗' if marked else ' '}",
            ink(app, "brass" if marked or here else "faint", bold=marked or here),
        )
        step = self.known_steps.get(number)
        if step is None:
            self.post_message(self.Wanted(number))
            return [lead, ("…", ink(app, "faint"))]
        kind = step.kind
        if kind == "end":
            sign, colour = OUTCOME_SIGNS.get(step.note, ("◆", "moss"))
            return [lead, (f"{sign} {step.text}", ink(app, colour, bold=True))]
        if kind == "term":
            final = step.note == "final"
            return [
                lead,
                ("◆ " if final else "→ ", ink(app, "moss" if final else "deep", bold=True)),
                *self._focused(step, self.scrollable_content_region.width - len(lead[0]) - 2),
            ]
        entering = kind == "enter"
        sign = "↳ " if step.note == "tail call" else "┌ " if entering else "└ "
        inset = indented(step.depth)
        room = self.scrollable_content_region.width - len(lead[0] + inset + sign)
        return [
            lead,
            (inset, ink(app, "faint" if step.depth > DEEPEST else "wall")),
            (sign, ink(app, "water" if entering else "moss", bold=True)),
            *self._pieces(step, room, entering, number == self.cursor),
        ]

    def _pieces(self, step: StepData, room: int, entering: bool, here: bool) -> list[Piece]:
        """A judgement in a row: first its expression and result, then what is around."""
        app = self.app
        row = step.row or [("term", step.brief)]
        styles = {
            "term": ink(app, "ink", bold=here),
            "result": ink(app, "faint" if entering else "moss", bold=not entering),
            "sign": ink(app, "faint", bold=here),
        }
        around = ink(app, "faint", bold=here)
        return [
            (visible(text), styles.get(kind, around))
            for kind, text in fitted([(kind, visible(text)) for kind, text in row], room)
        ]

    def _focused(self, step: StepData, room: int) -> list[Piece]:
        """A term with its redex marked, begun where that can be seen. Of a long redex only the
        first word is: a mark under everything would mark nothing."""
        app = self.app
        text, focus = step.text, step.focus
        begin = 0
        if focus is not None and min(focus[1], focus[0] + LONG_REDEX) > room > LONG_REDEX:
            begin = focus[0] - room // 3
        renewed = step.renewed or (0, 0)
        marked = focus or (0, 0)
        most = SHORT_REDEX if focus == (0, len(text)) else LONG_REDEX
        if focus is not None and focus[1] - focus[0] > most:
            word = text[slice(*focus)].lstrip("(").partition(" ")[0]
            start = text.index(word, focus[0])
            marked = (start, start + len(word))
        inside = [(kind, first, last) for kind, first, last in step.marks if first >= begin]
        ends = (*marked, *renewed, *(n for _, *span in inside for n in span))
        marks = sorted({begin, len(text), *(n for n in ends if n > begin)})
        pieces: list[Piece] = [("… ", ink(app, "faint"))] if begin else []
        for first, last in pairwise(marks):
            kind = next((one for one, a, b in inside if a <= first and last <= b), "")
            if kind:
                style = mark_ink(app, kind)
            elif marked[0] <= first and last <= marked[1]:
                style = ink(app, "brass", bold=True, underline=True)
            elif renewed[0] <= first and last <= renewed[1]:
                style = ink(app, "moss", italic=True)
            else:
                style = ink(app, "ink", bold=focus is not None and focus[0] <= first < focus[1])
            pieces.append((text[first:last], style))
        return pieces


LONG_REDEX, SHORT_REDEX = 60, 24
"""Characters of a redex that is marked as a whole, and of one that is the whole term."""
