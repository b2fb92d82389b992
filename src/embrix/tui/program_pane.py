"""The program on the workbench: which it is, what it means, and what every lane gives."""

from __future__ import annotations

from abc import abstractmethod
from functools import partial
from pathlib import Path

from textual import on
from textual.timer import Timer
from textual.widgets import Static, TextArea

from embrix.messages.replies import Ending, Look, Refusal, RunResult
from embrix.messages.requests import LookAt, RunLane
from embrix.text.hidden import can_hide, hidden_in
from embrix.text.plural import counted
from embrix.text.refusal import refusal
from embrix.text.source import Source, Unreadable
from embrix.text.visible import cut, visible
from embrix.text.way_numbers import ways_text
from embrix.tui.bars import Masthead, Title, tell
from embrix.tui.bench_commands import BenchCommands
from embrix.tui.desk import PATIENCE
from embrix.tui.document import Document
from embrix.tui.editor import KEEPING
from embrix.tui.side_views import LanesView, TokensView, TreeView

MORE_MISTAKES = 4
"""Mistakes of a rejected program that are reported beside it; all of them are marked in it."""

LONGEST_SUPPLY = 24
"""Characters of supplied names, or of input, that the title of the program shows."""


RESTING = 0.4
"""Seconds after which the keys are taken to rest."""


