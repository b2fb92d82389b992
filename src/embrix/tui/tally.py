"""The tally: all cases of a suite against all lanes as one picture, and the case beside it."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import ClassVar, Literal

from rich.console import RenderableType
from rich.style import Style
from rich.text import Text
from textual import events, on
from textual.app import ComposeResult
from textual.binding import BindingType
from textual.containers import Horizontal, Vertical
from textual.widgets import Static

from embrix.messages.replies_on_suites import CaseRow, CaseVerdict, SuiteReport
from embrix.messages.replies_on_writing import TextChange
from embrix.messages.requests import AcceptCase, ArrangeCase, TestSuite
from embrix.messages.wire import Progress
from embrix.text.plural import counted
from embrix.text.visible import cut, visible
from embrix.tui.bars import Masthead, Title
from embrix.tui.case_making import make_case
from embrix.tui.deciding import Deciding
from embrix.tui.desk import Desk
from embrix.tui.dialogs import AskText
from embrix.tui.pane_edges import Edge, Grip
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink
from embrix.tui.view import View, keys_of
from embrix.tui.workbench import Workbench
from embrix.tui.writing import take_back, write_after_a_look
from embrix.workers.ahead import SUITE_WORKER

PLACE = "tally"
SIGNS = {"passed": ("◆", "moss"), "failed": ("✗", "brick"), "left out": ("·", "faint")}
LETTERS = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"
ORDERS = ("as written", "changed last", "by tag")


class Board(Rows):
    """Cases × lanes. The cursor stands on one cell: a case and a lane."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self.lanes: list[str] = []
        self.cases: list[CaseRow] = []
        self.groups: dict[int, str] = {}
        self.column = 0
        self.empty_text = "No case is shown: / changes what is looked for, r shows all again."

    def show(self, lanes: list[str], cases: list[CaseRow], groups: dict[int, str]) -> None:
        self.lanes, self.cases, self.groups = lanes, cases, groups
        self.column = max(0, min(self.column, len(lanes) - 1))
        self.renew()

    def count(self) -> int:
        return len(self.cases)

    @property
    def case(self) -> CaseRow | None:
        return self.cases[self.cursor] if self.cases else None

    @property
    def verdict(self) -> CaseVerdict | None:
        """The verdict of the cell under the cursor."""
        if self.case is None or not self.lanes:
            return None
        lane = self.lanes[self.column]
        return next((v for v in self.case.verdicts if v.lane == lane), None)

    def move_column(self, by: int) -> None:
        if self.lanes:
            self.column = max(0, min(self.column + by, len(self.lanes) - 1))
            self.refresh()
            self.post_message(self.Moved(self, self.cursor))

    def on_click(self, event: events.Click) -> None:
        super().on_click(event)
        column = (event.x - 1) // 2
        if 0 <= column < len(self.lanes):
            self.move_column(column - self.column)

    def row(self, number: int) -> Sequence[Piece]:
        app = self.app
        case = self.cases[number]
        states = {verdict.lane: verdict.state for verdict in case.verdicts}
        pieces: list[Piece] = [(" ", ink(app, "ink"))]
        for column, lane in enumerate(self.lanes):
            sign, colour = SIGNS.get(states.get(lane, "left out"), ("·", "faint"))
            here = column == self.column and number == self.cursor
            style = ink(app, colour, bold=states.get(lane) == "failed")
            if here:
                style += Style(bgcolor=ink(app, "ink", "wall").bgcolor, underline=True)
            pieces.append((f"▸{sign}" if here else f" {sign}", style))
        failed = "failed" in states.values()
        group = self.groups.get(number)
        if group is not None:
            pieces.append((f" {group} ▸", ink(app, "heather", bold=True)))
        pieces.append((f"  {case.name}", ink(app, "brick" if failed else "ink", bold=failed)))
        return pieces


