"""The derivation of a run: every judgement under what it was concluded from, folded and
unfolded."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import BindingType

from embrix.draw.cells import LONGEST, lay_out
from embrix.messages.replies_on_comparing import JudgementRow, JudgementTree
from embrix.messages.requests import ListJudgements
from embrix.text.fitting import joined_within
from embrix.text.plural import counted
from embrix.tui.bars import Masthead, Title
from embrix.tui.desk import Desk
from embrix.tui.rows import Piece, Rows
from embrix.tui.rules_pane import RulesPane
from embrix.tui.theme import ink
from embrix.tui.view import View, keys_of
from embrix.tui.workbench import Workbench

PLACE = "derivation"
RULES = "rules over lines"
VIEWS = ("premises over conclusions", "conclusions in order", "the derivation so far", RULES)
SHALLOW, DEEPEST = 4, 20
"""Levels that are unfolded at first: the first number at least, up to the second as many as there
is room for."""
MOST_BARS = 24


class Judgements(Rows):
    """Premises stand above their conclusion, indented; a line shows where a rule ends."""

    def __init__(self) -> None:
        super().__init__(id="judgements")
        self.all: list[JudgementRow] = []
        self.view = VIEWS.index(RULES)
        self.folded: set[int] = set()
        self.shown: list[int] = []
        self.until = -1
        """The step up to which a derivation so far is shown."""
        self.empty_text = "The judgements of the run appear here."

    def take(self, rows: list[JudgementRow], at: int, levels: int) -> None:
        """New rows, so many levels of them unfolded; the cursor goes to the judgement of a
        step."""
        self.all = rows
        self.folded = {n for n, row in enumerate(rows) if row.depth >= levels and row.premises}
        inside = [
            n
            for n, row in enumerate(rows)
            if row.entered <= at and (row.left < 0 or at <= row.left)
        ]
        here = inside[-1] if inside else 0
        self._open(here)
        self._arrange(here)

    def _open(self, number: int) -> None:
        """Unfold everything around a judgement."""
        depth = self.all[number].depth if self.all else 0
        for at in range(number - 1, -1, -1):
            if self.all[at].depth < depth:
                depth = self.all[at].depth
                self.folded.discard(at)

    def _arrange(self, keep: int | None = None) -> None:
        """Which judgements are shown, in which order."""
        keep = self.chosen if keep is None else keep
        visible: list[int] = []
        hidden_below = -1
        for number, row in enumerate(self.all):
            if 0 <= hidden_below < row.depth:
                continue
            hidden_below = row.depth if number in self.folded and self.view != 1 else -1
            if self.view == 2 and row.entered > self.until:
                continue
            visible.append(number)
        if self.view == 1:
            visible = sorted(
                (n for n in visible if self.all[n].left >= 0), key=lambda n: self.all[n].left
            )
        else:
            visible = _premises_first([(n, self.all[n].depth) for n in visible])
        self.shown = visible
        self.renew(cursor=visible.index(keep) if keep in visible else len(visible) - 1)

    def keep(self, number: int) -> None:
        """Put the cursor on a judgement that is shown."""
        if number in self.shown:
            self.cursor = self.shown.index(number)

    @property
    def chosen(self) -> int:
        return self.shown[self.cursor] if self.cursor < len(self.shown) else 0

    def fold(self) -> None:
        number = self.chosen
        if self.all and self.all[number].premises:
            self.folded ^= {number}
            self._arrange(number)

    def fold_all(self) -> None:
        everything = {n for n, row in enumerate(self.all) if row.premises}
        self.folded = set() if self.folded & everything else everything
        self._arrange(self.chosen)

    def next_view(self) -> None:
        self.view = (self.view + 1) % len(VIEWS)
        self._arrange(self.chosen)

    def count(self) -> int:
        return len(self.shown)

    def row(self, number: int) -> Sequence[Piece]:
        app = self.app
        one = self.all[self.shown[number]]
        depth, name, left, premises = one.depth, one.clause, one.left, one.premises
        bars = "" if self.view == 1 else "│ " * min(depth, MOST_BARS)
        open_ = left < 0 or (self.view == 2 and left > self.until)
        folded = self.shown[number] in self.folded and premises and self.view != 1
        sign = "▹" if folded else "╌" if open_ else "─" if premises else "╶"
        concluded = _without_result(one.row) if self.view == 2 and open_ else one.row
        room = max(8, self.size.width - len(bars) - len(name) - 10)
        message = joined_within(concluded, room)
        return [
            ("  ", ink(app, "ink")),
            (bars, ink(app, "wall")),
            (f"{sign}{sign} ", ink(app, "brick" if open_ else "brass", bold=True)),
            (message, ink(app, "brick" if open_ and left < 0 else "ink", bold=True)),
            (f"  {name}", ink(app, "water", italic=True)),
            (f"  {premises} folded" if folded else "", ink(app, "faint")),
        ]


def _without_result(row: Sequence[tuple[str, str]]) -> list[tuple[str, str]]:
    """A judgement that has not come to its result."""
    return [(kind, "…" if kind == "result" else text) for kind, text in row]


def _premises_first(numbers: list[tuple[int, int]]) -> list[int]:
    """Each judgement after everything that stands over it."""
    found: list[int] = []
    waiting: list[tuple[int, int]] = []
    for number, depth in numbers:
        while waiting and waiting[-1][1] >= depth:
            found.append(waiting.pop()[0])
        waiting.append((number, depth))
    found += [number for number, _ in reversed(waiting)]
    return found


class Deriving(View):
    """A derivation as one picture."""

    CSS = """
    Deriving { background: $lock-ground; layout: vertical; }
    #judgements, #rules { height: 1fr; }
    """
    PLACE: ClassVar[str] = PLACE
    OF_PROGRAM = True
    BINDINGS: ClassVar[list[BindingType]] = keys_of(PLACE)

    TOPICS = ("derived",)

    def __init__(self, bench: Workbench, desk: Desk) -> None:
        super().__init__(bench, desk)
        self._steps = False

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        yield Title("derivation", id="judgements-title")
        yield RulesPane(id="rules")
        yield Judgements()
        yield self.footer()

    @property
    def judgements(self) -> Judgements:
        return self.query_one(Judgements)

    def on_mount(self) -> None:
        bench = self._bench
        self.head()
        request = ListJudgements(lane=bench.lane, number=bench.at, **self.program_args())
        self._desk.ask("derived", request, self._derived)
        self.query_one("#judgements-title", Title).light(True)
        self._arrange()

    def _derived(self, found: JudgementTree) -> None:
        if not self.query(Judgements):
            return
        self._steps = found.steps
        judgements = self.judgements
        if found.refused:
            judgements.empty_text = found.refused
        judgements.until = self._bench.at if not found.steps else 1 << 60
        at = self._bench.at if not found.steps else -1
        judgements.take(found.rows, at, self._levels(found.rows))
        if found.more:
            self.say(f"the first {counted(len(found.rows), 'judgement')}; {found.more:,} more")
        self._arrange()

    @property
    def _as_rules(self) -> bool:
        return VIEWS[self.judgements.view] == RULES

    @on(RulesPane.Moved)
    def _moved(self) -> None:
        self.judgements.keep(self.query_one(RulesPane).chosen)

    def _levels(self, rows: list[JudgementRow]) -> int:
        """How many levels of rules there is room for."""
        room = self.query_one(RulesPane).size
        texts = [joined_within(row.row, LONGEST) for row in rows]
        names = [row.clause for row in rows]
        depths, counts = [row.depth for row in rows], [row.premises for row in rows]
        levels = SHALLOW
        while levels < min(DEEPEST, max(depths, default=0) + 1):
            folded = {n for n, depth in enumerate(depths) if depth >= levels + 1}
            sheet = lay_out(depths, texts, names, counts, folded)
            if sheet.width > room.width or sheet.height > room.height:
                break
            levels += 1
        return levels

    def _arrange(self) -> None:
        """Show the view that is chosen, with the same judgement under the cursor."""
        judgements, rules = self.judgements, self.query_one(RulesPane)
        judgements.display, rules.display = not self._as_rules, self._as_rules
        rules.empty_text = judgements.empty_text
        if self._as_rules:
            rules.show(judgements.all, judgements.folded, judgements.chosen)
        self.set_focus(rules if self._as_rules else judgements)
        self._titles()

    def _titles(self) -> None:
        judgements = self.judgements
        step = f", step {self._bench.at:,}" if self._steps else ""
        subject = f"{self._bench.lane}{step}"
        text = f"{VIEWS[judgements.view]} · {len(judgements.shown):,} of {len(judgements.all):,}"
        self.query_one("#judgements-title", Title).show(subject, text)

    # ---------------------------------------------------------------- commands

    def action_fold(self) -> None:
        self.judgements.fold()
        self._arrange()

    def action_unfold_all(self) -> None:
        self.judgements.fold_all()
        self._arrange()

    def action_view(self) -> None:
        self.judgements.next_view()
        self._arrange()

    def action_walk(self) -> None:
        """To the judgement in the walk: where it is left in a view of conclusions."""
        self.dismiss()
        self.take_along()

    def take_along(self) -> None:
        judgements = self.judgements
        if not judgements.all or self._steps:
            return
        row = judgements.all[judgements.chosen]
        step = row.left if judgements.view == 1 and row.left >= 0 else row.entered
        self._bench.walking.go(step)

    def action_draw(self) -> None:
        number = self._bench.at if self._steps else 0
        if not self._steps and self.judgements.all:
            number = max(0, self.judgements.all[self.judgements.chosen].entered)
        self.ask_file("derivation.svg", ".svg, .pdf, .tex or .txt", "derivation",
                      [self._bench.lane], number=number)  # fmt: skip
