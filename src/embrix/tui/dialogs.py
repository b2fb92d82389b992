"""What lies over the bench for a moment: help, the list of programs, a question."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from typing import Any, ClassVar, Generic, TypeAlias, TypeVar

from rich.console import RenderableType
from rich.text import Text
from textual.app import ComposeResult
from textual.await_complete import AwaitComplete
from textual.binding import Binding, BindingType
from textual.containers import Vertical
from textual.renderables.background_screen import BackgroundScreen
from textual.screen import ModalScreen
from textual.visual import Visual
from textual.widgets import Input, Static

from embrix.text.visible import visible
from embrix.tui.bars import Title
from embrix.tui.commands import Command, everywhere, of_place
from embrix.tui.dimmed import Dimmed
from embrix.tui.line_input import LineInput
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink

PLACES = {
    "program": "Here you write a program. Everything else follows as you type: what every lane "
    "makes of it, its tree, and the walk through the chosen lane.",
    "lanes": "Every interpreter of the language runs the program. Up and down choose the lane "
    "that is walked; ≠ marks a lane whose result differs from the first.",
    "tree": "The syntax tree of the program; the active part is marked while you walk.",
    "tokens": "The tokens of the text: place, kind, text.",
    "grammar": "What kind of grammar the language has and why; conflicts by example, and an "
    "ambiguous sentence with its trees if one was found. Ctrl+R reads the text at a rule.",
    "cases": "Every case of the suite with one sign a lane: ◆ as expected, ✗ not. Under a failed "
    "case: expected ⟂ what the lane gave.",
    "tally": "The whole suite: a row for each case, a column for each lane. The card at the right "
    "shows the case under the cursor: what was expected, what each lane gave.",
    "compare": "Every lane's outcome and cost. Below, two walks in rows: what evaluates the same "
    "part of the program stands side by side; ≠ marks where they differ. At the bottom: names and "
    "store of both lanes at the chosen row.",
    "derivation": "The run as a tree of judgements: each stands under what it was concluded from. "
    "A judgement that did not finish has an open line.",
    "hunt": "Programs are generated until two lanes differ; then the program is made smaller. "
    "The view shows what was tried: how the programs ended, how many apply a function.",
    "growth": "The program runs with a name over a range. Each lane has a letter; the growth that "
    "fits its counted cost best stands under the chart.",
    "decisions": "Questions with the answer of each lane, and the choices with the way in which "
    "each lane decides them. Enter shows which cases change with the other choice.",
    "text": "A file of the course. A change takes effect as you type: lanes, tree, notes and "
    "cases follow. Errors and warnings stand at the end of their line, and in full below; so does "
    "the meaning of the name under the cursor.",
    "outline": "Every clause of a lane: forms down, functions across. A clause that no case of the "
    "suites reaches has a ?, one that only failing cases reach has a !.",
    "notes": "Errors and warnings in the definitions and suites of the course.",
    "drafting": "A definition that you edit without saving, and what the change does to the text "
    "at the right: both trees, and where they differ. Alt+X discards the change, Ctrl+S saves it.",
    "step-details": "One step in full: names (those that the expression uses first), store, "
    "output, clause, and the judgements around it. Arrows scroll; the text you search for stays "
    "marked at every step.",
    "walk": "The run of the chosen lane, step by step. The gauge above shows its height over "
    "time; a click on it jumps there.",
}


T = TypeVar("T")


class Narrowed(Rows, Generic[T]):
    """Rows that a typed word narrows. Subclasses say what is searched and what Enter answers."""

    def __init__(self, everything: list[T], empty: str) -> None:
        super().__init__()
        self._all = everything
        self._shown = everything
        self.lit = True
        self.empty_text = empty

    def searched(self, item: T) -> str:
        raise NotImplementedError

    def answer(self, item: T) -> str | None:
        raise NotImplementedError

    @property
    def chosen(self) -> str | None:
        """The answer of the row under the cursor; None when it has none."""
        return self.answer(self._shown[self.cursor]) if self._shown else None

    def narrow(self, word: str) -> None:
        self._shown = [item for item in self._all if word.lower() in self.searched(item).lower()]
        self.renew(cursor=0)

    def on_mount(self) -> None:
        self.renew()

    def count(self) -> int:
        return len(self._shown)


class Once:
    """A screen that is left once, however many keys arrive before it is gone."""

    _left = False

    def dismiss(self, result: Any = None) -> AwaitComplete:
        if self._left or self is not self.app.screen:  # type: ignore[attr-defined]
            nothing: AwaitComplete = AwaitComplete.nothing()  # type: ignore[no-untyped-call]
            return nothing
        self._left = True
        left: AwaitComplete = super().dismiss(result)  # type: ignore[misc]
        return left


class Dialog(Once, ModalScreen[T | None], Generic[T]):
    """What lies over the bench until it is answered."""

    def render(self) -> RenderableType | Visual:  # type: ignore[override]
        shown = super().render()
        return Dimmed(shown.screen, shown.color) if isinstance(shown, BackgroundScreen) else shown


class Searching(Dialog[str]):
    """A dialog with a line to type in over rows that it narrows; Enter takes the chosen row."""

    DEFAULT_CSS = """
    Searching { align: center middle; }
    Searching > Vertical { width: 70; max-width: 96%; height: 60%; background: $lock-bank; }
    Searching Input { margin: 0 1; }
    Searching Static { padding: 0 1; color: $lock-ink; height: auto; }
    Searching Rows { background: $lock-bank; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "dismiss(None)", show=False),
        Binding("down", "move(1)", show=False, priority=True),
        Binding("up", "move(-1)", show=False, priority=True),
    ]

    def __init__(self, title: str, subject: str, about: str, rows: Narrowed[Any]) -> None:
        super().__init__()
        self._title, self._subject, self._about, self._rows = title, subject, about, rows

    def compose(self) -> ComposeResult:
        with Vertical():
            title = Title(self._title)
            title.show(self._subject, "Enter chooses, Esc closes")
            title.lit = True
            yield title
            if self._about:
                yield Static(self._about, markup=False)
            yield LineInput(placeholder="type part of a name to search")
            yield self._rows

    def on_input_changed(self, event: Input.Changed) -> None:
        self._rows.narrow(event.value)

    def on_input_submitted(self) -> None:
        if self._rows.chosen is not None or not self._rows.count():
            self.dismiss(self._rows.chosen)

    def action_move(self, by: int) -> None:
        self._rows.action_move(by)