class CaseCard(Static):
    """One case in full: its program, what is expected, what came, since when."""

    DEFAULT_CSS = "CaseCard { background: $lock-bank; padding: 0 1; }"

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__("", id=id, markup=False)
        self.case: CaseRow | None = None
        self.verdict: CaseVerdict | None = None
        self.lanes: list[str] = []

    def show(self, case: CaseRow | None, verdict: CaseVerdict | None, lanes: list[str]) -> None:
        self.case, self.verdict, self.lanes = case, verdict, lanes
        self.refresh(layout=True)

    def render(self) -> RenderableType:
        text = Text(no_wrap=False, overflow="fold")
        app, case = self.app, self.case
        if case is None:
            return text
        room = max(20, self.size.width - 4)
        text.append(f"{case.name}\n", ink(app, "brass", bold=True))
        if case.tags:
            text.append(f"{' '.join(case.tags)}\n", ink(app, "heather"))
        if case.why:
            for line in textwrap.wrap(case.why, room):
                text.append(f"{line}\n", ink(app, "faint", italic=True))
        text.append("\n")
        lines = case.program.rstrip("\n").split("\n")
        for line in lines[:12]:
            text.append("│ ", ink(app, "deep"))
            text.append(f"{cut(visible(line), room)}\n", ink(app, "ink"))
        if len(lines) > 12:
            text.append(f"│ and {len(lines) - 12} more lines\n", ink(app, "faint"))
        for name, value in case.given.items():
            text.append(f"  {name} is {value}\n", ink(app, "faint"))
        if case.input:
            text.append(f"  input {', '.join(case.input)}\n", ink(app, "faint"))
        self._verdict(text, case)
        return text

    def _verdict(self, text: Text, case: CaseRow) -> None:
        app, verdict = self.app, self.verdict
        if verdict is None:
            return
        lane, state, step = verdict.lane, verdict.state, verdict.step
        sign, colour = SIGNS[state]
        text.append(f"\n{sign} ", ink(app, colour, bold=True))
        text.append(lane, ink(app, "ink", bold=True))
        states = {"passed": "as expected", "failed": "not as expected", "left out": "not asked"}
        text.append(f"  {states[state]}", ink(app, colour))
        since = case.since.get(lane, "")
        text.append(f"  {since}\n" if since else "\n", ink(app, "faint"))
        if state != "failed":
            return
        for label, line, slices in (
            ("expected", verdict.expected, verdict.parts[0]),
            ("but got", verdict.actual, verdict.parts[1]),
        ):  # fmt: skip
            text.append(f"  {label:<9} ", ink(app, "faint"))
            at = 0
            for begin, end in slices:
                text.append(visible(line[at:begin]), ink(app, "ink"))
                text.append(visible(line[begin:end]), ink(app, "brick", bold=True, underline=True))
                at = end
            text.append(f"{visible(line[at:])}\n", ink(app, "ink"))
        others = [
            v.lane for v in case.verdicts
            if v.state == "failed" and v.lane != lane
            and (v.expected, v.actual) == (verdict.expected, verdict.actual)
        ]  # fmt: skip
        if others:
            text.append(f"  the same on {', '.join(others)}\n", ink(app, "faint"))
        where = f"step {step:,}" if step >= 0 else "the end of the run"
        text.append(f"\n  Enter walks to {where}\n", ink(app, "water"))
        text.append(
            "  a accepts the result as expected (shows the change first)\n", ink(app, "water")
        )


