"""How a cost grows: one program with a name over a range, on every lane, as a chart."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from rich.console import RenderableType
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import BindingType
from textual.widget import Widget

from embrix.compare.range import SCALES, BadRange, Scale, range_of
from embrix.draw.plot import GRID, LETTERS, plot
from embrix.messages.replies_on_comparing import GrowthTable
from embrix.messages.requests_on_comparing import MeasureGrowth
from embrix.messages.wire import Progress
from embrix.suite.cases import MAIN_COSTS, costs_by_spread
from embrix.text.visible import visible
from embrix.tui.bars import Masthead, Title
from embrix.tui.desk import Desk
from embrix.tui.dialogs import AskText
from embrix.tui.rows import Piece, Rows
from embrix.tui.theme import ink
from embrix.tui.view import View, keys_of
from embrix.tui.workbench import Workbench
from embrix.workers.ahead import SUITE_WORKER

PLACE = "growth"
INKS = ("water", "brass", "moss", "heather", "brick", "ink")
FIRST_RANGE = "n=1..12"


class Chart(Widget):
    """Costs against a parameter."""

    DEFAULT_CSS = "Chart { background: $lock-ground; height: 1fr; }"

    def __init__(self) -> None:
        super().__init__(id="chart")
        self.table: dict[str, list[tuple[float, float]]] = {}
        self.scale: Scale = "linear"
        self.empty_text = ""

    def render(self) -> RenderableType:
        app = self.app
        text = Text(no_wrap=True, overflow="crop")
        # A lane keeps its letter when others have nothing to show.
        points = {
            lane: [(n, y) for n, y in row] if any(y for _, y in row) else []
            for lane, row in self.table.items()
        }
        rows = plot(points, self.size.width - 2, self.size.height, self.scale)
        if not rows:
            return Text(f" {self.empty_text}", ink(app, "faint"))
        for row in rows:
            for cell in row:
                colour = INKS[cell.row % len(INKS)] if cell.row >= 0 else "faint"
                colour = "wall" if cell.row == GRID else colour
                text.append(cell.text, ink(app, colour, bold=cell.text.isalpha()))
            text.append("\n")
        return text


class Growths(Rows):
    """A row for each lane: its letter, the growth that fits, where a run did not end."""

    def __init__(self) -> None:
        super().__init__(id="growths")
        self.lanes: list[str] = []
        self.growths: dict[str, str] = {}
        self.ended: dict[str, str] = {}

    def count(self) -> int:
        return len(self.lanes)

    def row(self, number: int) -> Sequence[Piece]:
        app, lane = self.app, self.lanes[number]
        wide = max(map(len, self.lanes))
        colour = INKS[number % len(INKS)]
        text = self.growths.get(lane, "nothing counted")
        pieces: list[Piece] = [
            (f" {LETTERS[number % len(LETTERS)]} ", ink(app, colour, bold=True)),
            (f"{lane:<{wide}}  ", ink(app, "ink", bold=True)),
            (text, ink(app, "ink")),
        ]
        if lane in self.ended:
            pieces.append((f"   ✗ {visible(self.ended[lane])}", ink(app, "brick")))
        return pieces


class Growing(View):
    """A chart for the program on the bench."""

    CSS = """
    Growing { background: $lock-ground; layout: vertical; }
    #growths { height: auto; max-height: 40%; background: $lock-bank; }
    """
    PLACE: ClassVar[str] = PLACE
    TOPICS = ("growth",)
    OF_PROGRAM = True
    BINDINGS: ClassVar[list[BindingType]] = keys_of(PLACE)

    def __init__(self, bench: Workbench, desk: Desk, cost: str = "") -> None:
        super().__init__(bench, desk)
        self._over = bench.over or FIRST_RANGE
        self._found: GrowthTable | None = None
        self._cost = cost
        self._scale = 0

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        yield Title("growth", id="growth-title")
        yield Chart()
        yield Title("lanes", id="growths-title")
        yield Growths()
        yield self.footer()

    def on_mount(self) -> None:
        self.head()
        self.query_one("#growth-title", Title).light(True)
        self.query_one(Growths).focus()
        if self._bench.over:
            self._measure(self._over)
        else:
            # Without a name that the program leaves open there is nothing to measure.
            self.call_after_refresh(self.action_range)

    def action_range(self) -> None:
        def typed(text: str | None) -> None:
            if text is not None and text.strip():
                self._measure(text.strip())
            elif not self._found:
                self.query_one(Chart).empty_text = "r chooses a name and a range"
                self.query_one(Chart).refresh()

        question = "A name of the program that nothing binds, and its range (n=1..12, n=10..90/10):"
        self.app.push_screen(AskText("growth", question, self._over), typed)

    def _measure(self, over: str) -> None:
        try:
            name, numbers = range_of(over)
        except BadRange as wrong:
            self.say(str(wrong), "brick")
            return
        self._over = self._bench.over = over
        self._desk.drop("growth")
        self.query_one(Chart).empty_text = "running the lanes …"
        self.query_one(Chart).refresh()
        request = MeasureGrowth(
            lanes=list(self._bench.lanes.lanes), name=name, costs=list(MAIN_COSTS),
            first=numbers[0], last=numbers[-1], step=numbers.step, **self.program_args(),
        )  # fmt: skip
        self._desk.ask("growth", request, self._measured, worker=SUITE_WORKER,
                       progress=self._underway)  # fmt: skip

    def _underway(self, progress: Progress) -> None:
        self.say(f"running the lanes: {progress.done} of {progress.of}")

    def _measured(self, found: GrowthTable) -> None:
        if not self.query(Chart):
            return
        self.say(found.refused, "brick")
        chart = self.query_one(Chart)
        if found.refused:
            chart.table, chart.empty_text = {}, "r chooses another name or range"
            chart.refresh()
            return
        self._found = found
        chart.empty_text = "no run finished: r chooses another name or range"
        self._show()

    @property
    def _kinds(self) -> list[str]:
        """The costs that some lane has, those first that most have."""
        points = self._found.points if self._found else {}
        highest = [
            {cost: max((y for _, y in rows.get(lane, ())), default=0)
             for cost, rows in points.items()}
            for lane in self._bench.lanes.lanes
        ]  # fmt: skip
        return costs_by_spread(highest)

    def _show(self) -> None:
        found = self._found or GrowthTable()
        kinds = self._kinds
        if self._cost not in kinds:
            self._cost = kinds[0] if kinds else ""
        chart, growths = self.query_one(Chart), self.query_one(Growths)
        chart.table = found.points.get(self._cost, {}) if self._cost else {}
        chart.scale = SCALES[self._scale]
        chart.refresh()
        growths.lanes = list(self._bench.lanes.lanes)
        growths.growths = {
            lane: text
            for lane, text in found.growths.get(self._cost, {}).items()
            if any(y for _, y in chart.table[lane])
        }
        name = self._over.partition("=")[0]
        growths.ended = {lane: f"{name} = {number:g}: {text}" for lane, number, text in found.ended}
        growths.styles.height = min(10, max(1, len(growths.lanes)))
        growths.renew()
        axes = {"linear": "linear axes", "logarithmic": "logarithmic axis",
                "both": "both axes logarithmic"}[chart.scale]  # fmt: skip
        self.query_one("#growth-title", Title).show(f"{self._cost or 'nothing counted'} against "
                                                    f"{self._over}", axes)  # fmt: skip

    def action_cost(self, by: int) -> None:
        kinds = self._kinds
        if kinds:
            self._cost = kinds[(kinds.index(self._cost) + by) % len(kinds)]
            self._show()

    def action_scale(self) -> None:
        self._scale = (self._scale + 1) % len(SCALES)
        if self._found:
            self._show()

    def action_draw(self) -> None:
        if not self._kinds:
            self.say("there is no chart to draw")
            return
        name, numbers = range_of(self._bench.over)
        over = (name, numbers[0], numbers[-1] + 1, numbers.step)
        self.ask_file("growth.svg", ".svg or .pdf", "growth", list(self._bench.lanes.lanes),
                      over=over, cost=self._cost, scale=SCALES[self._scale])  # fmt: skip
