"""The current step in full, beside the walk: names, store, substitutions, clause, output, stack."""

from __future__ import annotations

import re
import textwrap
from collections.abc import Sequence
from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import VerticalScroll
from textual.widgets import Static

from embrix.draw.frame_rows import CellRole, FrameRow, frame_rows
from embrix.draw.store_rows import store_rows
from embrix.messages.replies import LinkedFrame, StepData, Substituted
from embrix.text.plural import counted
from embrix.text.visible import cut, times, visible
from embrix.tui.commands import of_place
from embrix.tui.theme import ink

ORIGINS = {"around": ("═", ""), "fresh": ("╪", "fresh"), "captured": ("◍", "captured")}
"""Where the frame of a name comes from: its sign, and a word where there is something to tell."""

ROLES = {"suspended": ("◌", "brass", "waits"), "forcing": ("◔", "water", "being forced"),
         "settled": ("●", "moss", "done")}  # fmt: skip
"""What a suspension is up to: its sign, its colour, a word."""

INKS: dict[CellRole, str] = {
    "box": "deep", "name": "moss", "value": "ink", "note": "faint", "shadowed": "faint",
    "link": "heather",
}  # fmt: skip
"""The colours of a picture."""

MOST_LINES = 40
"""Lines of a clause, and of a step in full, that are shown."""
SHORT = 60
"""Characters of a step that its row shows whole."""


def names_of_row(step: StepData) -> set[str]:
    """The names that the row of a step shows: those that its expression uses, and new ones."""
    texts = [text for kind, text in step.row if kind == "names"]
    items = [item.split(" ") for text in texts for item in text.split(", ")]
    return {name for name, *more in items if more[:1] in (["="], ["╪"])}


