"""Looking for the smallest program on which two lanes differ, with the walks of what is found."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import ClassVar

from msgspec.structs import replace
from rich.console import RenderableType
from rich.text import Text
from textual.app import ComposeResult
from textual.binding import BindingType
from textual.widgets import Static

from embrix.messages.replies_on_comparing import AlignedWalks, HuntState, LaneComparison
from embrix.messages.replies_on_writing import TextChange
from embrix.messages.requests import AddFoundCase
from embrix.messages.requests_on_comparing import AlignWalks, CompareLanes, HuntDifference
from embrix.messages.wire import Progress
from embrix.text.plural import counted
from embrix.text.visible import visible
from embrix.tui.bars import Masthead, Title
from embrix.tui.desk import Desk
from embrix.tui.theme import ink
from embrix.tui.together import Together
from embrix.tui.view import View, keys_of
from embrix.tui.workbench import Workbench
from embrix.tui.writing import take_back, write_after_a_look
from embrix.workers.ahead import SUITE_WORKER

PLACE = "hunt"
MOST_PROGRAMS, MOST_PROGRAMS_OUTSIDE = 10_000, 500
"""Programs of one hunt; against a command, which begins anew for each."""
GAUGE = 40


class Quarry(Static):
    """What a hunt has tried, and what it has found."""

    DEFAULT_CSS = "Quarry { background: $lock-bank; padding: 0 1; height: auto; min-height: 9; }"

    def __init__(self) -> None:
        super().__init__("", id="quarry", markup=False)
        self.found: HuntState | None = None
        self.running = False
        self.costs = False
        self.endless = False
        self.lanes = ("", "")
        self.seed = 1
        self.most = MOST_PROGRAMS
        self.why: list[str] = []

    def render(self) -> RenderableType:
        app, found = self.app, self.found
        text = Text(no_wrap=False, overflow="fold")
        text.append(f"{self.lanes[0]}", ink(app, "ink", bold=True))
        text.append("  against  ", ink(app, "faint"))
        text.append(f"{self.lanes[1]}", ink(app, "ink", bold=True))
        rows = [f"seed {self.seed}"]
        rows += ["costs count"] if self.costs else []
        rows += ["never ending counts"] if self.endless else []
        text.append(f"    {', '.join(rows)}\n", ink(app, "faint"))
        tried = found.tried if found else 0
        if self.running:
            full = round(GAUGE * tried / self.most)
            text.append("█" * full, ink(app, "water"))
            text.append("─" * (GAUGE - full) + "  ", ink(app, "deep"))
        learning = self.running and (found is None or found.learning)
        going = "learning which programs run without failing …" if learning else ""
        count = (
            f"{tried:,} of {self.most:,} programs" if self.running else counted(tried, "program")
        )
        text.append(f"{count}  {going}\n", ink(app, "ink"))
        if found and tried:
            text.append(f"{visible(found.distribution)}\n", ink(app, "faint"))
        if not self.running and found:
            self._result(text, found)
        return text

    def _result(self, text: Text, found: HuntState) -> None:
        app = self.app
        if not found.program:
            text.append(f"\n{found.sentence}\n", ink(app, "moss", bold=True))
            text.append("This is no proof; s searches on with other programs.\n", ink(app, "faint"))
            return
        text.append(f"\n{found.sentence}\n\n", ink(app, "brass", bold=True))
        for line in found.program.split("\n"):
            text.append("│ ", ink(app, "deep"))
            text.append(f"{visible(line)}\n", ink(app, "ink", bold=True))
        text.append("\n")
        wide = max(map(len, found.lanes))
        for lane, end in zip(found.lanes, found.ends, strict=True):
            text.append(f"  {lane:<{wide}}  ", ink(app, "faint"))
            text.append(f"{visible(end)}\n", ink(app, "ink"))
        for line in self.why:
            text.append(f"  {visible(line)}\n", ink(app, "water"))


class Hunting(View):
    """A hunt, which begins at once."""

    CSS = """
    Hunting { background: $lock-ground; layout: vertical; }
    Hunting #together { height: 1fr; }
    """
    PLACE: ClassVar[str] = PLACE
    TOPICS = ("hunt", "found", "aligned")
    BINDINGS: ClassVar[list[BindingType]] = keys_of(PLACE)

    def __init__(self, bench: Workbench, desk: Desk, other: str = "") -> None:
        super().__init__(bench, desk)
        self._other = other

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        yield Title("hunt", id="hunt-title")
        yield Quarry()
        yield Title("walks", id="together-title")
        yield Together()
        yield self.footer()

    @property
    def quarry(self) -> Quarry:
        return self.query_one(Quarry)

    def on_mount(self) -> None:
        bench = self._bench
        self.head()
        self.query_one("#hunt-title", Title).light(True)
        others = self._others()
        other = self._other if self._other in others else others[0]
        self.quarry.lanes = (bench.lane, other)
        self.query_one(
            Together
        ).empty_text = "The walks of the program that is found appear here, row by row."
        self.query_one(Together).focus()
        self._start()

    def _others(self) -> list[str]:
        return [lane for lane in self._bench.lanes.lanes if lane != self._bench.lane]

    def _start(self) -> None:
        quarry = self.quarry
        self._desk.drop("hunt")
        quarry.found, quarry.why, quarry.running = None, [], True
        outside = self._bench.languages[self._bench.language].outside
        quarry.most = MOST_PROGRAMS_OUTSIDE if quarry.lanes[1] in outside else MOST_PROGRAMS
        self.query_one(Together).show(
            [], -1, "The walks of the program that is found appear here, row by row."
        )
        request = HuntDifference(
            language=self._bench.language, lanes=list(quarry.lanes), most=quarry.most,
            seed=quarry.seed, costs=quarry.costs, endless=quarry.endless,
        )  # fmt: skip
        self._desk.ask("hunt", request, self._ended, worker=SUITE_WORKER,
                       progress=self._underway)  # fmt: skip
        self._renew()
        self.say("x stops the hunt")

    def _renew(self) -> None:
        quarry = self.quarry
        text = "under way" if quarry.running else ""
        self.query_one("#hunt-title", Title).show(" and ".join(quarry.lanes), text, "brass")
        quarry.refresh(layout=True)

    def _underway(self, progress: Progress) -> None:
        if self.query(Quarry) and self.quarry.running:
            self.quarry.found = progress.hunt
            self._renew()

    def _ended(self, found: HuntState) -> None:
        if not self.query(Quarry):
            return  # it is closing
        quarry = self.quarry
        quarry.running = False
        if found.refused:
            self.say(found.refused, "brick")
        else:
            self.say("")
            quarry.found = found
            if found.program:
                self._look_at(found)
        self._renew()

    def _look_at(self, found: HuntState) -> None:
        """Why the two part, and their walks."""
        one, other = found.lanes
        language, text = self._bench.language, found.program
        lanes = CompareLanes(language=language, text=text, lanes=[one, other])
        self._desk.ask("found", lanes, self._explained)
        walks = AlignWalks(language=language, text=text, one=one, other=other)
        self._desk.ask("aligned", walks, self._aligned)

    def _explained(self, found: LaneComparison) -> None:
        if self.query(Quarry):
            for parting in found.partings.values():
                self.quarry.why = [parting.sentence, *parting.more]
            self._renew()

    def _aligned(self, found: AlignedWalks) -> None:
        if self.query(Together):
            self.query_one(Together).show(found.rows, found.parting, found.refused)

    # ---------------------------------------------------------------- commands

    def action_start(self) -> None:
        """Again from the next seed; the same one when the hunt had been stopped at once."""
        if self.quarry.found and self.quarry.found.tried:
            self.quarry.seed += 1
        self._start()

    def action_stop(self) -> None:
        quarry = self.quarry
        if not quarry.running:
            self.say("no hunt is under way")
            return
        self._desk.drop("hunt")
        quarry.running = False
        tried = quarry.found.tried if quarry.found else 0
        text = f"stopped: no difference in {counted(tried, 'program')} (seed {quarry.seed})"
        quarry.found = replace(quarry.found or HuntState(), program="", sentence=text)
        self.say("stopped")
        self._renew()

    def action_other(self) -> None:
        others = self._others()
        first, other = self.quarry.lanes
        at = others.index(other) if other in others else -1
        self.quarry.lanes = (first, others[(at + 1) % len(others)])
        self._start()

    def action_costs(self) -> None:
        self.quarry.costs = not self.quarry.costs
        self._start()

    def action_endless(self) -> None:
        self.quarry.endless = not self.quarry.endless
        self._start()

    def action_to_bench(self) -> None:
        """The program into the editor, as a file that does not exist yet."""
        found = self.quarry.found
        if found is None or not found.program or self.quarry.running:
            self.say("nothing has been found yet")
            return
        bench = self._bench
        folder = bench.document.path.parent if bench.document is not None else bench.folder
        path = folder / f"hunted.{bench.extension}"
        while len(self.app.screen_stack) > 1 and self.app.screen is not bench:
            self.app.pop_screen()
        bench.show_program(path, found.program + "\n")

    def action_case(self) -> None:
        found = self.quarry.found
        suite = self._suite()
        if found is None or not found.program or self.quarry.running:
            self.say("nothing has been found yet")
        elif suite is None:
            self.say("the course has no suite to put it into", "brass")
        else:
            request = AddFoundCase(suite=str(suite), program=found.program, lanes=found.lanes,
                                   origin=f"a hunt, seed {found.seed}")  # fmt: skip
            take = partial(self._compared, suite)
            self._desk.ask("found", request, take, worker=SUITE_WORKER)

    def _suite(self) -> Path | None:
        return self._bench.suite_near()

    def _compared(self, suite: Path, made: TextChange) -> None:
        if made.refused or not self.query(Quarry):
            self.say(made.refused, "brick")
            return
        write_after_a_look(self, suite, made, "this program as a case", self._written)

    def _written(self) -> None:
        self.say("the case is written; z undoes it")

    def action_undo(self) -> None:
        suite = self._suite()
        if suite is not None:
            take_back(self, suite)
