"""Lanes beside each other: outcomes and costs above, two walks in step below."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import ClassVar, Literal

from rich.text import Text
from textual import on
from textual.app import ComposeResult
from textual.binding import BindingType
from textual.containers import Horizontal, Vertical
from textual.widget import Widget
from textual.widgets import Static

from embrix.course.naming import plain_name
from embrix.messages.recipes import WalkRecipe
from embrix.messages.replies import TextLines
from embrix.messages.replies_on_comparing import (
    AlignedRow,
    AlignedWalks,
    EveryPartHeld,
    LaneComparison,
    LaneResult,
    PartingText,
)
from embrix.messages.requests_on_comparing import (
    AlignWalks,
    CompareLanes,
    CompareMeaning,
    HoldEveryPart,
    ShowExtension,
)
from embrix.suite.cases import costs_by_spread
from embrix.text.plural import counted
from embrix.text.visible import cut, visible, width
from embrix.tui.bars import Masthead, Title
from embrix.tui.desk import Desk
from embrix.tui.dialogs import ShowLines
from embrix.tui.growing import Growing
from embrix.tui.hunting import Hunting
from embrix.tui.pane_edges import Edge, Grip
from embrix.tui.row_steps import RowSteps
from embrix.tui.rows import Piece, Rows
from embrix.tui.side_views import OUTCOME_SIGNS
from embrix.tui.theme import ink
from embrix.tui.together import Together
from embrix.tui.view import View, keys_of
from embrix.tui.workbench import Workbench

PLACE = "compare"
_BAR = "█"
LOW = 32
"""Lines below which the names at a row have no room."""


class Costs(Rows):
    """A row for each lane: how it ends, what it costs."""

    def __init__(self) -> None:
        super().__init__(id="costs")
        self.lanes: list[LaneResult] = []
        self.first = ""
        self.cost = 0
        self.empty_text = "The lanes of the program appear here."

    def show(self, lanes: list[LaneResult], first: str) -> None:
        self.lanes, self.first = lanes, first
        self.renew()

    @property
    def kinds(self) -> list[str]:
        """The costs that some lane has, those first that most have."""
        return costs_by_spread([one.costs for one in self.lanes])

    @property
    def kind(self) -> str:
        kinds = self.kinds
        return kinds[self.cost % len(kinds)] if kinds else ""

    def count(self) -> int:
        return len(self.lanes)

    def row(self, number: int) -> Sequence[Piece]:
        app, one = self.app, self.lanes[number]
        wide = max(len(lane.lane) for lane in self.lanes)
        sign, colour = OUTCOME_SIGNS.get(one.kind, ("◆", "moss"))
        text = one.sentence
        if one.output:
            text = f"{text}  ▤ {' ▤ '.join(''.join(one.output).splitlines())}"
        if one.state:
            text = f"{text}  holding {', '.join(one.state)}"
        other = observed(self.lanes[0]) != observed(one)
        room = max(10, self.size.width - wide - 36)
        most = max((lane.costs.get(self.kind, 0) for lane in self.lanes), default=0)
        cost = one.costs.get(self.kind, 0)
        length = round(16 * cost / most) if most else 0
        shown = cut(visible(text), room - 1)
        return [
            ("▶ " if one.lane == self.first else "  ", ink(app, "brass", bold=True)),
            (f"{one.lane:<{wide}} ", ink(app, "ink", bold=True)),
            ("≠ " if other else "  ", ink(app, "brass", bold=True)),
            (f"{sign} ", ink(app, colour, bold=True)),
            (shown, ink(app, colour)),
            (" " * max(1, room - width(shown)), ink(app, "ink")),
            (f"{_BAR * length:<16}", ink(app, "water")),
            (f" {cost:>10,}" if self.kind else "", ink(app, "ink")),
        ]


def observed(lane: LaneResult) -> tuple[str, ...]:
    """What tells lanes apart: how they end and what they write. What a lane holds in a store is its
    own affair."""
    return (lane.sentence, *lane.output)


class Comparing(View):
    """One program on all lanes."""

    CSS = """
    Comparing { background: $lock-ground; layout: vertical; }
    #upper { height: 8; }
    #upper-left, #upper-right { height: 1fr; }
    #upper-left { width: 13fr; }
    #upper-right { width: 8fr; }
    #costs { height: 1fr; }
    #why { height: 1fr; padding: 0 1; background: $lock-bank; }
    #lower, #together { height: 1fr; }
    .together-grip { width: 1fr; height: 1; }
    Comparing.narrow #row-steps, Comparing.low #row-steps { display: none; }
    Comparing.narrow .together-grip, Comparing.low .together-grip { display: none; }
    Comparing.narrow #upper { layout: vertical; height: 50%; }
    Comparing.narrow #upper-left { width: 1fr; height: 60%; }
    Comparing.narrow #upper-right { width: 1fr; height: 40%; }
    Comparing.narrow .upper-left-grip { display: none; }
    """
    EDGES = (Edge("upper-left", "upper-right", "width", "height"),
             Edge("together", "row-steps", "height"),
             Edge("upper", "lower", "height", "height"))  # fmt: skip
    PLACE: ClassVar[str] = PLACE
    OF_PROGRAM = True
    BINDINGS: ClassVar[list[BindingType]] = keys_of(PLACE)

    TOPICS = ("beside", "together", "meaning", "step_of_row_0", "step_of_row_1")

    def __init__(self, bench: Workbench, desk: Desk) -> None:
        super().__init__(bench, desk)
        self._partings: dict[str, PartingText] = {}

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        with Horizontal(id="upper"):
            with Vertical(id="upper-left"):
                yield Title("compare", id="costs-title")
                yield Costs()
            yield Grip("upper-left")
            with Vertical(id="upper-right"):
                yield Title("why", id="why-title")
                yield Static("", id="why", markup=False)
        with Vertical(id="lower"):
            yield Title("walks", id="together-title")
            yield Together()
            yield Grip("together")
            editor = self._bench.editor
            yield RowSteps(self._desk, editor.text, editor.comments)
        yield self.footer()

    def on_mount(self) -> None:
        bench = self._bench
        self.head("running the lanes …")
        names = [bench.lane, *(one for one in bench.lanes.lanes if one != bench.lane)]
        request = CompareLanes(lanes=names, **self.program_args())
        self._desk.ask("beside", request, self._compared)
        self.query_one(Costs).focus()
        self._light()

    def on_resize(self) -> None:
        super().on_resize()
        self.set_class(self.size.height < LOW, "low")

    def on_descendant_focus(self) -> None:
        self._light()
        self._tell()

    def _light(self) -> None:
        lanes = self.query_one(Costs).has_focus
        self.query_one("#costs-title", Title).light(lanes)
        self.query_one("#together-title", Title).light(not lanes)

    @property
    def _other(self) -> str:
        """The lane under the cursor, or the second one while that is the first."""
        costs = self.query_one(Costs)
        lanes = [one.lane for one in costs.lanes]
        if not lanes:
            return ""
        at = costs.cursor or 1
        return lanes[at] if at < len(lanes) else ""

    def _compared(self, found: LaneComparison) -> None:
        if not self.query(Costs):
            return  # it is closing
        costs = self.query_one(Costs)
        self._partings = found.partings
        costs.show(found.lanes, found.first)
        self.own_heights["upper"] = 1 + max(5, min(12, len(found.lanes), self.size.height * 2 // 5))
        self.place_edges()
        ends = {observed(one) for one in found.lanes}
        more = f", {found.left_out} more lanes not run" if found.left_out else ""
        text = "all lanes agree" if len(ends) == 1 else f"{len(ends)} different outcomes"
        self.query_one(Masthead).show(notice=text + more)
        costs.renew(cursor=self._first_look(found.lanes))
        self._titles()
        self._lane_chosen()

    def _first_look(self, lanes: list[LaneResult]) -> int:
        """The lane to look at first: for a version or a choice the plain one beside it, else the
        first that ends otherwise."""
        first = lanes[0].lane if lanes else ""
        plain = plain_name(first)
        names = [one.lane for one in lanes]
        if plain != first and plain in names:
            return names.index(plain)
        others = (n for n, one in enumerate(lanes) if observed(one) != observed(lanes[0]))
        return next(others, min(1, len(lanes) - 1))

    def _titles(self) -> None:
        costs = self.query_one(Costs)
        self.query_one("#costs-title", Title).show(self._bench.language, f"{costs.kind} ←→")

    @on(Rows.Moved)
    def _moved(self, message: Rows.Moved) -> None:
        if isinstance(message.rows, Costs):
            self._lane_chosen()
        else:
            self._row_chosen()

    def _row_chosen(self) -> None:
        together = self.query_one(Together)
        row = together.rows[together.cursor] if together.rows else None
        self.query_one(RowSteps).show(row)

    @on(RowSteps.Came)
    def _tell(self) -> None:
        """On the lanes why they part; on the rows of two walks the part of the program."""
        steps = self.query_one(RowSteps)
        program = Text() if self.query_one(Costs).has_focus else steps.program_at()
        title = self.query_one("#why-title", Title)
        title.label = "program" if program else "why"
        title.refresh()
        self.query_one("#why", Static).update(program or self._why())

    def _why(self) -> Text:
        costs, other = self.query_one(Costs), self._other
        text = Text()
        parting = self._partings.get(other)
        app = self.app
        text.append(f"{costs.first} and {other}\n", ink(app, "brass", bold=True))
        if parting is not None:
            text.append(f"{visible(parting.sentence)}\n", ink(app, "ink", bold=True))
            for line in parting.more:
                text.append(f"{visible(line)}\n", ink(app, "ink"))
        return text

    def _lane_chosen(self) -> None:
        """Tell why this lane parts from the first, and lay their walks beside each other."""
        costs, other = self.query_one(Costs), self._other
        self._tell()
        self.query_one("#together-title", Title).show(f"{costs.first}  beside  {other}", "")
        self._desk.drop("together")
        if other:
            request = AlignWalks(one=costs.first, other=other, **self.program_args())
            take = partial(self._walked, other)
            self._desk.ask("together", request, take)

    def _walked(self, other: str, found: AlignedWalks) -> None:
        if not self.query(Together) or other != self._other:
            return
        self.query_one(Together).show(found.rows, found.parting, found.refused)
        bench, args = self._bench, self.program_args()
        left, right = (
            WalkRecipe(f"{bench.version}:{lane}:beside", lane=lane, **args)
            for lane in (self.query_one(Costs).first, other)
        )
        self.query_one(RowSteps).recipes = (left, right)
        self._row_chosen()
        differing = sum(row.parts for row in found.rows)
        alone = sum(row.left is None or row.right is None for row in found.rows)
        text = f"differing rows: {differing} of {len(found.rows)}" if found.rows else ""
        if alone:
            text += f"  on one side only: {alone}"
        self.query_one("#together-title", Title).show(None, text)

    # ---------------------------------------------------------------- commands

    def action_pane(self) -> None:
        panes: list[Widget] = [self.query_one(Costs), self.query_one(Together)]
        steps = self.query_one(RowSteps)
        panes += steps.sides if steps.display else ()
        at = panes.index(self.focused) if self.focused in panes else -1
        self.set_focus(panes[(at + 1) % len(panes)])

    def action_cost(self, by: int) -> None:
        costs = self.query_one(Costs)
        costs.cost = (costs.cost + by) % max(1, len(costs.kinds))
        costs.refresh()
        self._titles()

    def action_parting(self) -> None:
        together = self.query_one(Together)
        if together.parting < 0:
            self.query_one(Masthead).show(notice="no row has another conclusion on each side")
            return
        self.set_focus(together)
        together.move_to(together.parting)

    def action_next_parting(self) -> None:
        self._to_difference(forward=True)

    def action_last_parting(self) -> None:
        self._to_difference(forward=False)

    def _to_difference(self, *, forward: bool) -> None:
        together = self.query_one(Together)
        at = together.cursor
        numbers = range(at + 1, len(together.rows)) if forward else range(at - 1, -1, -1)
        found = next((n for n in numbers if together.rows[n].parts), None)
        if found is not None:
            self.set_focus(together)
            together.move_to(found)

    def action_walk_left(self) -> None:
        self._walk("left", self.query_one(Costs).first)

    def action_walk_right(self) -> None:
        self._walk("right", self._other)

    def take_along(self) -> None:
        """The step of the chosen row on the first lane."""
        together = self.query_one(Together)
        stop = together.rows[together.cursor].left if together.rows else None
        if stop is not None and together.has_focus:
            self._bench.walk_lane(self.query_one(Costs).first, stop.step)

    def _walk(self, side: Literal["left", "right"], lane: str) -> None:
        """To the step of a row in the walk of a lane; to its beginning when it has none."""
        together = self.query_one(Together)
        row = together.rows[together.cursor] if together.rows else AlignedRow(None, None, False)
        stop = row.left if side == "left" else row.right
        if not lane:
            return
        self.dismiss()
        self._bench.walk_lane(lane, stop.step if stop else 0)

    def action_draw(self) -> None:
        lanes = [one.lane for one in self.query_one(Costs).lanes]
        self.ask_file("costs.svg", ".svg or .pdf", "costs", lanes)

    def action_growth(self) -> None:
        """How the cost that is shown grows."""
        costs = self.query_one(Costs)
        self.app.push_screen(Growing(self._bench, self._desk, costs.kind))

    def action_hunt(self) -> None:
        """Look for the smallest program on which these two lanes differ."""
        self.app.push_screen(Hunting(self._bench, self._desk, self._other))

    def action_meaning(self) -> None:
        """What the definitions of these two lanes say otherwise."""
        first, other = self.query_one(Costs).first, self._other
        if other:
            request = CompareMeaning(language=self._bench.language, lanes=[first, other])
            self._desk.ask("meaning", request, partial(self._meant, first, other))

    def action_every_part(self) -> None:
        """Whether these two lanes agree on every part of the program."""
        first, other = self.query_one(Costs).first, self._other
        if other:
            request = HoldEveryPart(one=first, other=other, **self.program_args())
            self._desk.ask("meaning", request, partial(self._held, f"{first} and {other}"))

    def _held(self, subject: str, found: EveryPartHeld) -> None:
        """Tell it, and go to the first part that differs where the walks are in rows."""
        if not self.is_attached:
            return
        lines = [found.sentence]
        lines += [f"{counted(n, 'part')} not compared: {why}" for why, n in found.left_out.items()]
        self.app.push_screen(ShowLines("every part of the program", subject, lines))
        together = self.query_one(Together)
        rows = enumerate(together.rows)
        at = next((n for n, row in rows if row.left and row.left.step == found.step), None)
        if at is not None:
            self.set_focus(together)
            together.move_to(at)

    def action_extension(self) -> None:
        """What the language and this lane add to those that they extend."""
        costs = self.query_one(Costs)
        if costs.lanes:
            lane = costs.lanes[costs.cursor].lane
            request = ShowExtension(language=self._bench.language, lane=lane)
            take = partial(self._meant, self._bench.language, lane)
            self._desk.ask("meaning", request, take)

    def _meant(self, first: str, other: str, found: TextLines) -> None:
        if self.is_attached:
            subject = f"{first} and {other}"
            self.app.push_screen(ShowLines("differences in meaning", subject, found.lines))