class Tally(View):
    """A suite as one picture."""

    CSS = """
    Tally { background: $lock-ground; layout: vertical; }
    #tally { height: 1fr; }
    #tally-left { width: 13fr; }
    #tally-right { width: 8fr; }
    #board { height: 1fr; }
    #legend { height: auto; max-height: 40%; padding: 0 1; background: $lock-bank; }
    #card { height: 1fr; }
    Tally.narrow #tally { layout: vertical; }
    Tally.narrow #tally-left { width: 1fr; height: 60%; }
    Tally.narrow #tally-right { width: 1fr; height: 40%; }
    Tally.narrow .tally-left-grip { display: none; }
    Tally.narrow #legend { display: none; }
    """
    EDGES = (Edge("tally-left", "tally-right", "width", "height"),)
    PLACE: ClassVar[str] = PLACE
    BINDINGS: ClassVar[list[BindingType]] = keys_of(PLACE)

    def __init__(self, bench: Workbench, desk: Desk, report: SuiteReport) -> None:
        super().__init__(bench, desk)
        self.report = report
        self.word = ""
        self.red = False
        self.running = False
        self.order = 0
        self._began = False
        self._complete = False
        """Whether everything of the view is there."""

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        with Horizontal(id="tally"):
            with Vertical(id="tally-left"):
                yield Title("tally", id="tally-title")
                yield Static("", id="letters", markup=False)
                yield Board(id="board")
            yield Grip("tally-left")
            with Vertical(id="tally-right"):
                yield Title("case", id="case-title")
                yield CaseCard(id="card")
                yield Title("lanes", id="legend-title")
                yield Static("", id="legend", markup=False)
        yield self.footer()

    def on_mount(self) -> None:
        self.query_one(Masthead).show(
            course=self._bench.title_of_course, language=self.report.language
        )
        self.query_one("#tally-title", Title).light(True)
        self._complete = True
        self.suite_ran(self.report)
        self.board.focus()

    @property
    def board(self) -> Board:
        return self.query_one(Board)

    # ---------------------------------------------------------------- what is shown

    def suite_ran(self, report: SuiteReport) -> None:
        """A new report; the cursor goes to the one case that has come or been renamed, or stays on
        its case, or goes to the first red cell."""
        if not self._complete or not self.query(Board):
            self.report = report
            return  # it is opening or closing
        known = {case.name for case in self.report.cases}
        self.report = report
        keep = self.board.case
        cases, groups = self._chosen()
        self.board.show(report.lanes, cases, groups)
        if keep is not None and self._began:
            names = [case.name for case in cases]
            new = [name for name in names if name not in known]
            there = new[0] if len(new) == 1 else keep.name
            if there in names:
                self.board.renew(cursor=names.index(there))
        else:
            self._to_red()
        self._began = True
        counts = {"passed": 0, "failed": 0}
        for case in report.cases:
            for verdict in case.verdicts:
                counts[verdict.state] = counts.get(verdict.state, 0) + 1
        text = f"✗ {counts['failed']} of {counts['failed'] + counts['passed']} fail"
        if not counts["failed"]:
            text = f"◆ {counts['passed']} pass"
        self.query_one(Masthead).show(
            suite=f"{report.file}  {text}", suite_alarm="yes" if counts["failed"] else ""
        )
        looked = f"/{self.word}  " if self.word else ""
        only = "only red  " if self.red else ""
        shown = f"{len(cases)} of {counted(len(report.cases), 'case')}"
        self.query_one("#tally-title", Title).show(
            shown, f"{looked}{only}{ORDERS[self.order]}", "brass" if looked or only else "faint"
        )
        self._letters()
        self._card()

    def _chosen(self) -> tuple[list[CaseRow], dict[int, str]]:
        """The cases that are looked for, in the order that is wanted; where a tag begins."""
        word = self.word.casefold()
        cases = [
            case for case in self.report.cases
            if word in f"{case.name} {' '.join(case.tags)} {case.program}".casefold()
            and (not self.red or any(v.state == "failed" for v in case.verdicts))
        ]  # fmt: skip
        if ORDERS[self.order] == "changed last":
            cases.sort(key=lambda case: -case.changed)
        if ORDERS[self.order] != "by tag":
            return cases, {}
        tags = sorted({tag for case in cases for tag in case.tags})
        ordered: list[CaseRow] = []
        groups: dict[int, str] = {}
        for tag in [*tags, ""]:
            own = [c for c in cases if (tag in c.tags if tag else not c.tags)]
            if own:
                groups[len(ordered)] = tag or "no tag"
            ordered += own
        return ordered, groups

    def _to_red(self) -> None:
        for number, case in enumerate(self.board.cases):
            for verdict in case.verdicts:
                if verdict.state == "failed":
                    self.board.column = self.board.lanes.index(verdict.lane)
                    self.board.renew(cursor=number)
                    return

    def _letters(self) -> None:
        """A letter over each column, and what it stands for."""
        app, board = self.app, self.board
        line, legend = Text(" "), Text()
        for column, lane in enumerate(board.lanes):
            letter = LETTERS[column] if column < len(LETTERS) else "…"
            here = column == board.column
            line.append(f" {letter}", ink(app, "brass" if here else "faint", bold=here))
            failed = sum(v.lane == lane and v.state == "failed" for c in board.cases
                         for v in c.verdicts)  # fmt: skip
            legend.append(f"{letter} ", ink(app, "brass" if here else "faint", bold=here))
            legend.append(lane, ink(app, "ink", bold=here))
            legend.append(f"  ✗ {failed}\n" if failed else "\n", ink(app, "brick"))
        self.query_one("#letters", Static).update(line)
        self.query_one("#legend", Static).update(legend)

    def _card(self) -> None:
        board = self.board
        self.query_one(CaseCard).show(board.case, board.verdict, board.lanes)

    @on(Rows.Moved)
    def _moved(self) -> None:
        self._letters()
        self._card()

    # ---------------------------------------------------------------- commands

    def action_column_left(self) -> None:
        self.board.move_column(-1)

    def action_column_right(self) -> None:
        self.board.move_column(1)

    def action_only_red(self) -> None:
        self.red = not self.red
        self.suite_ran(self.report)

    def action_next_order(self) -> None:
        self.order = (self.order + 1) % len(ORDERS)
        self.suite_ran(self.report)

    def action_look_for(self) -> None:
        def typed(word: str | None) -> None:
            if word is not None:
                self.word = word.strip()
                self.suite_ran(self.report)

        self.app.push_screen(AskText("cases", "Part of a name, tag or program:", self.word), typed)

    def action_again(self) -> None:
        self.say("running the suite …")
        self._desk.drop("suite")
        self.running = True
        request = TestSuite(suite=self._path().as_posix())
        self._desk.ask("suite", request, self._tested, worker=SUITE_WORKER,
                       progress=self._underway)  # fmt: skip

    def _underway(self, progress: Progress) -> None:
        if self.running:
            self.say(f"running the suite: {progress.done} of {progress.of}; x stops it")

    def action_stop(self) -> None:
        """Give a running suite up; what the last run found stays."""
        self._desk.drop("suite")
        text = "stopped; what stands here is from the run before"
        self.say(text if self.running else "the suite is not running")
        self.running = False

    def _tested(self, report: SuiteReport) -> None:
        self.running = False
        self._bench.suite_ran(report)
        self.say("")

    def _path(self) -> Path:
        return self._bench.course_folder / self.report.file

    def action_walk(self) -> None:
        """To the program of the case on this lane, at the step that differs."""
        case, verdict = self.board.case, self.board.verdict
        if case is None or verdict is None:
            return
        self.dismiss()
        self._bench.walk_case(case, verdict)

    def action_beside(self) -> None:
        """The program of the case on all lanes beside each other."""
        self.action_open_view("beside")

    def take_along(self) -> None:
        case, verdict = self.board.case, self.board.verdict
        if case is not None and verdict is not None:
            self._bench.walk_case(case, verdict)

    def action_accept(self) -> None:
        self._ask_acceptance(None)

    def action_edit(self) -> None:
        """Another expectation, typed in place."""
        case, verdict = self.board.case, self.board.verdict
        if case is None or verdict is None:
            return

        def typed(text: str | None) -> None:
            if text is not None and text.strip():
                self._ask_acceptance(text.strip())

        now = verdict.expected or case.expects.get(verdict.lane, "")
        question = f"What {verdict.lane} is to give (a value, or: error NAME):"
        self.app.push_screen(AskText("expectation", question, now), typed)

    def _ask_acceptance(self, typed: str | None) -> None:
        case, verdict = self.board.case, self.board.verdict
        if case is None or verdict is None or (verdict.state != "failed" and typed is None):
            self.say("this cell passes: there is nothing to accept")
            return
        request = AcceptCase(suite=str(self._path()), case=case.name, lane=verdict.lane,
                             what=verdict.what or "outcome", typed=typed)  # fmt: skip
        take = partial(self._compared, case.name)
        self._desk.ask("accept", request, take, worker=SUITE_WORKER)

    def _compared(self, name: str, found: TextChange) -> None:
        if found.refused or not self.query(Board):
            self.say(found.refused, "brick")
            return

        def written() -> None:
            self.say(f"“{name}” is written; z undoes it")
            self.action_again()

        write_after_a_look(self, self._path(), found, name, written)

    def action_rename(self) -> None:
        case = self.board.case
        if case is None:
            return

        def typed(name: str | None) -> None:
            if name is not None and name.strip() and name.strip() != case.name:
                self._arrange("rename", name.strip())

        self.app.push_screen(AskText("case", "Name of the case:", case.name), typed)

    def action_duplicate(self) -> None:
        self._arrange("duplicate")

    def action_remove(self) -> None:
        self._arrange("remove")

    def _arrange(self, how: Literal["duplicate", "rename", "remove"], name: str = "") -> None:
        case = self.board.case
        if case is not None:
            request = ArrangeCase(suite=str(self._path()), case=case.name, how=how, name=name)
            self._desk.ask("accept", request, partial(self._compared, case.name),
                           worker=SUITE_WORKER)  # fmt: skip

    def action_add(self) -> None:
        """The program on the bench as one more case."""
        bench = self._bench
        if bench.language != self.report.language:
            self.say(f"the program on the bench is in {bench.language}", "brass")
        else:
            lanes = self.board.lanes
            lane = lanes[self.board.column] if lanes else bench.lane
            take = partial(self._compared, "the program on the bench")
            make_case(bench, self._desk, self._path(), lane, take)

    def action_decisions(self) -> None:
        """The questions of the suites and the choices, with what each lane decides."""
        self.app.push_screen(Deciding(self._bench, self._desk))

    def action_undo(self) -> None:
        if take_back(self, self._path()):
            self.action_again()
