"""The program text: our own highlighting from the language's tokens, and the active part marked."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import ClassVar

from rich.style import Style
from rich.text import Text
from textual import events
from textual.binding import Binding, BindingType
from textual.cache import LRUCache
from textual.strip import Strip
from textual.widgets import TextArea
from textual.widgets.text_area import Edit, EditResult, Selection

from embrix.messages.replies import Look, Place, Substituted
from embrix.text.hidden import hide, picture, restore
from embrix.text.line_edits import commented, doubled, moved
from embrix.text.source import Source
from embrix.tui.long_text import LongTextArea
from embrix.tui.theme import ink, mark_ink, token_ink
from embrix.tui.token_colours import TokenColours

KEEPING = 0.7
"""Seconds after a key until unsaved text is kept, whether or not more is typed."""
LOST = {"f6", "f7", "ctrl+d", "ctrl+k", "ctrl+u", "ctrl+shift+k", "ctrl+f", "ctrl+a",
        "ctrl+w"}  # fmt: skip
"""Keys of the widget that are not taken over."""


MOST_DRAWN = 1_000
"""Lines that are kept as they were drawn."""


class ProgramEditor(LongTextArea, inherit_bindings=False):
    """An editor that is told what its text means; it never works that out itself.

    Colours are kept by the text of a line, so that a line keeps them while the answer about a newer
    text is still on its way.
    """

    DEFAULT_CSS = """
    ProgramEditor { border: none; padding: 0; background: $lock-ground; color: $lock-ink;
        scrollbar-size-vertical: 1; }
    ProgramEditor:focus { border: none; }
    ProgramEditor .text-area--gutter { color: $lock-faint; }
    ProgramEditor .text-area--cursor-gutter { color: $lock-brass; background: $lock-ground; }
    ProgramEditor .text-area--selection { background: $lock-deep; }
    """

    # Only what does nothing else anywhere: keys that open a view in one place must not delete text
    # in another.
    BINDINGS: ClassVar[list[BindingType]] = [
        *(
            binding
            for binding in TextArea.BINDINGS
            if isinstance(binding, Binding) and not LOST.intersection(binding.key.split(","))
        ),
        Binding("delete", "delete_right", show=False),
        Binding("home", "cursor_line_start", show=False),
        Binding("ctrl+a", "select_all", show=False),
        Binding("ctrl+backspace,alt+backspace", "delete_word_left", show=False),
        # Ctrl+Y is a view of the workbench; many terminals send no Ctrl+Shift+Z.
        Binding("ctrl+shift+z,alt+z", "redo", show=False),
        Binding("alt+up", "move_lines(-1)", show=False),
        Binding("alt+down", "move_lines(1)", show=False),
        Binding("alt+l", "double_lines", show=False),
        Binding("alt+c", "comment_lines", show=False),
        Binding("alt+m", "to_bracket", show=False),
        Binding("ctrl+home", "edge(False)", show=False),
        Binding("ctrl+end", "edge(True)", show=False),
    ]

    at_once: Callable[[], None] | None = None
    """Called with each change before anything is drawn: the message about it comes later."""
    _edited = _restored = ""
    """The text as it is edited, and as it is on disk."""

    @property
    def text(self) -> str:
        """The text as it is on disk, characters that cannot be edited included."""
        edited = super().text
        if edited is not self._edited:
            self._edited, self._restored = edited, restore(edited)
        return self._restored

    @text.setter
    def text(self, value: str) -> None:
        self.load_text(value)

    def load_text(self, text: str) -> None:
        """Edit another text."""
        super().load_text(hide(text))

    def edit(self, edit: Edit) -> EditResult:
        edit.text = hide(edit.text.replace("\r\n", "\n"))
        result = super().edit(edit)
        if self.at_once is not None:
            self.at_once()
        return result

    def replace_all(self, text: str) -> None:
        """Put another text in place of all there is; that can be undone."""
        place = self.cursor_location
        self.replace(text, (0, 0), self.document.end)
        self.move_cursor(place)

    @property
    def characters_before(self) -> int:
        """The place of the cursor, counted in characters of the text."""
        row, column = self.cursor_location
        return sum(len(line) + 1 for line in self.document.lines[:row]) + column

    def place_of(self, offset: int) -> tuple[int, int]:
        """The row and column of a place that is counted in characters."""
        before = restore(super().text)[:offset]
        return before.count("\n"), len(before) - before.rfind("\n") - 1

    @property
    def _rows(self) -> tuple[int, int]:
        """The first and the last line that are selected, or that of the cursor."""
        (first, _), (last, column) = sorted(self.selection)
        return first, last - (last > first and column == 0)

    def _put_lines(self, lines: list[str], first: int, last: int) -> None:
        """Other lines in place of all there are, those from `first` to `last` selected; one step
        for undo."""
        if lines == self.document.lines:
            return
        column = self.cursor_location[1]
        self.replace("\n".join(lines), (0, 0), self.document.end, maintain_selection_offset=False)
        if first == last:
            self.move_cursor((first, min(column, len(lines[first]))))
        else:
            self.selection = Selection((first, 0), (last, len(lines[last])))

    def action_move_lines(self, by: int) -> None:
        """The selected lines one place further up or down."""
        first, last = self._rows
        lines = moved(self.document.lines, first, last, by)
        if lines != self.document.lines:
            self._put_lines(lines, first + by, last + by)

    def action_double_lines(self) -> None:
        """The selected lines once more."""
        first, last = self._rows
        many = last - first + 1
        self._put_lines(doubled(self.document.lines, first, last), first + many, last + many)

    def action_comment_lines(self) -> None:
        """The selected lines out of the text as a comment, or in again."""
        first, last = self._rows
        self._put_lines(commented(self.document.lines, first, last), first, last)

    def action_to_bracket(self) -> None:
        """To the bracket that belongs to the one under the cursor."""
        row, column = self.cursor_location
        line = self.document.get_line(row)
        for at in (column, column - 1):
            if 0 <= at < len(line):
                found = self.find_matching_bracket(line[at], (row, at))
                if found is not None:
                    self.move_cursor(found)
                    return

    def action_undo(self) -> None:
        """Take the last change back; one of several files as a whole."""
        if not self.undone_elsewhere():
            super().action_undo()

    def action_edge(self, last: bool) -> None:
        """To the first or the last place of the text."""
        self.move_cursor(self.document.end if last else (0, 0))

    async def _on_key(self, event: events.Key) -> None:
        """Enter begins a new line that is indented like the one it follows, or deeper; Esc drops
        the selection and stays in the text (the library would move the focus)."""
        if event.key == "escape" and not self.read_only:
            event.stop()
            event.prevent_default()
            self.move_cursor(self.cursor_location)
            return
        if event.key != "enter" or self.read_only:
            await super()._on_key(event)
            return
        event.stop()
        event.prevent_default()
        row, column = min(self.selection)
        before = self.document.get_line(row)[:column]
        indent = before[: len(before) - len(before.lstrip(" "))]
        more = " " * self.indent_width if self.opens_block(before) else ""
        self._replace_via_keyboard("\n" + indent + more, *self.selection)

    def opens_block(self, line: str) -> bool:
        """Whether what follows a line belongs to it."""
        return False

    def __init__(self, text: str = "", *, id: str | None = None, read_only: bool = False) -> None:
        super().__init__(
            text, id=id, show_line_numbers=True, soft_wrap=False, highlight_cursor_line=False,
            tab_behavior="indent", read_only=read_only,
        )  # fmt: skip
        self.undone_elsewhere: Callable[[], bool] = lambda: False
        """Takes back a change that this text is only a part of; whether there was one."""
        self.indent_type = "spaces"
        self.indent_width = 2
        self._colours = TokenColours()
        self._faults: dict[int, list[tuple[int, int]]] = {}
        self._marks: dict[int, list[tuple[int, int]]] = {}
        self._replaced: dict[int, list[tuple[int, int, str]]] = {}
        self._drawn: LRUCache[tuple[object, ...], Strip] = LRUCache(MOST_DRAWN)

    @property
    def faults(self) -> list[tuple[int, tuple[int, int]]]:
        """The slices that are marked as wrong: the number of the line, from zero, and columns."""
        return [(line, one) for line, found in self._faults.items() for one in found]

    @property
    def comments(self) -> list[Place]:
        """Where the text has comments, as far as it has been explained."""
        return self._colours.comments(self.text)

    def explain(self, text: str, look: Look) -> None:
        """What a text means: kinds of its tokens, and what is refused in it."""
        colours = TokenColours(text, look.tokens, look.skipped)
        faults: dict[int, list[tuple[int, int]]] = {}
        refused = look.refused
        spans_of_faults = list(look.invalid)
        if refused and refused.place is not None:
            spans_of_faults.append(refused.place)
            spans_of_faults += [(one.start, one.end) for one in refused.mistakes[1:]]
        if text == self.text:
            source = Source("", text)
            for start, end in spans_of_faults:
                for line, left, right in _lines(source, start, max(end, start + 1)):
                    faults.setdefault(line, []).append((left, right))
        with self._changing():
            self._colours, self._faults = colours, faults

    def mark(self, text: str, place: Place | None, put: Sequence[Substituted] = ()) -> None:
        """Mark the active part of the program, and where substitutions put something or are
        stopped, if the text is still the one that was run."""
        marks: dict[int, list[tuple[int, int]]] = {}
        replaced: dict[int, list[tuple[int, int, str]]] = {}
        if place is not None and text == self.text:
            for line, left, right in _lines(Source("", text), place[0], place[1]):
                marks.setdefault(line, []).append((left, right))
        if put and text == self.text:
            source = Source("", text)
            touched = [(one, "put") for one_put in put for one in one_put.places]
            touched += [(one, "stopped") for one_put in put for _, one in one_put.stopped]
            for span, kind in touched:
                if span is not None and 0 <= span[0] <= span[1] <= len(text):
                    for line, left, right in _lines(source, span[0], span[1]):
                        replaced.setdefault(line, []).append((left, right, kind))
        if (marks, replaced) != (self._marks, self._replaced):
            with self._changing():
                self._marks, self._replaced = marks, replaced
            if marks:
                self._reveal(min(marks))

    # ---------------------------------------------------------------- drawing only what changed

    @contextmanager
    def _changing(self) -> Iterator[None]:
        """What stands beside or on the text changes: the lines in view that look otherwise
        afterwards are drawn anew, and no others."""
        top = self.scroll_offset.y
        rows = range(top, min(top + self.size.height, self.document.line_count))
        before = [self.decorations(row) for row in rows]
        yield
        changed = [row for row, had in zip(rows, before, strict=True)
                   if self.decorations(row) != had]  # fmt: skip
        if changed:
            self.notify_style_update()
        for row in changed:
            self.refresh_lines(row)

    def decorations(self, row: int) -> tuple[object, ...]:
        """Everything but the text itself that says how a line looks."""
        return (
            self._colours.of(restore(self.document.get_line(row))),
            tuple(self._marks.get(row, ())), tuple(self._replaced.get(row, ())),
            tuple(self._faults.get(row, ())),
        )  # fmt: skip

    def render_line(self, y: int) -> Strip:
        """A line that has been drawn before is not drawn again, whatever was typed elsewhere."""
        key = self._look_of(y + self.scroll_offset.y)
        if key is None:
            return super().render_line(y)
        drawn = self._drawn.get(key)
        if drawn is None:
            drawn = self._drawn[key] = super().render_line(y)
        return drawn

    def _look_of(self, row: int) -> tuple[object, ...] | None:
        """All that a line looks like rests on; None for lines with the cursor or a selection."""
        (first, _), (last, _) = sorted(self.selection)
        bracket = self.matching_bracket_location
        if not 0 <= row < self.document.line_count or first <= row <= last:
            return None
        if bracket is not None and bracket[0] == row:
            return None
        return (
            row, self.document.get_line(row), self.size, self.virtual_size.width,
            self.scroll_offset.x, self.gutter_width, self.app.theme, self.has_focus,
            *self.decorations(row),
        )  # fmt: skip

    @property
    def marked_lines(self) -> list[int]:
        return sorted(self._marks)

    def _reveal(self, line: int) -> None:
        """Bring a marked line into view when nobody is typing here."""
        top = self.scroll_offset.y
        if not self.has_focus and not top <= line < top + max(1, self.size.height):
            self.scroll_to(y=max(0, line - self.size.height // 2), animate=False)

    def get_line(self, line_index: int) -> Text:
        line = super().get_line(line_index)
        plain = restore(line.plain)
        if plain != line.plain:
            line.plain = picture(line.plain)
        for left, right, kind in self._colours.of(plain):
            line.stylize(token_ink(self.app, kind), left, right)
        for left, right in self._marks.get(line_index, ()):
            line.stylize(Style(bgcolor=ink(self.app, "ink", "highlight").bgcolor), left, right)
        for left, right, kind in self._replaced.get(line_index, ()):
            line.stylize(mark_ink(self.app, kind), left, right)
        for left, right in self._faults.get(line_index, ()):
            line.stylize(ink(self.app, "brick", underline=True, bold=True), left, right)
        return line


def _lines(source: Source, start: int, end: int) -> list[tuple[int, int, int]]:
    """A span as pieces of lines: number from zero, first and last column."""
    first, column = source.position(start)
    last, end_column = source.position(end)
    if first == last:
        return [(first - 1, column - 1, end_column - 1)]
    pieces = [(first - 1, column - 1, len(source.line(first)))]
    pieces += [(line - 1, 0, len(source.line(line))) for line in range(first + 1, last)]
    pieces.append((last - 1, 0, end_column - 1))
    return [piece for piece in pieces if piece[2] > piece[1] or piece[0] == first - 1]