class StepDetails(VerticalScroll, inherit_bindings=False):
    """One step in full: its expression, the names in scope, the clause that applied. It scrolls,
    and what is looked for is marked in it, at this step and at every other one."""

    DEFAULT_CSS = """
    StepDetails { background: $lock-bank; padding: 0 1 0 0; scrollbar-size-vertical: 1;
        border-left: blank; }
    StepDetails:focus { border-left: wide $lock-brass; }
    StepDetails > Static { height: auto; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("up", "move(-1)", show=False),
        Binding("down", "move(1)", show=False),
        Binding("pageup", "move_pages(-1)", show=False),
        Binding("pagedown", "move_pages(1)", show=False),
        Binding("home", "move_pages(-1000)", show=False),
        Binding("end", "move_pages(1000)", show=False),
        *(
            Binding(command.key, f"screen.{command.action}", show=False)
            for command in of_place("step-details")
        ),
    ]

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.step: StepData | None = None
        self.style_of_walk = "judgements"
        self.empty_text = ""
        """What stands here while there is no step."""
        self.pictured = False
        """Whether names and store are drawn, and not listed."""
        self._frames: Sequence[LinkedFrame] = ()
        self.word = ""
        """What is looked for here; nothing where it is empty."""
        self._found = -1
        """The line that was found last."""
        self._page = Static("", markup=False)

    def compose(self) -> ComposeResult:
        yield self._page

    def show(self, step: StepData | None, style: str, frames: Sequence[LinkedFrame] = ()) -> None:
        """Show a step; where names and store are drawn, with its frames."""
        if (step, style, frames) != (self.step, self.style_of_walk, self._frames):
            self.step, self.style_of_walk, self._frames = step, style, frames
            self._draw()

    def picture(self, *, drawn: bool) -> None:
        """Draw names and store, or list them."""
        self.pictured = drawn
        self._draw()

    def on_resize(self) -> None:
        self._draw()

    def action_move(self, lines: int) -> None:
        self.scroll_to(y=self.scroll_target_y + lines, animate=False)

    def action_move_pages(self, pages: int) -> None:
        self.action_move(pages * max(1, self.scrollable_content_region.height - 1))

    def find(self, word: str) -> bool:
        """Mark a word, in capitals or not, and go to the first line with it; whether one has it."""
        self.word, self._found = word, -1
        self._draw()
        return self.find_next()

    def find_next(self) -> bool:
        """Go to the next line with the word that is looked for, behind the last one to the first;
        whether there is one."""
        lines = self.described().plain.casefold().split("\n")
        hits = [number for number, line in enumerate(lines)
                if self.word and self.word.casefold() in line]  # fmt: skip
        if not hits:
            return False
        self._found = next((one for one in hits if one > self._found), hits[0])
        self.scroll_to(y=max(0, self._found - 1), animate=False)
        return True

    def _draw(self) -> None:
        text = self.described()
        if self.word:
            style = ink(self.app, "brass", "highlight", bold=True)
            text.highlight_regex(re.compile(re.escape(self.word), re.IGNORECASE), style)
        self._page.update(text)

    def described(self) -> Text:
        """All that there is to say about the step."""
        text = Text(no_wrap=False, overflow="fold")
        step = self.step
        if step is None:
            text.append(self.empty_text, ink(self.app, "faint", italic=True))
            return text
        app = self.app
        room = max(20, self.scrollable_content_region.width)
        if self.pictured and self._frames:
            held = any(one.holds is not None for one in self._frames)
            title = "frames here, the innermost first" + (
                ", ● what a closure holds" if held else ""
            )
            self._picture(text, title, frame_rows(self._frames, room))
        else:
            text.append("names here\n", ink(app, "faint", italic=True))
            self._names(text, step, room)
        if self.pictured and step.store:
            self._picture(text, "store", store_rows(step.store, step.changed, room))
        else:
            self._store(text, step, room)
        for put in step.put:
            self._substitution(text, put, room)
        written = step.written
        if written:
            text.append("\nwritten so far\n", ink(app, "faint", italic=True))
            for line in filter(None, written.split("\n")):
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
        for refused in step.refused:
            text.append("  not ", ink(app, "brass", bold=True))
            line = f"{refused.line}  {visible(' '.join(refused.text.split()))}"
            text.append(f"{cut(line, room - 6)}\n", ink(app, "faint"))
        if len(step.text) > SHORT or step.text != step.brief:
            text.append("\nstep in full\n", ink(app, "faint", italic=True))
            full = visible(step.text)
            shown = textwrap.wrap(full, room - 2, max_lines=MOST_LINES, placeholder=" …")
            text.append("".join(f"  {line}\n" for line in shown), ink(app, "ink"))
        if step.note == "tail call":
            text.append("  ↳ takes the place of its caller (a tail call)\n", ink(app, "faint"))
        stack = step.stack
        if stack:
            text.append("\ninside\n", ink(app, "faint", italic=True))
            for judgement in stack:
                text.append(f"  {cut(visible(judgement), room - 2)}\n", ink(app, "faint"))
        return text

    def _picture(self, text: Text, title: str, rows: Sequence[FrameRow]) -> None:
        text.append(f"{title}\n", ink(self.app, "faint", italic=True))
        for row in rows:
            for part, role in row:
                style = ink(self.app, INKS[role], bold=role == "name", italic=role == "note",
                            strike=role == "shadowed")  # fmt: skip
                text.append(part, style)
            text.append("\n")

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
        for one in reversed(held):
            location = one.location
            sign, colour, word = ROLES.get(one.role, ("=", "ink", ""))
            message = f"{word}, used again {times(one.reused)}" if one.reused else word
            line = cut(visible(one.value), max(8, room - 11 - len(message)))
            text.append(f"  {location:<5}", ink(app, "heather", bold=True))
            text.append(f"{sign} ", ink(app, colour, bold=True))
            text.append(line, ink(app, colour, bold=location in changed))
            text.append(f"  {message}" if message else "", ink(app, "faint", italic=True))
            text.append("  changed\n" if location in changed else "\n", ink(app, "brass"))
        more = step.store_size - len(held)
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
        # Those that are used come first.
        for one in sorted(step.bindings, key=lambda one: one.shadowed or one.name not in used):
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
