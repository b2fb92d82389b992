"""What lies over the bench for a moment: help, the list of programs, a question."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widgets import Input, Static

from embrix.tui.bars import Title
from embrix.tui.commands import everywhere, of_place
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink

PLACES = {
    "program": "Here you write a program. Everything else follows as you type: what every lane "
    "makes of it, its tree, and the walk through the chosen lane.",
    "lanes": "Every interpreter of the language runs the program. Up and down choose the lane "
    "that is walked; ≠ marks a lane that ends otherwise than the first.",
    "tree": "The syntax tree of the program; the active part is marked while you walk.",
    "tokens": "What the text was cut into: place, kind, slice.",
    "grammar": "What kind of grammar the language has and why; conflicts by example, and an "
    "ambiguous sentence with its trees if one was found. Ctrl+R reads the text at a rule.",
    "cases": "Every case of the suite with one sign a lane: ◆ as expected, ✗ not. Under a failed "
    "case stands what was expected ⟂ what came.",
    "notes": "What there is to say about the definitions and suites of the course.",
    "walk": "The run of the chosen lane, step by step. The gauge above shows its height over "
    "time; a click on it jumps there.",
}


class Help(ModalScreen[str | None]):
    """Every command with its key, those of the pane with the focus first. Typing narrows the list,
    Enter carries out the chosen command; one that cannot be carried out now says why."""

    DEFAULT_CSS = """
    Help { align: center middle; }
    Help > Vertical { width: 92; max-width: 96%; height: 80%; background: $lock-bank; }
    Help Input { margin: 0 1; }
    Help Static { padding: 0 1; color: $lock-ink; height: auto; }
    Help Rows { background: $lock-bank; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape,f1,ctrl+p", "dismiss(None)", show=False),
        Binding("down", "move(1)", show=False, priority=True),
        Binding("up", "move(-1)", show=False, priority=True),
    ]

    def __init__(self, place: str, unavailable: dict[str, str]) -> None:
        super().__init__()
        self._place = place
        self._unavailable = unavailable

    def compose(self) -> ComposeResult:
        with Vertical():
            title = Title("help", id="help-title")
            title.show(self._place, "type to search, Enter does it, Esc closes")
            title.lit = True
            yield title
            yield Static(PLACES.get(self._place, ""), markup=False)
            yield Input(placeholder="part of what you want to do", id="help-search")
            yield _Commands(self._place, self._unavailable)

    def on_input_changed(self, event: Input.Changed) -> None:
        self.query_one(_Commands).narrow(event.value)

    def on_input_submitted(self) -> None:
        action = self.query_one(_Commands).chosen
        if action is not None:
            self.dismiss(action)

    def action_move(self, by: int) -> None:
        self.query_one(_Commands).action_move(by)


class _Commands(Rows):
    def __init__(self, place: str, unavailable: dict[str, str]) -> None:
        super().__init__()
        self._place = place
        self._unavailable = unavailable
        self._all = [*of_place(place), *everywhere()]
        self._shown = self._all
        self.lit = True
        self.empty_text = "No command has this in its name or text."

    @property
    def chosen(self) -> str | None:
        """The action of the command under the cursor, if it can be carried out now."""
        if not self._shown:
            return None
        action = self._shown[self.cursor].action
        return None if action in self._unavailable else action

    def narrow(self, word: str) -> None:
        wanted = word.lower()
        self._shown = [
            command
            for command in self._all
            if wanted in f"{command.label} {command.short} {command.text}".lower()
        ]
        self.renew(cursor=0)

    def on_mount(self) -> None:
        self.renew()

    def count(self) -> int:
        return len(self._shown)

    def row(self, number: int) -> Sequence[Piece]:
        command = self._shown[number]
        why = self._unavailable.get(command.action)
        if why:
            faint = ink(self.app, "faint")
            return [(f" {command.label:<8}", faint), (f"{command.text}  ", faint),
                    (f"not now: {why}", ink(self.app, "brick"))]  # fmt: skip
        place = self._place if command.place else ""
        return [
            (f" {command.label:<8}", ink(self.app, "brass", bold=True)),
            (f"{command.text:<64} ", ink(self.app, "ink")),
            (place, ink(self.app, "faint")),
        ]


class Pick(ModalScreen[str | None]):
    """A list to choose from; typing narrows it, Enter takes the chosen row."""

    DEFAULT_CSS = """
    Pick { align: center middle; }
    Pick > Vertical { width: 70; max-width: 96%; height: 60%; background: $lock-bank; }
    Pick Input { margin: 0 1; }
    Pick Rows { background: $lock-bank; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "dismiss(None)", show=False),
        Binding("down", "move(1)", show=False, priority=True),
        Binding("up", "move(-1)", show=False, priority=True),
    ]

    def __init__(self, title: str, choices: list[tuple[str, str, str]], empty: str) -> None:
        """`choices` are rows of a group, a name to show, and the answer."""
        super().__init__()
        self._title, self._choices, self._empty = title, choices, empty

    def compose(self) -> ComposeResult:
        with Vertical():
            title = Title(self._title)
            title.show("type to search", "Enter takes it, Esc closes")
            title.lit = True
            yield title
            yield Input(placeholder="part of the name", id="pick-search")
            yield _Choices(self._choices, self._empty)

    def on_input_changed(self, event: Input.Changed) -> None:
        self.query_one(_Choices).narrow(event.value)

    def on_input_submitted(self) -> None:
        self.dismiss(self.query_one(_Choices).chosen)

    def action_move(self, by: int) -> None:
        self.query_one(_Choices).action_move(by)


class _Choices(Rows):
    def __init__(self, choices: list[tuple[str, str, str]], empty: str) -> None:
        super().__init__()
        self._all = choices
        self._shown = choices
        self.lit = True
        self.empty_text = empty

    @property
    def chosen(self) -> str | None:
        return self._shown[self.cursor][2] if self._shown else None

    def narrow(self, word: str) -> None:
        self._shown = [row for row in self._all if word.lower() in row[1].lower()]
        self.renew(cursor=0)

    def on_mount(self) -> None:
        self.renew()

    def count(self) -> int:
        return len(self._shown)

    def row(self, number: int) -> Sequence[Piece]:
        group, name, _ = self._shown[number]
        return [
            (f" {group:<8} ", ink(self.app, "water")),
            (name, ink(self.app, "ink", bold=True)),
        ]


class Ask(ModalScreen[str | None]):
    """One question with one line for the answer."""

    DEFAULT_CSS = """
    Ask { align: center middle; }
    Ask > Vertical { width: 66; max-width: 96%; height: auto; background: $lock-bank; }
    Ask Input { margin: 0 1; }
    Ask Static { padding: 0 1; color: $lock-ink; height: auto; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [Binding("escape", "dismiss(None)", show=False)]

    def __init__(self, title: str, question: str, value: str = "") -> None:
        super().__init__()
        self._title, self._question, self._value = title, question, value

    def compose(self) -> ComposeResult:
        with Vertical():
            title = Title(self._title)
            title.show("", "Enter accepts, Esc gives up")
            title.lit = True
            yield title
            yield Static(Text(self._question), markup=False)
            yield Input(self._value, id="answer")

    def on_input_submitted(self, event: Input.Submitted) -> None:
        self.dismiss(event.value)
