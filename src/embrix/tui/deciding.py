"""What definitions decide: questions and choices against lanes, and which cases change when a
choice is decided otherwise."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import ClassVar

from rich.console import RenderableType
from rich.text import Text
from textual import on
from textual.app import ComposeResult
from textual.binding import BindingType
from textual.containers import Horizontal, Vertical
from textual.widgets import Static

from embrix.messages.replies_on_suites import (
    ChangedCase,
    ChangedCases,
    ChoiceRow,
    DecisionTable,
    QuestionRow,
)
from embrix.messages.requests import AskDecisions, TryDecision
from embrix.messages.wire import Progress
from embrix.text.plural import counted
from embrix.text.visible import cut, visible, width
from embrix.tui.bars import Masthead, Title
from embrix.tui.desk import Desk
from embrix.tui.dialogs import Pick
from embrix.tui.pane_edges import Edge, Grip
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink
from embrix.tui.view import View, keys_of
from embrix.tui.workbench import Workbench
from embrix.workers.ahead import SUITE_WORKER

PLACE = "decisions"
COLUMN = 15
"""Cells of one lane's answer."""


class Table(Rows):
    """Questions and choices × lanes."""

    def __init__(self) -> None:
        super().__init__(id="decisions")
        self.lanes: list[str] = []
        self.entries: list[QuestionRow | ChoiceRow] = []
        self.empty_text = "reading the suites …"

    def show(self, found: DecisionTable) -> None:
        self.lanes = found.lanes
        self.entries = [*found.questions, *found.choices]
        self.empty_text = (
            "No suite of this language asks a question, and no interpreter leaves a choice.\n"
            "[[question]] in a suite, `choice` in a definition: see docs/suites.md"
        )
        self.renew(cursor=0)

    @property
    def entry(self) -> QuestionRow | ChoiceRow | None:
        return self.entries[self.cursor] if self.entries else None

    def count(self) -> int:
        return len(self.entries)

    @property
    def name_room(self) -> int:
        return max(24, self.size.width - COLUMN * len(self.lanes) - 3)

    def answer(self, number: int, lane: str) -> str:
        """What a lane answers, or how it decides."""
        entry = self.entries[number]
        if isinstance(entry, ChoiceRow):
            return entry.lanes.get(lane, "·")
        found = [one.label or one.result for one in entry.answers if one.lane == lane]
        return found[0] if found else "·"

    def usual(self, number: int) -> str:
        """The way of a choice that is its default, or the answer of the first lane that has one."""
        entry = self.entries[number]
        if isinstance(entry, ChoiceRow):
            return entry.default
        found = (self.answer(number, lane) for lane in self.lanes)
        return next((one for one in found if one != "·"), "")

    def row(self, number: int) -> Sequence[Piece]:
        app = self.app
        entry = self.entries[number]
        room = self.name_room
        if isinstance(entry, QuestionRow):
            sign, colour, message = "?", "water", entry.name
        else:
            sign, colour, message = "◇", "heather", f"{entry.name}: {entry.question}"
        shown = cut(visible(message), room - 3)
        pieces: list[Piece] = [
            (f" {sign} ", ink(app, colour, bold=True)),
            (shown + " " * max(0, room - 2 - width(shown)), ink(app, "ink", bold=True)),
        ]
        usual = self.usual(number)
        for lane in self.lanes:
            own = self.answer(number, lane)
            text = cut(visible(own), COLUMN - 2)
            other = own not in (usual, "·")
            style = ink(app, "brass" if other else "faint" if own == "·" else "ink", bold=other)
            pieces.append((text + " " * (COLUMN - width(text)), style))
        return pieces