class Help(Searching):
    """Every command with its key, those of the pane with the focus first. Enter carries out the
    chosen command; one that cannot be carried out now says why."""

    DEFAULT_CSS = "Help > Vertical { width: 92; height: 80%; }"
    BINDINGS: ClassVar[list[BindingType]] = [Binding("f1,ctrl+p", "dismiss(None)", show=False)]

    def __init__(
        self, place: str, unavailable: dict[str, str], commands: Sequence[Command] | None = None
    ) -> None:
        if commands is None:
            commands = [*of_place(place), *everywhere()]
        rows = _Commands(place, unavailable, list(commands))
        super().__init__("help", place, PLACES.get(place, ""), rows)


class _Commands(Narrowed[Command]):
    def __init__(self, place: str, unavailable: dict[str, str], commands: list[Command]) -> None:
        super().__init__(commands, "No command matches.")
        self._place = place
        self._unavailable = unavailable
        self._widest = max((len(command.label) for command in commands), default=0)

    def searched(self, item: Command) -> str:
        return f"{item.label} {item.short} {item.text}"

    def answer(self, item: Command) -> str | None:
        return None if item.action in self._unavailable else item.action

    def row(self, number: int) -> Sequence[Piece]:
        command = self._shown[number]
        label = f" {command.label:<{self._widest + 1}}"
        why = self._unavailable.get(command.action)
        if why:
            faint = ink(self.app, "faint")
            return [(label, faint), (f"{command.text}  ", faint),
                    (f"not now: {why}", ink(self.app, "brick"))]  # fmt: skip
        return [
            (label, ink(self.app, "brass", bold=True)),
            (f"{command.text:<{72 - self._widest}} ", ink(self.app, "ink")),
            (self._place if command.place else "", ink(self.app, "faint")),
        ]


Choice: TypeAlias = tuple[str, str, str]
"""A group, a name to show, and the answer."""


class Pick(Searching):
    """A list of names to choose from."""

    DEFAULT_CSS = "Pick > Vertical { width: 92; }"

    def __init__(self, title: str, choices: list[Choice], empty: str) -> None:
        super().__init__(title, "", "", _Choices(choices, empty))


class _Choices(Narrowed[Choice]):
    def __init__(self, choices: list[Choice], empty: str) -> None:
        super().__init__(choices, empty)
        self._wide = max((len(group) for group, _, _ in choices), default=0)

    def searched(self, item: Choice) -> str:
        return f"{item[0]} {item[1]}"

    def answer(self, item: Choice) -> str | None:
        return item[2]

    def row(self, number: int) -> Sequence[Piece]:
        group, name, _ = self._shown[number]
        return [
            (f" {group:<{self._wide}} ", ink(self.app, "water")),
            (name, ink(self.app, "ink", bold=True)),
        ]


