"""What is left of an interpreter when the program is known: the residual program above, below it
the place in the program and the clause that the line under the cursor comes from."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import BindingType
from textual.containers import Horizontal, VerticalScroll
from textual.widgets import Static

from embrix.messages.replies_on_comparing import ResidualRow, ResidualShown
from embrix.messages.requests import ShowResidual
from embrix.text.visible import cut, visible, width
from embrix.tui.bars import Masthead, Title
from embrix.tui.desk import Desk
from embrix.tui.marked_program import add_program
from embrix.tui.pane_edges import Edge, Grip
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink
from embrix.tui.view import View, keys_of
from embrix.tui.workbench import Workbench

PLACE = "residual"
WORDS = ("let", "if", "else", "require", "fail", "emit", "stuck:")
"""Words with which a line begins that says what is done."""


class ResidualRows(Rows):
    """The lines of a residual program, each with the clause that it comes from."""

    def __init__(self) -> None:
        super().__init__(id="residual")
        self.all: list[ResidualRow] = []
        self.noted = True
        """Whether what is decided beforehand is shown."""
        self.shown: list[ResidualRow] = []
        self.empty_text = "specialising the interpreter to the program …"

    def take(self, rows: list[ResidualRow]) -> None:
        self.all = rows
        self._choose(None)

    def turn_notes(self) -> None:
        """Hide what is decided beforehand, or show it; the cursor stays where it can."""
        chosen = self.chosen
        self.noted = not self.noted
        self._choose(chosen)

    def _choose(self, chosen: ResidualRow | None) -> None:
        self.shown = [row for row in self.all if self.noted or not row.decided]
        at = next((n for n, row in enumerate(self.shown) if row is chosen), None)
        if at is None and chosen is not None:
            before = self.all[: next(n for n, one in enumerate(self.all) if one is chosen)]
            at = max(0, sum(self.noted or not one.decided for one in before) - 1)
        self.renew(cursor=at or 0)

    @property
    def chosen(self) -> ResidualRow | None:
        return self.shown[self.cursor] if self.shown else None

    def count(self) -> int:
        return len(self.shown)

    def row(self, number: int) -> Sequence[Piece]:
        app, row = self.app, self.shown[number]
        lead = "  " * row.inset + ("· " if row.decided else "")
        behind = f"{row.file}:{row.line} " if row.file else ""
        room = max(8, self.size.width - width(lead) - len(behind) - 3)
        text = cut(row.text, room)
        if row.decided:
            pieces: list[Piece] = [(text, ink(app, "faint", italic=True))]
        elif not row.inset:
            head, sign, about = text.partition("   ")
            pieces = [(head, ink(app, "brass", bold=True)), (sign + about, ink(app, "faint"))]
        else:
            word, space, rest = text.partition(" ")
            known = word in WORDS
            pieces = [(word, ink(app, "water" if known else "ink", bold=known)),
                      (space + rest, ink(app, "ink"))]  # fmt: skip
        blank = " " * max(1, self.size.width - width(lead + text) - len(behind) - 2)
        return [(f" {lead}", ink(app, "faint")), *pieces, (blank, ink(app, "ink")),
                (behind, ink(app, "faint" if row.decided else "moss"))]  # fmt: skip


class Leftover(View):
    """A residual program."""

    CSS = """
    Leftover { background: $lock-ground; layout: vertical; }
    #residual { height: 2fr; }
    #residual-below { height: 1fr; }
    #residual-program { width: 1fr; background: $lock-bank; padding: 0 1; }
    #residual-clause { width: 1fr; background: $lock-bank; padding: 0 1; }
    Leftover Static { height: auto; }
    Leftover.narrow #residual-below { layout: vertical; }
    Leftover.narrow Grip { display: none; }
    """
    EDGES = (Edge("residual-program", "residual-clause", "width", "height"),
             Edge("residual", "residual-below", "height", "height"))  # fmt: skip
    PLACE: ClassVar[str] = PLACE
    TOPICS = ("residual",)
    OF_PROGRAM = True
    BINDINGS: ClassVar[list[BindingType]] = keys_of(PLACE)

    def __init__(self, bench: Workbench, desk: Desk) -> None:
        super().__init__(bench, desk)
        self._lane = bench.lane

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        yield Title("residual", id="residual-title")
        yield ResidualRows()
        yield Title("where it comes from", id="residual-from")
        with Horizontal(id="residual-below"):
            with VerticalScroll(id="residual-program", can_focus=False):
                yield Static("", id="residual-text", markup=False)
            yield Grip("residual-program")
            with VerticalScroll(id="residual-clause", can_focus=False):
                yield Static("", id="residual-card", markup=False)
        yield self.footer()

    @property
    def rows(self) -> ResidualRows:
        return self.query_one(ResidualRows)

    def on_mount(self) -> None:
        self.head()
        self.rows.focus()
        self.query_one("#residual-title", Title).light(True)
        self._ask()

    def _ask(self) -> None:
        self._desk.drop("residual")
        request = ShowResidual(lane=self._lane, **self.program_args())
        self._desk.ask("residual", request, self._came)
        self.query_one("#residual-title", Title).show(self._lane, "")
        self.say("")

    def _came(self, found: ResidualShown) -> None:
        if not self.query(ResidualRows):
            return  # it is closing
        rows = self.rows
        rows.empty_text = found.refused
        rows.take(found.rows)
        self.query_one("#residual-title", Title).show(self._lane, found.summary, "brass")
        self._show_origin()

    def on_rows_moved(self) -> None:
        self._show_origin()

    def _show_origin(self) -> None:
        """The place in the program, and the clause, of the line under the cursor."""
        app, row = self.app, self.rows.chosen
        program, clause = Text(), Text()
        if row is not None and row.place is not None:
            editor = self._bench.editor
            add_program(program, app, editor.text, row.place, editor.comments)
        if row is not None and row.clause:
            clause.append(f"{row.file}:{row.line}\n", ink(app, "water"))
            clause.append(visible(row.clause, keep="\n"), ink(app, "ink"))
            if row.decided:
                clause.append("\n\nDecided beforehand: nothing is done here.", ink(app, "faint"))
        self.query_one("#residual-text", Static).update(program)
        self.query_one("#residual-card", Static).update(clause)
        if row is not None and row.place is not None:
            line = self._bench.editor.text.count("\n", 0, row.place[0])
            self.query_one("#residual-program").scroll_to(y=max(0, line - 3), animate=False)

    # ---------------------------------------------------------------- commands

    def action_notes(self) -> None:
        self.rows.turn_notes()
        self._show_origin()

    def action_run(self) -> None:
        """Run it, and tell what it takes beside the interpreter."""
        if not self.rows.all:
            return
        self.say("running …")
        request = ShowResidual(lane=self._lane, run=True, **self.program_args())
        self._desk.ask("residual", request, lambda found: self.say(found.ran))

    def action_next_lane(self) -> None:
        """The same program on the next lane."""
        names = self._bench.lanes.lanes
        if names:
            at = names.index(self._lane) if self._lane in names else -1
            self._lane = names[(at + 1) % len(names)]
            self.rows.take([])
            self.rows.empty_text = "specialising the interpreter to the program …"
            self._ask()

    def action_clause(self) -> None:
        row = self.rows.chosen
        if row is None or not row.file:
            self.say("no clause stands behind this line", "brass")
            return
        self.action_leave()
        self._bench.open_text(self._bench.course_folder / row.file, row.line)

    def take_along(self) -> None:
        if self._lane in self._bench.lanes.lanes:
            self._bench.to_lane(self._lane)