class Changes(Rows):
    """Cases that give something else when a choice is decided otherwise."""

    def __init__(self) -> None:
        super().__init__(id="changes")
        self.rows: list[ChangedCase] = []
        self.empty_text = (
            "Enter on a choice decides it otherwise: the cases that change appear here"
        )

    def show(self, rows: list[ChangedCase], decision: str) -> None:
        self.rows = rows
        self.empty_text = f"No case gives anything else when {decision}."
        self.renew(cursor=0)

    def count(self) -> int:
        return len(self.rows)

    def row(self, number: int) -> Sequence[Piece]:
        app, row = self.app, self.rows[number]
        wide = min(46, max(width(one.case) for one in self.rows))
        name = cut(visible(row.case), wide)
        return [
            (f" {name}{' ' * (wide - width(name))}  ", ink(app, "ink", bold=True)),
            (cut(visible(row.before), 30), ink(app, "brick")),
            (" becomes ", ink(app, "faint")),
            (cut(visible(row.after), 30), ink(app, "moss")),
            (f"   on {', '.join(row.lanes)}", ink(app, "faint")),
        ]


class DecisionCard(Static):
    """One question or choice in full."""

    DEFAULT_CSS = "DecisionCard { background: $lock-bank; padding: 0 1; height: 1fr; }"

    def __init__(self) -> None:
        super().__init__("", id="decision", markup=False)
        self.entry: QuestionRow | ChoiceRow | None = None

    def show(self, entry: QuestionRow | ChoiceRow | None) -> None:
        self.entry = entry
        self.refresh()

    def render(self) -> RenderableType:
        app = self.app
        text = Text(no_wrap=False, overflow="fold")
        if self.entry is None:
            return text
        entry = self.entry
        if isinstance(entry, QuestionRow):
            text.append(f"{entry.name}\n", ink(app, "brass", bold=True))
            if entry.why:
                text.append(f"{entry.why}\n", ink(app, "faint", italic=True))
            for line in entry.program.rstrip("\n").split("\n"):
                text.append("│ ", ink(app, "deep"))
                text.append(f"{visible(line)}\n", ink(app, "ink"))
            text.append("\n")
            for one in entry.answers:
                text.append(f"{one.label or 'none of these'}", ink(app, "ink", bold=True))
                text.append(f"  {one.lane}: {visible(one.result)}\n", ink(app, "faint"))
            return text
        text.append(f"{entry.question}\n\n", ink(app, "brass", bold=True))
        for way, why in entry.ways.items():
            lanes = [lane for lane, own in entry.lanes.items() if own == way]
            text.append("◆ " if lanes else "◇ ", ink(app, "moss" if lanes else "faint"))
            text.append(f"{way}\n", ink(app, "ink", bold=True))
            text.append(f"  {visible(why)}\n", ink(app, "faint", italic=True))
            if lanes:
                text.append(f"  {', '.join(lanes)}\n", ink(app, "ink"))
        return text


