"""Everything that the program can come to: outcomes above, below them one state with the ways that
are open there, which are taken by hand."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from typing import ClassVar

from rich.console import RenderableType
from rich.text import Text
from textual import on
from textual.app import ComposeResult
from textual.binding import BindingType
from textual.containers import Horizontal, Vertical
from textual.widgets import Static

from embrix.messages.replies_on_comparing import ReachedOutcome, StateRow, WaysFound
from embrix.messages.requests import ExploreWays
from embrix.messages.wire import Progress
from embrix.text.plural import counted
from embrix.text.visible import cut, visible, width
from embrix.text.way_numbers import ways_text
from embrix.tui.bars import Masthead, Title
from embrix.tui.desk import Desk
from embrix.tui.pane_edges import Edge, Grip
from embrix.tui.rows import Piece, Rows
from embrix.tui.side_views import OUTCOME_SIGNS
from embrix.tui.theme import ink
from embrix.tui.view import View, keys_of
from embrix.tui.workbench import Workbench

PLACE = "ways"
FEWEST = 3
"""Rows of the list of outcomes."""


class ReachedRows(Rows):
    """The outcomes, each with the ways that lead there."""

    def __init__(self) -> None:
        super().__init__(id="reached")
        self.outcomes: list[ReachedOutcome] = []
        self.empty_text = "looking at all ways …"

    def show(self, outcomes: list[ReachedOutcome], *, several: bool) -> None:
        self.outcomes = outcomes
        self.empty_text = "no run ends"
        self.several = several
        self.renew(cursor=0)

    several = False

    @property
    def chosen(self) -> ReachedOutcome | None:
        return self.outcomes[self.cursor] if self.outcomes else None

    def count(self) -> int:
        return len(self.outcomes)

    def row(self, number: int) -> Sequence[Piece]:
        app, one = self.app, self.outcomes[number]
        sign, colour = OUTCOME_SIGNS.get(one.kind, ("◆", "moss"))
        wide = min(40, max(width(visible(other.sentence)) for other in self.outcomes))
        sentence = cut(visible(one.sentence), wide)
        pieces: list[Piece] = [
            (f" {sign} {sentence}{' ' * (wide - width(sentence))}", ink(app, colour, bold=True))
        ]
        if one.output:
            lines = " ⏎ ".join(line for line in one.output.split("\n") if line)
            pieces.append((f"   ▤ {cut(visible(lines), 30)}", ink(app, "ink")))
        if one.left:
            pieces.append((f"   holding {cut(visible(', '.join(one.left)), 44)}", ink(app, "ink")))
        if self.several:
            by = f"by the ways {ways_text(one.ways)}" if one.ways else "by the first way each time"
            pieces.append((f"   {by}", ink(app, "faint")))
        return pieces


class OnwardRows(Rows):
    """The steps that are open in a state, and what it may come to at once."""

    def __init__(self) -> None:
        super().__init__(id="onward")
        self.entries: list[tuple[str, StateRow | ReachedOutcome, int]] = []
        """The ways, where they lead to, and the number of that state, or -1."""
        self.empty_text = ""

    def show(self, entries: list[tuple[str, StateRow | ReachedOutcome, int]]) -> None:
        self.entries = entries
        self.renew(cursor=0)

    @property
    def target(self) -> int:
        """The number of the state that the chosen row leads to, or -1."""
        return self.entries[self.cursor][2] if self.entries else -1

    def count(self) -> int:
        return len(self.entries)

    def row(self, number: int) -> Sequence[Piece]:
        app = self.app
        ways, target, _ = self.entries[number]
        if isinstance(target, ReachedOutcome):
            sign, colour = OUTCOME_SIGNS.get(target.kind, ("◆", "moss"))
            return [(f" {sign} {visible(target.sentence)}", ink(app, colour, bold=True))]
        lead = f" way {ways} " if ways else " "
        pieces: list[Piece] = [
            (lead, ink(app, "brass", bold=True)), ("→ ", ink(app, "faint")),
            (target.text, ink(app, "ink", bold=True)),
        ]  # fmt: skip
        pieces += [(f"   {text}", ink(app, "heather")) for text in target.beside if text]
        return pieces


class StateCard(Static):
    """One state in full."""

    DEFAULT_CSS = "StateCard { background: $lock-bank; padding: 0 1; height: 1fr; }"

    def __init__(self) -> None:
        super().__init__("", id="state", markup=False)
        self.state: StateRow | None = None
        self.why = ""
        self.trail: Sequence[tuple[str, str]] = ()

    def show(
        self, state: StateRow | None, why: str = "", trail: Sequence[tuple[str, str]] = ()
    ) -> None:
        """A state, with the states before it and the ways between them, or why there is none."""
        self.state, self.why, self.trail = state, why, trail
        self.refresh()

    def render(self) -> RenderableType:
        app = self.app
        text = Text(no_wrap=False, overflow="fold")
        if self.state is None:
            return Text(self.why, ink(app, "faint"))
        text.append(f"{self.state.text}\n", ink(app, "ink", bold=True))
        for beside in self.state.beside:
            if beside:
                text.append(f"\n{beside}", ink(app, "heather"))
        if self.state.output:
            text.append(f"\n▤ {self.state.output}", ink(app, "ink"))
        room = max(0, self.size.height - text.plain.count("\n") - 4)
        if self.trail and room:
            text.append("\n\nbefore it, the last one first\n", ink(app, "faint", italic=True))
        for term, ways in list(reversed(self.trail))[:room]:
            lead = f"way {ways} " if ways else ""
            shown = cut(term, max(8, self.size.width - 2 - len(lead)))
            text.append(f"{shown} ", ink(app, "faint"))
            text.append(f"{lead}\n", ink(app, "brass"))
        return text


class Forking(View):
    """All outcomes of the program on one lane, and its states to go through."""

    CSS = """
    Forking { background: $lock-ground; layout: vertical; }
    #forking { height: 1fr; }
    #forking-left { width: 5fr; }
    #forking-right { width: 8fr; }
    #reached { height: 8; }
    #onward { height: 1fr; }
    Forking.narrow #forking { layout: vertical; }
    Forking.narrow #forking-left { width: 1fr; height: 1fr; }
    Forking.narrow #forking-right { width: 1fr; height: 1fr; }
    Forking.narrow .forking-left-grip { display: none; }
    """
    EDGES = (Edge("forking-left", "forking-right", "width", "height"),
             Edge("reached", "forking", "height", "height"))  # fmt: skip
    PLACE: ClassVar[str] = PLACE
    TOPICS = ("ways",)
    OF_PROGRAM = True
    BINDINGS: ClassVar[list[BindingType]] = keys_of(PLACE)

    def __init__(self, bench: Workbench, desk: Desk, lane: str) -> None:
        super().__init__(bench, desk)
        self._lane = lane
        self._found = WaysFound()
        self.trail: list[int] = []
        """The states that have been gone through, the present one at the end."""

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        yield Title("outcomes", id="reached-title")
        yield ReachedRows()
        with Horizontal(id="forking"):
            with Vertical(id="forking-left"):
                yield Title("state", id="state-title")
                yield StateCard()
            yield Grip("forking-left")
            with Vertical(id="forking-right"):
                yield Title("ways on", id="onward-title")
                yield OnwardRows()
        yield self.footer()

    def on_mount(self) -> None:
        self.head("running the program all ways …")
        self.query_one(ReachedRows).focus()
        request = ExploreWays(**self.program_args(), lane=self._lane)
        self._desk.ask("ways", request, self._came, progress=self._underway)

    def on_descendant_focus(self) -> None:
        above = self.query_one(ReachedRows).has_focus
        self.query_one("#reached-title", Title).light(above)
        self.query_one("#onward-title", Title).light(not above)

    def _underway(self, progress: Progress) -> None:
        self.say(f"running the program all ways: {counted(progress.done, 'run')} so far")

    def _came(self, found: WaysFound) -> None:
        if not self.query(ReachedRows):
            return  # it is closing
        self._found = found
        cut_short = f"cut short after {counted(found.runs, 'run')}: there may be more"
        self.say(found.refused or ("" if found.whole else cut_short), "brick")
        self.query_one(ReachedRows).show(found.outcomes, several=found.several)
        text = counted(len(found.outcomes), "outcome")
        text += ", some run never ends" if found.endless else ""
        self.query_one("#reached-title", Title).show(self._lane, text, "brass")
        most = self.size.height // 3
        self.own_heights["reached"] = max(FEWEST, min(len(found.outcomes), most))
        self.place_edges()
        self.trail = [0] if found.states else []
        self._show_state()

    # ---------------------------------------------------------------- states

    def _show_state(self) -> None:
        states = self._found.states
        title = self.query_one("#state-title", Title)
        if not self.trail:
            why = "there are no states to show: no steps that `main` repeats"
            if not self._found.several:
                why = "no clause leaves several ways open: this is the only outcome"
            self.query_one(StateCard).show(None, self._found.refused or why)
            title.show("", "")
            self.query_one(OnwardRows).show([])
            return
        number = self.trail[-1]
        state = states[number]
        title.show(
            f"{number + 1} of {len(states)}", f"after {counted(len(self.trail) - 1, 'step')}"
        )
        self.query_one(StateCard).show(state, trail=self._road())
        entries: list[tuple[str, StateRow | ReachedOutcome, int]] = [
            (ways_text(step.ways), states[step.to], step.to) for step in state.steps
        ]
        entries += [("", self._found.outcomes[end], -1) for end in state.ends]
        self.query_one(OnwardRows).show(entries)
        count = counted(len(state.steps), "way") if state.steps else ""
        self.query_one("#onward-title", Title).show("", count)

    def _road(self) -> list[tuple[str, str]]:
        """The states before the present one, each with the ways that were taken there."""
        states = self._found.states
        return [
            (states[at].text, ways_text(next(s.ways for s in states[at].steps if s.to == to)))
            for at, to in zip(self.trail, self.trail[1:], strict=False)
        ]

    def _path_to(self, wanted: int) -> list[int]:
        """A shortest path from the beginning to a state."""
        came: dict[int, int] = {0: -1}
        pending = deque([0])
        while pending and wanted not in came:
            at = pending.popleft()
            for step in self._found.states[at].steps:
                if step.to not in came:
                    came[step.to] = at
                    pending.append(step.to)
        path, at = [], wanted if wanted in came else 0
        while at >= 0:
            path.append(at)
            at = came[at]
        return path[::-1]

    def _ways_taken(self) -> list[int]:
        """The ways along the trail."""
        ways: list[int] = []
        for at, to in zip(self.trail, self.trail[1:], strict=False):
            step = next(one for one in self._found.states[at].steps if one.to == to)
            ways += step.ways
        return ways

    # ---------------------------------------------------------------- commands

    @on(Rows.Moved)
    def _moved(self, message: Rows.Moved) -> None:
        if isinstance(message.rows, ReachedRows):
            self._to_outcome()

    def _to_outcome(self) -> None:
        chosen = self.query_one(ReachedRows).chosen
        if chosen is not None and chosen.state >= 0:
            self.trail = self._path_to(chosen.state)
            self._show_state()

    def action_pane(self) -> None:
        above = self.query_one(ReachedRows)
        self.set_focus(self.query_one(OnwardRows) if above.has_focus else above)

    def action_go_on(self) -> None:
        """Take the chosen way; from the outcomes go to the state that leads to the chosen one."""
        onward = self.query_one(OnwardRows)
        if not onward.has_focus:
            self._to_outcome()
            self.set_focus(onward)
        elif onward.target >= 0:
            self.trail.append(onward.target)
            self._show_state()

    def action_step_back(self) -> None:
        if len(self.trail) > 1:
            self.trail.pop()
            self._show_state()

    def action_begin(self) -> None:
        """Back to the first state."""
        if self.trail:
            self.trail = [0]
            self._show_state()
            self.set_focus(self.query_one(OnwardRows))

    def action_walk(self) -> None:
        """Walk the way to the chosen outcome, or the one taken by hand, on the bench."""
        above = self.query_one(ReachedRows)
        chosen = above.chosen
        ways = self._ways_taken()
        at = len(self.trail) - 1
        if above.has_focus and chosen is not None:
            ways, at = list(chosen.ways), 0
        self.action_leave()
        self._bench.walk_ways(self._lane, ways, max(0, at))

    def action_draw(self) -> None:
        self.ask_file("states.svg", ".svg, .pdf or .txt", "states", [self._lane])
