"""The walk: a gauge of the whole run, the steps around the present one, and that one in full."""

from __future__ import annotations

import textwrap
from collections.abc import Collection, Sequence
from itertools import pairwise
from typing import ClassVar

from rich.console import RenderableType
from rich.text import Text
from textual import events
from textual.binding import Binding, BindingType
from textual.message import Message
from textual.strip import Strip
from textual.widget import Widget
from textual.widgets import Static

from embrix.messages.replies import StepData, Substituted
from embrix.text.fitting import DEEPEST, fitted, indented
from embrix.text.plural import counted
from embrix.text.visible import cut, times, visible
from embrix.tui.commands import of_place
from embrix.tui.rows import Piece, Rows, pieces_to_strip
from embrix.tui.side_views import OUTCOME_SIGNS
from embrix.tui.theme import ink

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
        marks = sorted({begin, len(text), *(n for n in (*marked, *renewed) if n > begin)})
        pieces: list[Piece] = [("… ", ink(app, "faint"))] if begin else []
        for first, last in pairwise(marks):
            if marked[0] <= first and last <= marked[1]:
                style = ink(app, "brass", bold=True, underline=True)
            elif renewed[0] <= first and last <= renewed[1]:
                style = ink(app, "moss", italic=True)
            else:
                style = ink(app, "ink", bold=focus is not None and focus[0] <= first < focus[1])
            pieces.append((text[first:last], style))
        return pieces


LONG_REDEX, SHORT_REDEX = 60, 24
"""Characters of a redex that is marked as a whole, and of one that is the whole term."""
ORIGINS = {"around": ("═", ""), "fresh": ("╪", "fresh"), "captured": ("◍", "captured")}
"""Where the frame of a name comes from: its sign, and a word where there is something to tell."""

ROLES = {"suspended": ("◌", "brass", "waits"), "forcing": ("◔", "water", "being forced"),
         "settled": ("●", "moss", "done")}  # fmt: skip
"""What a suspension is up to: its sign, its colour, a word."""

MOST_NAMES = 12
"""Names that are shown at once."""
MOST_LINES = 12
"""Lines of a clause that are shown."""
SHORT = 60
"""Characters of a step that its row shows whole."""
MOST_HELD = 10
"""Locations of the store that are shown at once."""


def names_of_row(step: StepData) -> set[str]:
    """The names that the row of a step shows: those that its expression uses, and new ones."""
    texts = [text for kind, text in step.row if kind == "names"]
    items = [item.split(" ") for text in texts for item in text.split(", ")]
    return {name for name, *more in items if more[:1] in (["="], ["╪"])}


