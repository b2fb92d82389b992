"""The prompt inside the workbench: entries and what came of them, one below the other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import ClassVar

from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.widgets import Input

from embrix.messages.replies import PromptAnswer
from embrix.messages.requests import PromptLine
from embrix.tui.bars import Title
from embrix.tui.commands import OPENING
from embrix.tui.desk import Desk
from embrix.tui.dialogs import Dialog
from embrix.tui.line_input import LineInput
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink


class Transcript(Rows):
    """Everything that was entered and answered."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[tuple[str, bool]] = []
        self.empty_text = (
            "An entry is a program; it may go on over several lines, an empty one ends it.\n"
            "? lists what can be asked: tokens, tree, term, steps, another lane, a rule."
        )

    def add(self, text: str, *, typed: bool = False) -> None:
        self.lines += [(line, typed) for line in text.split("\n")]
        self.renew(cursor=len(self.lines) - 1)

    def count(self) -> int:
        return len(self.lines)

    def row(self, number: int) -> Sequence[Piece]:
        text, typed = self.lines[number]
        if typed:
            return [(f" {text}", ink(self.app, "brass", bold=True))]
        failed = text.split(" ", 1)[0].endswith(":")
        return [(f"   {text}", ink(self.app, "brick" if failed else "ink"))]


class Prompting(Dialog[str]):
    """Asks the worker line by line; whatever an entry does, the next line can be typed."""

    DEFAULT_CSS = """
    Prompting { align: center bottom; }
    Prompting > Vertical { width: 100%; height: 55%; background: $lock-bank; }
    Prompting Rows { height: 1fr; background: $lock-bank; }
    Prompting #sign { height: 1; background: $lock-wall; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "dismiss(None)", show=False),
        Binding("ctrl+c", "give_up", show=False, priority=True),
        Binding("up", "earlier(-1)", show=False, priority=True),
        Binding("down", "earlier(1)", show=False, priority=True),
        Binding("pageup", "scroll(-8)", show=False, priority=True),
        Binding("pagedown", "scroll(8)", show=False, priority=True),
        *(Binding(key, f"open_view('{action}')", show=False, priority=True)
          for key, action, _, _ in OPENING),
    ]  # fmt: skip

    def __init__(
        self, desk: Desk, language: str, transcript: list[tuple[str, bool]],
        open_view: Callable[[str], None],
    ) -> None:  # fmt: skip
        """`open_view` opens another view over the prompt, by the action of the bench."""
        super().__init__()
        self.action_open_view = open_view
        self._desk = desk
        self._language = language
        self._kept = transcript
        self._typed: list[str] = []
        self._at = 0

    def compose(self) -> ComposeResult:
        with Vertical():
            title = Title("prompt")
            title.lit = True
            title.show(self._language, "Enter takes a line, ? asks, Ctrl+C gives up, Esc closes")
            yield title
            yield Transcript()
            yield Title("", id="sign")
            yield LineInput(id="line", placeholder="a program, or ?")

    def on_mount(self) -> None:
        rows = self.query_one(Transcript)
        rows.lines = self._kept
        rows.renew(cursor=len(rows.lines) - 1)
        self._sign(f"{self._language} ▸ ")
        self.query_one("#line", Input).focus()

    def _sign(self, sign: str) -> None:
        title = self.query_one("#sign", Title)
        title.label = sign
        title.show("")

    def on_input_submitted(self, event: Input.Submitted) -> None:
        line = event.value
        sign = self.query_one("#sign", Title).label
        self.query_one(Transcript).add(f"{sign}{line}", typed=True)
        if line:
            self._typed.append(line)
        self._at = len(self._typed)
        event.input.value = ""
        self._ask(line)

    def _ask(self, line: str | None) -> None:
        request = PromptLine(language=self._language, line=line)
        self._desk.ask("prompt", request, self._answered)

    def _answered(self, answer: PromptAnswer) -> None:
        if not self.query(Transcript):
            return  # it is closing
        for line in answer.lines:
            self.query_one(Transcript).add(line)
        self._sign(answer.sign)
        if answer.done:
            self.dismiss()

    def action_give_up(self) -> None:
        """Stop the run that is going on, or give up the entry that is being written."""
        self._desk.drop("prompt")
        self.query_one("#line", Input).value = ""
        self._ask(None)

    def action_earlier(self, by: int) -> None:
        """What was typed before."""
        self._at = max(0, min(len(self._typed), self._at + by))
        text = self._typed[self._at] if self._at < len(self._typed) else ""
        line = self.query_one("#line", Input)
        line.value = text
        line.cursor_position = len(text)

    def action_scroll(self, by: int) -> None:
        self.query_one(Transcript).action_move(by)