class ProgramPane(BenchCommands):
    """The program, its tree and tokens, its outcomes and its walk, kept in step as it is typed."""

    def __init__(self, folder: Path, program: Path | None) -> None:
        super().__init__(folder, program)
        self._draft_timer: Timer | None = None
        self._waiting: Timer | None = None
        self._longer: list[str] = []
        """Lanes that take longer than nearly all: they go on when the keys rest."""
        self._ways: tuple[str, str, list[int]] = ("", "", [])
        """A program and a lane, and the ways that were chosen for it."""
        self._asked_about: tuple[object, ...] = ()
        """What was asked about last, as `_about` gives it."""

    @abstractmethod
    def side_title(self) -> None:
        """Bring the title of the side pane into step with what it shows."""

    def open_unnamed(self) -> None:
        """Show a text without a name: what was typed there last, if anything was."""
        document, text, draft = Document.without_name(self.folder)
        self._show(document, text, draft=draft)

    def open_program(self, path: Path) -> None:
        """Show a program; what was not saved of the present one is kept as a draft."""
        self.keep_draft()
        try:
            document, text, draft = Document.open(path)
        except Unreadable as fault:
            self.say(str(fault), "brick")
            return
        if not can_hide(text):
            self.say(
                f"{path.name} has private characters that this editor needs for itself", "brick"
            )
            return
        self._show(document, text, draft=draft)

    def _show(self, document: Document, text: str, *, draft: bool) -> None:
        if self.document is not None and self.document.path != document.path:
            self.walking.to_program(self.document.path, document.path)
        self.document = document
        if document.named:
            self.note_open(document.path)
        self._take_supplies(document.path)
        self.text = text
        self.editor.load_text(text)
        self.editor.read_only = False
        if draft:
            self.say("text that was not saved last time is back; Ctrl+S saves it", "brass")
        elif hidden_in(text):
            kept = counted(hidden_in(text), "character")
            self.say(f"{kept} that cannot be typed here: shown by signs, and kept as they are")
        else:
            self.say("")
        if self.summary:
            self.languages_changed()
            self.checking.follow(document)
        self.show_title()

    def show_program(self, path: Path, text: str) -> None:
        """Put a text into the editor, as a file that need not exist yet; if there is another text,
        under another name."""
        self.keep_draft()
        self.document = Document.holding(path, text)
        self._take_supplies(self.document.path)
        self.text = text
        self.editor.load_text(text)
        if self.summary:
            self.languages_changed()
            self.checking.follow(self.document)
        self.show_title()

    def show_case(self, name: str, program: str) -> None:
        """Put the program of a case into the editor, as a file that does not exist yet."""
        folder = self.program_folder
        stem = "".join(c if c.isalnum() else "_" for c in name)[:40].strip("_")
        self.show_program(folder / f"case_{stem}.{self.extension}", program)
        self.say(f"the program of the case “{name}”")

    def show_title(self) -> None:
        document = self.document
        name = "no file yet"
        saved = True
        if document is not None and document.named:
            name = self.name_of(document.path)
        if document is not None:
            saved = document.is_saved(self.editor.text)
        right = "" if saved else "● not saved"
        if self.rule:
            right = f"at rule {self.rule}  {right}"
        if ways := self.ways_on(self.lane):
            right = f"by the ways {cut(ways_text(ways), LONGEST_SUPPLY)}  {right}"
        if self.input:
            right = f"input {cut('; '.join(self.input), LONGEST_SUPPLY)}  {right}"
        if self.walking.given:
            names = "; ".join(f"{name} = {value}" for name, value in self.walking.given.items())
            right = f"with {cut(names, LONGEST_SUPPLY)}  {right}"
        self.query_one("#program-title", Title).show(name, right, "brass")

    @on(TextArea.Changed, "#program")
    def _program_changed(self) -> None:
        self.text = self.editor.text
        self.show_title()
        self.query_one(Masthead).typed()
        if self._about != self._asked_about:
            self.text_changed()
        if self._draft_timer is None:
            self._draft_timer = self.set_timer(KEEPING, self._keep_soon)

    def _keep_soon(self) -> None:
        self._draft_timer = None
        self.keep_draft()

    def keep_draft(self) -> None:
        if self.document is not None:
            try:
                self.document.keep(self.text)
            except (OSError, ValueError) as fault:
                if self.is_attached:
                    self.say(f"unsaved text cannot be kept: {refusal(fault)}", "brick")

    # ---------------------------------------------------------------- what it gives

    @property
    def _about(self) -> tuple[object, ...]:
        """What the answers about the program are about. A text that has just been loaded is asked
        about before the editor tells that it has changed."""
        path = self.document.path if self.document is not None else None
        given = tuple(self.walking.given.items())
        return path, self.language, self.editor.text, self.rule, tuple(self.input), given

    def text_changed(self) -> None:
        """Ask anew what the program means and gives."""
        if self.desk is None or not self.summary or not self.language:
            return
        self._asked_about = self._about
        self.version += 1
        version = self.version
        text = self.editor.text
        self.desk.drop("program")
        self.lanes.fresh.clear()
        request = LookAt(language=self.language, text=text, rule=self.rule or None)
        self.desk.ask("program", request, partial(self._looked, version, text))
        if self._reads_a_part:
            # A part of a program has a tree, but nothing to run.
            self.lanes.results = {}
            self.lanes.idle = f"read at rule {self.rule}: no program to run"
            self.lanes.refresh()
            self.query_one("#lanes-title", Title).show(right="")
            self.walking.forget()
            return
        self.lanes.idle = ""
        if not self.lanes.lanes:
            return
        # A run that is long is recorded when the keys rest: it takes longer than running it.
        self._ask_walk(self.at, wait=self.lane in self.lanes.lanes)
        self._longer.clear()
        for lane in sorted(self.lanes.lanes, key=lambda one: one != self.lane):
            self._run_lane(lane, brief=True)
        if self._waiting is None:
            self._waiting = self.set_timer(PATIENCE, self._still_running)

    def _run_lane(self, lane: str, *, brief: bool = False) -> None:
        assert self.desk is not None
        run = RunLane(
            language=self.language, text=self.editor.text, lane=lane, input=self.input,
            given=self.walking.given, ways=self.ways_on(lane), brief=brief,
        )  # fmt: skip
        take = self._ran_briefly if brief else self._ran
        self.desk.ask("program", run, partial(take, self.version, lane))

    def _ran_briefly(self, version: int, lane: str, result: RunResult) -> None:
        """A lane that takes longer than nearly all runs as far as it may when the keys rest."""
        ending = result.outcome
        long = (ending.kind, ending.name) == ("out of fuel", "calls")
        if version == self.version and lane == self.lane and not long:
            self.walking.begin()
        if version == self.version and long:
            self._longer.append(lane)
            if len(self._longer) == 1:
                self.set_timer(RESTING, partial(self._run_longer, version))
        else:
            self._ran(version, lane, result)

    def _run_longer(self, version: int) -> None:
        if version == self.version:
            self.walking.begin()
            lanes, self._longer = self._longer, []
            for lane in lanes:
                self._run_lane(lane)

    def _still_running(self) -> None:
        """Say of what another text gave that it did."""
        self._waiting = None
        if len(self.lanes.fresh) < len(self.lanes.lanes):
            self.lanes.refresh()
            self.query_one("#lanes-title", Title).show(right="running")

    @property
    def _reads_a_part(self) -> bool:
        """Whether the text is read at a rule that no program starts with."""
        language = self.languages.get(self.language)
        return bool(self.rule) and (language is None or self.rule not in language.starts)

    def _looked(self, version: int, text: str, look: Look) -> None:
        if version != self.version:
            return
        self.editor.explain(text, look)
        refused = look.refused
        reading = refused.reading if refused else None
        self.query_one(TreeView).show(look.tree, look.cut, reading)
        self.query_one(TokensView).show(text, look)
        self.side_title()
        self._notice(text, refused)
        if refused and refused.trees:
            self.query_one(TreeView).show([*refused.trees[0], *refused.trees[1]], 0)

    def _notice(self, text: str, outcome: Ending | Refusal | None) -> None:
        """Say beside the program what is wrong with it."""
        notice = self.query_one("#notice", Static)
        if outcome is None or outcome.kind == "value":
            tell(notice, "")
            return
        place = ""
        if outcome.place is not None:
            line, column = Source("", text).position(outcome.place[0])
            place = f"{line}:{column}  "
        name = f"{outcome.name}: " if outcome.kind == "failure" else ""
        message = f"{place}{name}{visible(outcome.text)}"
        mistakes = outcome.mistakes[1:MORE_MISTAKES] if isinstance(outcome, Refusal) else ()
        for one in mistakes:
            line, column = Source("", text).position(one.start)
            message += f"\n{line}:{column}  {visible(one.message)}"
        tell(notice, message)

    def _ran(self, version: int, lane: str, result: RunResult) -> None:
        if version != self.version:
            return
        self.lanes.results[lane] = result
        self.lanes.fresh.add(lane)
        self.lanes.refresh()
        if lane == self.lane and result.outcome.kind != "rejected":
            self._notice(self.editor.text, result.outcome)
        if len(self.lanes.fresh) == len(self.lanes.lanes):
            if self._waiting is not None:
                self._waiting.stop()
                self._waiting = None
            found = {LanesView.ending(r) for r in self.lanes.results.values()}
            agree = len(found) == 1
            right = "all agree" if agree else f"{len(found)} different outcomes"
            self.query_one("#lanes-title", Title).show(
                self.language, right, "moss" if agree else "brass"
            )

    # ---------------------------------------------------------------- lanes and steps

    def choose_lane(self, lane: str) -> None:
        """Walk another lane from now on, at the step at which it evaluates the same part of the
        program."""
        self.lane = lane
        self.lanes.cursor = self.lanes.lanes.index(lane)
        self.lanes.refresh()
        result = self.lanes.results.get(lane)
        if result is not None and lane in self.lanes.fresh:
            self._notice(self.editor.text, result.outcome)
        self._ask_walk(0, follow=True)

    def _ask_walk(self, at: int, *, follow: bool = False, wait: bool = False) -> None:
        ways = self.ways_on(self.lane)
        key = f"{self.version}:{self.lane}:{ways_text(ways)}"
        self.walking.ask(
            key, self.language, self.lane, self.editor.text, at, self.input, ways, follow=follow,
            wait=wait,
        )  # fmt: skip

    def walk_lane(self, lane: str, at: int) -> None:
        """A lane of the program at a step."""
        self.to_lane(lane)
        if lane in self.lanes.lanes:
            self.lanes.cursor = self.lanes.lanes.index(lane)
            self.lanes.refresh()
        self._ask_walk(at)
        self.set_focus(self.step_rows)

    def ways_on(self, lane: str) -> list[int]:
        """The ways that were chosen for the program as it stands on a lane."""
        return self._ways[2] if self._ways[:2] == (self.editor.text, lane) else []

    def choose_ways(self, lane: str, ways: list[int]) -> None:
        """From now on the program runs on a lane by some ways, until it changes."""
        self._ways = (self.editor.text, lane, ways)

    def walk_ways(self, lane: str, ways: list[int], at: int) -> None:
        """Run and walk the program on a lane by some ways, until it changes."""
        self.choose_ways(lane, ways)
        self.walk_lane(lane, at)
        self.show_title()
        self.lanes.fresh.discard(lane)
        self._run_lane(lane)

    # ---------------------------------------------------------------- what is supplied by hand

    def _take_supplies(self, path: Path) -> None:
        """The names and lines that were supplied to a program before, if any were."""
        given, lines = self.supplied.get(path, ({}, []))
        self.walking.given, self.input = dict(given), list(lines)

    def supply(self, given: dict[str, str], lines: list[str]) -> None:
        self.walking.given, self.input = given, lines
        if self.document is not None:
            self.supplied[self.document.path] = given, lines
        self.show_title()
        self.text_changed()