class StepDetails(Static):
    """One step in full: its expression, the names in scope, the clause that applied."""

    DEFAULT_CSS = "StepDetails { background: $lock-bank; padding: 0 1; }"

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__("", id=id, markup=False)
        self.step: StepData | None = None
        self.style_of_walk = "judgements"

    def show(self, step: StepData | None, style: str) -> None:
        if (step, style) != (self.step, self.style_of_walk):
            self.step, self.style_of_walk = step, style
            self.refresh(layout=True)

    def render(self) -> RenderableType:
        text = Text(no_wrap=False, overflow="fold")
        step = self.step
        if step is None:
            return text
        app = self.app
        room = max(20, self.size.width - 2)
        text.append("names here\n", ink(app, "faint", italic=True))
        self._names(text, step, room)
        self._store(text, step, room)
        for put in step.put:
            self._substitution(text, put, room)
        written = step.written
        if written:
            text.append("\nwritten so far\n", ink(app, "faint", italic=True))
            lines = [line for line in written.split("\n") if line][-4:]
            for line in lines:
                text.append(f"  ▤ {cut(visible(line), room - 4)}\n", ink(app, "ink"))
        clause = step.clause
        if clause is not None:
            place = f"{clause.file}:{clause.line}"
            text.append("\nclause ", ink(app, "faint", italic=True))
            text.append(f"{place}\n", ink(app, "water"))
            lines = visible(clause.text, keep="\n").split("\n")
            for line in lines[:MOST_LINES]:
                inner = " " * (len(line) - len(line.lstrip()) + 4)
                for part in textwrap.wrap(line, room - 2, subsequent_indent=inner):
                    text.append(f"  {part}\n", ink(app, "ink"))
            if len(lines) > MOST_LINES:
                more = counted(len(lines) - MOST_LINES, "more line")
                text.append(f"  … {more}\n", ink(app, "faint"))
        for refused in step.refused[:3]:
            text.append("  not ", ink(app, "brass", bold=True))
            line = f"{refused.line}  {visible(' '.join(refused.text.split()))}"
            text.append(f"{cut(line, room - 6)}\n", ink(app, "faint"))
        if len(step.text) > SHORT or step.text != step.brief:
            text.append("\nstep in full\n", ink(app, "faint", italic=True))
            full = visible(step.text)
            shown = textwrap.wrap(full, room - 2, max_lines=6, placeholder=" …")
            text.append("".join(f"  {line}\n" for line in shown), ink(app, "ink"))
        if step.note == "tail call":
            text.append("  ↳ takes the place of its caller (a tail call)\n", ink(app, "faint"))
        stack = step.stack
        if stack:
            text.append("\ninside\n", ink(app, "faint", italic=True))
            for judgement in stack[:6]:
                text.append(f"  {cut(visible(judgement), room - 2)}\n", ink(app, "faint"))
            if len(stack) > 6:
                text.append(f"  and {len(stack) - 6} more\n", ink(app, "faint"))
        return text

    def _substitution(self, text: Text, put: Substituted, room: int) -> None:
        """What is put where, what stops it, what is renamed."""
        app = self.app
        text.append("\nput in place of ", ink(app, "faint", italic=True))
        text.append(put.name, ink(app, "moss", bold=True))
        text.append(" ← ", ink(app, "deep"))
        text.append(f"{cut(visible(put.value), room - 24)}\n", ink(app, "ink", bold=True))
        places = len(put.places)
        message = f"in {counted(places, 'place')}" if places else "nowhere: the name does not occur"
        text.append(f"  {message}\n", ink(app, "ink"))
        for form, _ in put.stopped:
            text.append(f"  stopped by {form}, which binds {put.name} itself\n",
                        ink(app, "brass"))  # fmt: skip
        for old, new in put.renamed:
            text.append(f"  {old} is called {new} from here on\n", ink(app, "heather"))

    def _store(self, text: Text, step: StepData, room: int) -> None:
        """What the store holds, the newest first; what waits and what is settled is marked."""
        app = self.app
        held = step.store
        if not held:
            return
        text.append("\nstore\n", ink(app, "faint", italic=True))
        changed = set(step.changed)
        for one in reversed(held[-MOST_HELD:]):
            location = one.location
            sign, colour, word = ROLES.get(one.role, ("=", "ink", ""))
            message = f"{word}, used again {times(one.reused)}" if one.reused else word
            line = cut(visible(one.value), max(8, room - 11 - len(message)))
            text.append(f"  {location:<5}", ink(app, "heather", bold=True))
            text.append(f"{sign} ", ink(app, colour, bold=True))
            text.append(line, ink(app, colour, bold=location in changed))
            text.append(f"  {message}" if message else "", ink(app, "faint", italic=True))
            text.append("  changed\n" if location in changed else "\n", ink(app, "brass"))
        more = step.store_size - min(len(held), MOST_HELD)
        if more > 0:
            text.append(f"  and {more} older\n", ink(app, "faint"))

    def _names(self, text: Text, step: StepData, room: int) -> None:
        app = self.app
        if not step.bindings:
            none = {
                "reductions": "  none: this lane puts values into the term",
                "judgements": "  none",
            }[self.style_of_walk]
            text.append(none + "\n", ink(app, "faint"))
            return
        label = min(16, max(len(one.name) for one in step.bindings))
        used = names_of_row(step)
        shown = step.bindings
        if len(shown) > MOST_NAMES:  # then those that are used come first
            shown = sorted(shown, key=lambda one: one.shadowed or one.name not in used)
        for one in shown[:MOST_NAMES]:
            name = one.name
            line = cut(f"{visible(one.value)}", room - label - 15)
            sign, message = ORIGINS.get(one.origin, ORIGINS["around"])
            if one.shadowed:
                text.append("  ")
                text.append(name, ink(app, "faint", strike=True))
                text.append(" " * (label - len(name) + 1) + "╌ ", ink(app, "faint"))
                text.append(f"{line}  shadowed {message}\n", ink(app, "faint", italic=True))
            else:
                strong = name in used
                text.append(f"  {name:<{label}} ", ink(app, "moss", bold=strong))
                text.append(
                    f"{sign} ", ink(app, "brass" if message else "deep", bold=bool(message))
                )
                text.append(line, ink(app, "ink", bold=strong))
                text.append(f"  {message}\n" if message else "\n", ink(app, "faint", italic=True))
        more = len(step.bindings) - MOST_NAMES
        if more > 0:
            text.append(f"  and {more} more\n", ink(app, "faint"))
