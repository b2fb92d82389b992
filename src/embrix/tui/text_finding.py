"""Finding and replacing in the text with the focus, or in all files of the course."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar, TypeAlias

from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import Input, Static

from embrix.messages.replies_on_writing import NamePlace, TextHits
from embrix.messages.requests import FindText
from embrix.text.plural import counted
from embrix.tui.bars import Title
from embrix.tui.desk import Desk
from embrix.tui.dialogs import Dialog
from embrix.tui.line_input import LineInput
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink

Answer: TypeAlias = NamePlace | TextHits
"""A place to go to, or what is replaced."""


class LookFor(Dialog[Answer]):
    """What to look for, what to put in its place, and where it stands. Answers with a place to go
    to, or with what files would be."""

    DEFAULT_CSS = """
    LookFor { align: center middle; }
    LookFor > Vertical { width: 100; max-width: 96%; height: 70%; background: $lock-bank; }
    LookFor Input { margin: 0 1; }
    LookFor Static { padding: 0 2; color: $lock-ink; height: auto; }
    LookFor Rows { background: $lock-bank; height: 1fr; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "dismiss(None)", show=False),
        Binding("down", "move(1)", show=False, priority=True),
        Binding("up", "move(-1)", show=False, priority=True),
        Binding("tab,shift+tab", "other_line", show=False, priority=True),
        Binding("f2", "whole", show=False, priority=True),
        Binding("f3", "pattern", show=False, priority=True),
    ]

    def __init__(self, desk: Desk, file: str, texts: dict[str, str], first: str) -> None:
        super().__init__()
        self._desk = desk
        self._file, self._texts, self._first = file, texts, first
        self._pattern = False
        self._whole = False
        self._hits = TextHits()

    def compose(self) -> ComposeResult:
        with Vertical():
            title = Title("find")
            title.lit = True
            yield title
            yield LineInput(self._first, placeholder="text to search for; Enter goes to the place",
                            id="what")  # fmt: skip
            yield LineInput(placeholder="text to replace it with; Enter here replaces all",
                            id="by")  # fmt: skip
            yield Static("", id="found", markup=False)
            yield _Hits()

    def on_mount(self) -> None:
        self._look()

    @property
    def _what(self) -> str:
        return self.query_one("#what", Input).value

    def _ask(self, by: str | None) -> FindText:
        texts = self._texts if self._whole else {self._file: self._texts[self._file]}
        return FindText(what=self._what, pattern=self._pattern, by=by, texts=texts,
                        course=self._whole)  # fmt: skip

    def _look(self) -> None:
        where = "in all files of the course" if self._whole else f"in {self._file}"
        kind = "a pattern" if self._pattern else "a text"
        title = self.query_one(Title)
        files, written = ("this file" if self._whole else "all files",
                          "text" if self._pattern else "pattern")  # fmt: skip
        title.show(f"{kind} {where}", f"F2 {files}  F3 {written}  Tab other line  Esc closes")
        self._desk.drop("find")
        if self._what:
            self._desk.ask("find", self._ask(None), self._found)
        else:
            self._found(TextHits())

    def _found(self, hits: TextHits) -> None:
        self._hits = hits
        self._say()
        self.query_one(_Hits).show(hits.places, named=self._whole)

    def _say(self) -> None:
        """How many places there are, and what Enter does on the line with the focus."""
        hits = self._hits
        text = hits.refused
        if not text and self._what:
            text = counted(hits.count, "place")
            if hits.count > len(hits.places):
                text += f", the first {len(hits.places)} of which are listed"
            if hits.count and self.query_one("#by", Input).has_focus:
                text += "; Enter replaces " + ("it" if hits.count == 1 else "all of them")
            elif hits.count:
                text += "; Enter goes there"
        self.query_one("#found", Static).update(text)

    def on_input_changed(self, event: Input.Changed) -> None:
        if event.input.id == "what":
            self._look()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        if event.input.id == "by":
            if self._what:
                self._desk.ask("replace", self._ask(event.value), self._replaced)
            return
        rows = self.query_one(_Hits)
        if rows.count():
            self.dismiss(self._hits.places[rows.cursor])

    def _replaced(self, hits: TextHits) -> None:
        if hits.refused:
            self.query_one("#found", Static).update(hits.refused)
        elif hits.files:
            self.dismiss(hits)

    def action_move(self, by: int) -> None:
        self.query_one(_Hits).action_move(by)

    def action_other_line(self) -> None:
        """To the other line at once: what is typed next belongs there."""
        other = "#by" if self.query_one("#what", Input).has_focus else "#what"
        self.set_focus(self.query_one(other, Input))
        self._say()

    def action_whole(self) -> None:
        """This file, or all files of the course."""
        self._whole = not self._whole
        self._look()

    def action_pattern(self) -> None:
        """A plain text, or a pattern."""
        self._pattern = not self._pattern
        self._look()


class _Hits(Rows):
    """The places, a line each."""

    can_focus = False

    def __init__(self) -> None:
        super().__init__()
        self._places: Sequence[NamePlace] = ()
        self._named = False
        self.lit = True

    def show(self, places: Sequence[NamePlace], *, named: bool) -> None:
        self._places, self._named = places, named
        self.renew(cursor=0)

    def count(self) -> int:
        return len(self._places)

    def row(self, number: int) -> Sequence[Piece]:
        place = self._places[number]
        where = f"{place.file}:{place.line}" if self._named else str(place.line)
        at = place.column - 1
        return [
            (f" {where:>{28 if self._named else 5}}  ", ink(self.app, "water")),
            (place.text[:at].lstrip(), ink(self.app, "ink")),
            (place.text[at:], ink(self.app, "ink", bold=True)),
        ]