class Deciding(View):
    """Questions and choices as one table."""

    CSS = """
    Deciding { background: $lock-ground; layout: vertical; }
    #deciding { height: 1fr; }
    #deciding-left { width: 5fr; }
    #deciding-right { width: 9fr; }
    #decisions { height: 45%; }
    #columns { height: 1; }
    #changes { height: 1fr; }
    Deciding.narrow #deciding { layout: vertical; }
    Deciding.narrow #deciding-left { width: 1fr; height: 1fr; }
    Deciding.narrow #deciding-right { width: 1fr; height: 1fr; }
    Deciding.narrow .deciding-left-grip { display: none; }
    """
    EDGES = (Edge("deciding-left", "deciding-right", "width", "height"),
             Edge("decisions", "deciding", "height", "height"))  # fmt: skip
    PLACE: ClassVar[str] = PLACE
    TOPICS = ("decisions", "changed")
    BINDINGS: ClassVar[list[BindingType]] = keys_of(PLACE)

    def __init__(self, bench: Workbench, desk: Desk) -> None:
        super().__init__(bench, desk)
        self._decision = ""

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        yield Title("decisions", id="decisions-title")
        yield Static("", id="columns", markup=False)
        yield Table()
        with Horizontal(id="deciding"):
            with Vertical(id="deciding-left"):
                yield Title("decision", id="decision-title")
                yield DecisionCard()
            yield Grip("deciding-left")
            with Vertical(id="deciding-right"):
                yield Title("changes", id="changes-title")
                yield Changes()
        yield self.footer()

    def on_mount(self) -> None:
        self.head("asking the lanes …")
        self.query_one(Table).focus()
        request = AskDecisions(language=self._bench.language)
        self._desk.ask("decisions", request, self._read, worker=SUITE_WORKER)

    def on_descendant_focus(self) -> None:
        table = self.query_one(Table).has_focus
        self.query_one("#decisions-title", Title).light(table)
        self.query_one("#changes-title", Title).light(not table)

    def _read(self, found: DecisionTable) -> None:
        if not self.query(Table):
            return
        self.say("")
        table = self.query_one(Table)
        table.show(found)
        questions = counted(len(found.questions), "question")
        text = f"{questions} ?, {counted(len(found.choices), 'choice')} ◇"
        self.query_one("#decisions-title", Title).show(self._bench.language, text)
        self.call_after_refresh(self._columns)
        self.query_one(DecisionCard).show(table.entry)

    def _columns(self) -> None:
        if not self.query(Table):
            return  # it is closing
        table = self.query_one(Table)
        line = Text(" " * (table.name_room + 1), no_wrap=True, overflow="crop")
        for lane in table.lanes:
            line.append(f"{cut(lane, COLUMN - 1):<{COLUMN}}", ink(self.app, "faint"))
        self.query_one("#columns", Static).update(line)

    def on_resize(self) -> None:
        super().on_resize()
        self.call_after_refresh(self._columns)

    @on(Rows.Moved)
    def _moved(self, message: Rows.Moved) -> None:
        if isinstance(message.rows, Table):
            self.query_one(DecisionCard).show(message.rows.entry)

    # ---------------------------------------------------------------- commands

    def action_pane(self) -> None:
        table = self.query_one(Table)
        self.set_focus(self.query_one(Changes) if table.has_focus else table)

    def action_decide(self) -> None:
        """Another way for a choice; the program of a question or of a case that changes."""
        changes = self.query_one(Changes)
        if changes.has_focus and changes.rows:
            self._to_program(changes.rows[changes.cursor].case,
                             changes.rows[changes.cursor].program)  # fmt: skip
            return
        entry = self.query_one(Table).entry
        if entry is None:
            return
        if isinstance(entry, QuestionRow):
            self._to_program(entry.name, entry.program)
            return
        decision = entry
        rows = [
            (decision.name, f"{'◆' if way == decision.default else ' '} {way}  {why}", way)
            for way, why in decision.ways.items()
        ]

        def picked(way: str | None) -> None:
            if way is not None:
                self._decide(f"{decision.name}={way}")

        self.app.push_screen(
            Pick(f"decide {decision.name}", rows, "There is no such alternative."), picked
        )

    def _decide(self, decision: str) -> None:
        self._desk.drop("changed")
        request = TryDecision(language=self._bench.language, decision=decision)
        take = partial(self._changed, decision)
        self._desk.ask("changed", request, take, worker=SUITE_WORKER,
                       progress=self._underway)  # fmt: skip
        self.say(f"running the cases with {decision} …")

    def _underway(self, progress: Progress) -> None:
        if progress.done % 10 == 0:
            self.say(f"running the cases: {progress.done} of {progress.of}")

    def _changed(self, decision: str, found: ChangedCases) -> None:
        if not self.query(Changes):
            return
        self.say(found.refused, "brick")
        self.query_one(Changes).show(found.rows, decision)
        cases = len({row.case for row in found.rows})
        text = f"{counted(cases, 'case')} {'changes' if cases == 1 else 'change'}"
        self.query_one("#changes-title", Title).show(decision, text, "brass" if cases else "moss")

    def _to_program(self, name: str, program: str) -> None:
        bench = self._bench
        while len(self.app.screen_stack) > 1 and self.app.screen is not bench:
            self.app.pop_screen()
        bench.show_case(name, program)

    def action_draw(self) -> None:
        self.ask_file("decisions.svg", ".svg, .pdf or .txt", "decisions", [])