class AskText(Dialog[str]):
    """One question with one line for the answer."""

    DEFAULT_CSS = """
    AskText { align: center middle; }
    AskText > Vertical { width: 66; max-width: 96%; height: auto; background: $lock-bank; }
    AskText Input { margin: 0 1; }
    AskText Static { padding: 0 1; color: $lock-ink; height: auto; }
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
            yield LineInput(self._value, id="answer")

    def on_input_submitted(self, event: Input.Submitted) -> None:
        self.dismiss(event.value)


class Agree(Dialog[str]):
    """A sentence that is agreed to, or not."""

    DEFAULT_CSS = """
    Agree { align: center middle; }
    Agree > Vertical { width: 66; max-width: 96%; height: auto; background: $lock-bank; }
    Agree Static { padding: 0 1; color: $lock-ink; height: auto; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "dismiss(None)", show=False),
        Binding("enter", "dismiss('yes')", show=False),
    ]

    def __init__(self, title: str, sentence: str, agreeing: str) -> None:
        super().__init__()
        self._title, self._sentence, self._agreeing = title, sentence, agreeing

    def compose(self) -> ComposeResult:
        with Vertical():
            title = Title(self._title)
            title.show("", f"{self._agreeing}, Esc leaves it as it is")
            title.lit = True
            yield title
            yield Static(Text(visible(self._sentence)), markup=False)


class Show(Dialog[str]):
    """Lines of a difference to look at; Enter agrees."""

    DEFAULT_CSS = """
    Show { align: center middle; }
    Show > Vertical { width: 100; max-width: 96%; height: auto; max-height: 80%;
        background: $lock-bank; }
    Show Static { padding: 0 1; height: auto; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape", "dismiss(None)", show=False),
        Binding("enter", "dismiss('yes')", show=False),
    ]

    def __init__(self, title: str, subject: str, lines: Sequence[str], agreeing: str) -> None:
        super().__init__()
        self._title, self._subject, self._lines = title, subject, lines
        self._agreeing = agreeing

    def compose(self) -> ComposeResult:
        with Vertical():
            title = Title(self._title)
            title.show(self._subject, f"{self._agreeing}, Esc leaves it as it is")
            title.lit = True
            yield title
            text = Text()
            for line in self._lines:
                colour = {"+": "moss", "-": "brick", "@": "deep"}.get(line[:1], "ink")
                text.append(f"{visible(line)}\n", ink(self.app, colour, bold=line[:1] in "+-"))
            yield Static(text or Text("nothing would change"), markup=False)


class ShowLines(Dialog[str]):
    """Lines to read, as many as there are; those that begin with − and + are told apart."""

    DEFAULT_CSS = """
    ShowLines { align: center middle; }
    ShowLines > Vertical { width: 96%; height: 80%; background: $lock-bank; }
    ShowLines Rows { background: $lock-bank; height: 1fr; }
    """
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding("escape,enter", "dismiss(None)", show=False, priority=True)
    ]

    def __init__(self, title: str, subject: str, lines: Sequence[str]) -> None:
        super().__init__()
        self._title, self._subject, self._lines = title, subject, lines

    def compose(self) -> ComposeResult:
        with Vertical():
            title = Title(self._title)
            title.show(self._subject, "Esc closes")
            title.lit = True
            yield title
            yield _Lines(self._lines)

    def on_mount(self) -> None:
        self.query_one(_Lines).focus()


class _Lines(Rows):
    """Lines folded to the width of the pane."""

    def __init__(self, lines: Sequence[str]) -> None:
        super().__init__()
        self._all = lines
        self._folded: list[tuple[str, str]] = []

    def on_resize(self) -> None:
        room = max(20, self.size.width - 3)
        self._folded = []
        for line in self._all:
            lead = line[: len(line) - len(line.lstrip())]
            sign = line.lstrip()[:1]
            parts = textwrap.wrap(visible(line.strip()), room - len(lead) - 2) or [""]
            for number, part in enumerate(parts):
                self._folded.append((f"{lead}{'  ' if number else ''}{part}", sign))
        self.renew()

    def count(self) -> int:
        return len(self._folded)

    def row(self, number: int) -> Sequence[Piece]:
        line, sign = self._folded[number]
        colour = {"−": "brick", "+": "moss"}.get(sign, "ink")
        if sign not in "−+" and line.split(":")[0] in ("added", "changed", "gone"):
            return [(f" {line}", ink(self.app, "brass", bold=True))]
        return [(f" {line}", ink(self.app, colour))]
