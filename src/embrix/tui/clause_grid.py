"""The outline of a lane: forms down, functions across, a sign for each clause."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import ClassVar

from textual.app import ComposeResult
from textual.binding import BindingType
from textual.widgets import Static

from embrix.messages.replies_on_writing import OutlineCell, OutlineGrid, TextChange
from embrix.messages.requests import AskOutline, CoverClause, WriteClause
from embrix.text.plural import counted
from embrix.tui.bars import Masthead, Title
from embrix.tui.desk import Desk
from embrix.tui.dialogs import Show
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink
from embrix.tui.view import View, keys_of
from embrix.tui.workbench import Workbench
from embrix.workers.ahead import SUITE_WORKER

PLACE = "outline"
SIGNS = {
    "written": ("◆", "moss"), "taken over": ("◇", "moss"), "for several": ("∗", "moss"),
    "final": ("■", "water"), "order": ("→", "water"), "to do": ("…", "brass"),
    "wrong": ("✗", "brick"), "missing": ("○", "brick"),
}  # fmt: skip
"""The sign of each state, and its colour."""
MET = {"unmet": "?", "failing": "!"}
"""What stands behind the sign of a clause that no case comes to, or only failing ones."""
IN_WORDS = {
    "written": "written here",
    "taken over": "taken over",
    "for several": "taken by a clause for several forms",
    "final": "final: it takes no step",
    "order": "an order line: its parts take steps",
    "to do": "still to be written",
    "wrong": "there is an error in it",
    "missing": "missing; Enter writes its beginning",
}
LEGEND = (
    "◆ written  ◇ taken over  ∗ for several forms  ■ final  → order  … to do  ✗ wrong  "
    "○ missing      ? no case reaches it  ! only failing cases do"
)


class GridRows(Rows):
    """The rows of the grid, with a cursor that moves in both directions."""

    def __init__(self) -> None:
        super().__init__(id="outline")
        self.grid = OutlineGrid()
        self.column = 0
        self.empty_text = "Forms and functions appear here."

    def take(self, grid: OutlineGrid) -> None:
        self.grid = grid
        self.column = min(self.column, max(0, len(grid.functions) - 1))
        self.renew()

    @property
    def wide(self) -> int:
        return min(34, max((len(row.form) for row in self.grid.rows), default=0) + 2)

    @property
    def first(self) -> int:
        """The first column that is shown, so that the one with the cursor is."""
        room, first = self.size.width - self.wide - 4, 0
        while first < self.column and sum(
            len(name) + 3 for name in self.grid.functions[first : self.column + 1]
        ) > room:  # fmt: skip
            first += 1
        return first

    @property
    def cell(self) -> OutlineCell | None:
        if not self.grid.rows:
            return None
        return self.grid.rows[self.cursor].cells[self.column]

    def sideways(self, by: int) -> None:
        last = len(self.grid.functions) - 1
        self.column = max(0, min(last, self.column + by))
        self.refresh()

    def count(self) -> int:
        return len(self.grid.rows)

    def row(self, number: int) -> Sequence[Piece]:
        row = self.grid.rows[number]
        form = row.form if len(row.form) <= self.wide - 1 else row.form[: self.wide - 2] + "…"
        pieces: list[Piece] = [(f" {form:<{self.wide}}", ink(self.app, "ink"))]
        for column in range(self.first, len(self.grid.functions)):
            cell = row.cells[column]
            sign, colour = SIGNS.get(cell.state, ("·" if not cell.state else "?", "wall"))
            here = number == self.cursor and column == self.column
            text = f"{sign}{MET.get(cell.met, ' ')}"
            width = len(self.grid.functions[column]) + 2
            if here and not cell.state:
                colour = "ink"
            if cell.met:
                colour = "brick" if cell.met == "failing" else "brass"
            message = f"[{text}]" if here else f" {text} "
            pieces.append((f"{message:<{width + 1}}", ink(self.app, colour, bold=here)))
        return pieces

    def head(self) -> str:
        names = self.grid.functions[self.first :]
        return " " * (self.wide + 2) + "".join(f"{name:<{len(name) + 3}}" for name in names)


class ClauseGrid(View):
    """Every clause of a lane at once."""

    CSS = """
    ClauseGrid #outline { height: 1fr; }
    ClauseGrid Static { padding: 0 1; height: auto; color: $lock-ink; }
    ClauseGrid #columns { padding: 0; color: $lock-brass; }
    ClauseGrid #legend { color: $lock-faint; }
    """
    PLACE = PLACE
    TOPICS = ("outline", "outline_count")
    BINDINGS: ClassVar[list[BindingType]] = keys_of(PLACE)

    def __init__(self, bench: Workbench, desk: Desk, lane: str) -> None:
        super().__init__(bench, desk)
        self._lane = lane

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        yield Title("outline", id="outline-title")
        yield Static("", id="columns", markup=False)
        yield GridRows()
        yield Static("", id="cell", markup=False)
        yield Static(LEGEND, id="legend", markup=False)
        yield self.footer()

    @property
    def _rows(self) -> GridRows:
        return self.query_one(GridRows)

    def on_mount(self) -> None:
        self.head()
        self._rows.focus()
        self._ask()

    def _ask(self) -> None:
        """Ask for the clauses at once, and for what the cases come to behind that."""
        self._desk.drop("outline")
        self._desk.drop("outline_count")
        language = self._bench.language
        plain = AskOutline(language=language, lane=self._lane)
        self._desk.ask("outline", plain, self._came)
        full = AskOutline(language=language, lane=self._lane, count=True)
        self._desk.ask("outline_count", full, self._came, worker=SUITE_WORKER)

    def _came(self, grid: OutlineGrid) -> None:
        if grid.refused:
            self.say(grid.refused, "brass")
            return
        if self._rows.grid.counted and not grid.counted:
            return
        self._rows.take(grid)
        missing = sum(cell.state == "missing" for row in grid.rows for cell in row.cells)
        unmet = sum(cell.met == "unmet" for row in grid.rows for cell in row.cells)
        text = f"{counted(missing, 'clause')} missing" if missing else "no clause is missing"
        if grid.counted:
            text += f", {unmet} not covered by a case" if unmet else ", cases cover all judgements"
        title = self.query_one("#outline-title", Title)
        title.show(f"{self._bench.language} {self._lane}", text, "brass" if missing else "faint")
        self._show_cell()

    def _show_cell(self) -> None:
        rows = self._rows
        self.query_one("#columns", Static).update(rows.head())
        cell = rows.cell
        if cell is None:
            return
        form = rows.grid.rows[rows.cursor].form
        function = rows.grid.functions[rows.column]
        text = IN_WORDS.get(cell.state, f"{function} is not about this")
        if cell.state and cell.state != "missing":
            text += f", {cell.file}:{cell.line}"
        more = {"unmet": "; no case of the suites reaches it",
                "failing": "; only failing cases reach it"}.get(cell.met, "")  # fmt: skip
        self.query_one("#cell", Static).update(f"{function} of {form}: {text}{more}")

    def on_rows_moved(self) -> None:
        self._show_cell()

    def action_column(self, by: int) -> None:
        self._rows.sideways(by)
        self._show_cell()

    def action_next_lane(self) -> None:
        """The outline of the next lane of the language."""
        summary = self._bench.languages.get(self._bench.language)
        names = [lane.name for lane in summary.lanes] if summary else []
        if names:
            at = names.index(self._lane) if self._lane in names else -1
            self._lane = names[(at + 1) % len(names)]
            self._rows.take(OutlineGrid())
            self._ask()

    def action_go(self) -> None:
        """To the clause, or to a new one."""
        rows = self._rows
        cell = rows.cell
        if cell is None or not cell.state:
            return
        if cell.state != "missing":
            self.action_leave()
            self._bench.open_text(self._bench.course_folder / cell.file, cell.line)
            return
        form = rows.grid.rows[rows.cursor].form.partition("(")[0]
        request = WriteClause(language=self._bench.language, lane=self._lane,
                              function=rows.grid.functions[rows.column], form=form)  # fmt: skip
        self._desk.ask("outline", request, self._written)

    def action_cover(self) -> None:
        """A case for a clause that no case comes to."""
        rows, suite = self._rows, self._bench.suite_near()
        cell = rows.cell
        if cell is None or not cell.state or cell.state == "missing":
            self.say("there is no clause here that a case could reach", "brass")
        elif suite is None:
            self.say("there is no suite for this language: Ctrl+N begins one", "brass")
        else:
            form = rows.grid.rows[rows.cursor].form.partition("(")[0]
            request = CoverClause(
                suite=str(suite), language=self._bench.language, lane=self._lane,
                function=rows.grid.functions[rows.column], form=form,
            )  # fmt: skip
            self.say("looking for a program that reaches this clause …")
            self._desk.ask("outline", request, partial(self._covered, suite))

    def _covered(self, suite: Path, change: TextChange) -> None:
        if change.refused:
            self.say(change.refused, "brass")
            return
        self.say("")
        file = suite.relative_to(self._bench.course_folder).as_posix()
        line = change.text.rpartition("[[case]]")[0].count("\n") + 1

        def answered(yes: str | None) -> None:
            if yes is not None:
                self.action_leave()
                self._bench.put_text(file, change.old, change.text, line)

        self.app.push_screen(Show("case", file, change.changes, "Enter writes it"), answered)

    def _written(self, change: TextChange) -> None:
        if change.refused:
            self.say(change.refused, "brass")
            return
        old, new = change.old.split("\n"), change.text.split("\n")
        line = next((n for n, one in enumerate(new) if n >= len(old) or one != old[n]), 0)
        file = change.changes[0]
        added = [f"+{one}" for one in new[line : line + len(new) - len(old)]]

        def answered(yes: str | None) -> None:
            if yes is not None:
                self.action_leave()
                self._bench.put_text(file, change.old, change.text, line + len(added))

        self.app.push_screen(Show("clause", file, added, "Enter writes it"), answered)
