"""The bench: one program, many lanes, one moment. Keeps the panes in step."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any, ClassVar

from textual import events, on
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.timer import Timer
from textual.widget import Widget
from textual.widgets import Static, TextArea
from watchfiles import awatch

from embrix.course.drafts import drafts_below, is_unnamed
from embrix.course.finding import files_of
from embrix.course.naming import plain_name
from embrix.messages.replies import (
    CaseRow,
    CaseVerdict,
    CourseSummary,
    Ending,
    Look,
    Note,
    Refusal,
    RunResult,
    SuiteReport,
)
from embrix.messages.requests import LookAt, RunLane
from embrix.text.hidden import can_hide, hidden_in
from embrix.text.plural import counted
from embrix.text.source import Source, Unreadable
from embrix.text.visible import cut, visible
from embrix.tui.annotated import AnnotatedEditor
from embrix.tui.bars import Footer, Masthead, Title, tell
from embrix.tui.checking import Checking
from embrix.tui.choosing import Choosing
from embrix.tui.commands import (
    STEPPING,
    WHERE_THERE_IS_ROOM,
    WRITING,
    Command,
    everywhere,
    of_place,
)
from embrix.tui.comparing import Comparing
from embrix.tui.deciding import Deciding
from embrix.tui.deriving import Deriving
from embrix.tui.desk import PATIENCE, Delivered, Desk, Faulted
from embrix.tui.dialogs import Help
from embrix.tui.document import Document
from embrix.tui.drafting import Drafting
from embrix.tui.drawing import Drawings
from embrix.tui.editor import KEEPING, ProgramEditor
from embrix.tui.faces import CasesFace, GrammarFace, LanesView, NotesFace, TokensFace, TreeFace
from embrix.tui.growing import Growing
from embrix.tui.hunting import Hunting
from embrix.tui.prompting import Prompting
from embrix.tui.rows import Rows
from embrix.tui.search_pane import Seeking
from embrix.tui.tally import Tally
from embrix.tui.text_actions import TextActions
from embrix.tui.unsaved_text import discard, save
from embrix.tui.view import View
from embrix.tui.walk_pane import Gauge, Moment, Stations
from embrix.tui.walking import Walking
from embrix.tui.workbench import Say

MORE_MISTAKES = 4
"""Mistakes of a rejected program that are told beside it; all of them are marked in it."""
FACES = ("tree", "tokens", "grammar", "cases", "notes")
PANES = ("text", "program", "lanes", "side", "walk")


NARROW = 104
"""Columns below which one pane is shown at a time."""


LONGEST_SUPPLY = 24
"""Characters of supplied names, or of input, that the title of the program shows."""


class Bench(TextActions):
    """The one screen of the workbench."""

    CSS_PATH = "bench.tcss"
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding(command.key, command.action, command.short, show=False, priority=True)
        for command in (*everywhere(), *WRITING)
    ]

    def __init__(self, folder: Path, program: Path | None) -> None:
        super().__init__(folder, program)
        self.checking: Checking
        self.seeking: Seeking
        self.drawing: Drawings
        self.choosing: Choosing
        self.face = "tree"
        self.version = 0
        self.told = ""
        self._draft_timer: Timer | None = None
        self._waiting: Timer | None = None

    # ---------------------------------------------------------------- layout

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        with Horizontal(id="main"):
            with Vertical(id="left"):
                yield Title("file", id="text-title")
                yield AnnotatedEditor(id="text")
                yield Static("", id="text-note", markup=False)
                yield Title("program", id="program-title")
                yield ProgramEditor(id="program")
                yield Static("", id="notice", markup=False)
            with Vertical(id="right"):
                yield Title("lanes", id="lanes-title")
                yield LanesView(id="lanes")
                with Vertical(id="side"):
                    yield Title("tree", id="side-title")
                    yield TreeFace(id="tree")
                    yield TokensFace(id="tokens")
                    yield GrammarFace(id="grammar")
                    yield CasesFace(id="cases")
                    yield NotesFace(id="notes")
        with Vertical(id="low"):
            yield Title("walk", id="walk-title")
            yield Gauge(id="gauge")
            with Horizontal(id="walk-row"):
                yield Stations(id="walk")
                yield Moment(id="moment")
        yield Footer(self._footer_commands)

    def on_mount(self) -> None:
        self.desk = Desk(self)
        self.walking = Walking(self, self.desk)
        self.checking = Checking(self, self.desk)
        self.seeking = Seeking(self, self.desk)
        self.drawing = Drawings(self, self.desk)
        self.choosing = Choosing(self, self.desk)
        self.begin_text_actions(self.desk)
        self.show_face("tree")
        self.query_one(Masthead).show(course=self.folder.name, busy="reading the course …")
        self.read_course()
        self.editor.focus()
        self.run_worker(self._watch(), description="watching the course", exit_on_error=False)

    def read_course(self) -> None:
        assert self.desk is not None
        for topic in ("suite", "notes", "grammar"):
            self.desk.drop(topic)  # of the course as it was
        self.desk.load(str(self.folder), self._loaded, self.writing.unsaved)
        self.checking.course_asked()

    def on_unmount(self) -> None:
        self.keep_draft()
        if self.desk is not None:
            self.writing.keep()
            self.desk.close()

    def on_resize(self, event: events.Resize) -> None:
        narrow = event.size.width < NARROW
        self.set_class(narrow, "narrow")
        self.set_class(event.size.height < 34, "short")

    def on_descendant_focus(self, _event: events.DescendantFocus) -> None:
        self._focus_moved()

    def _focus_moved(self) -> None:
        pane = self.pane
        for name in PANES:
            self.query_one(f"#{name}-title", Title).light(name == pane)
            self.set_class(name == pane, f"at-{name}")
        self.query_one(Footer).refresh()

    @property
    def pane(self) -> str:
        """The pane that has the focus."""
        focused: Widget | None = self.focused
        if focused is None or focused.id is None:
            return "program"
        return "side" if focused.id in FACES else focused.id

    @property
    def place(self) -> str:
        """The pane with the focus, or the face that the side pane shows."""
        return self.face if self.pane == "side" else self.pane

    def _footer_commands(self) -> list[Command]:
        own = [command for command in of_place(self.place) if command.short][:2]
        common = {command.action: command for command in everywhere()}
        first = [command for command in common.values() if command.footer]
        return [*first, *own, STEPPING, *(common[action] for action in WHERE_THERE_IS_ROOM)]

    # ---------------------------------------------------------------- answers

    def on_delivered(self, message: Delivered) -> None:
        message.take(message.data)

    def on_faulted(self, message: Faulted) -> None:
        """Tell it where it can be seen: on the view that lies over the bench."""
        last = message.text.strip().splitlines()[-1]
        told = last if message.missing else f"Embrix itself failed: {last}"
        for screen in reversed(self.app.screen_stack):
            if isinstance(screen, View | Drafting) or screen is self:
                screen.say(told, "brass" if message.missing else "brick")
                return

    def _loaded(self, summary: CourseSummary) -> None:
        first = self.summary is None
        self.summary = summary
        self.writing.course_read()
        self.query_one(Masthead).show(course=summary.title, busy="")
        self.notes_came(summary.diagnostics)
        if self.document is None:
            self._open_first()
        self.languages_changed()
        # Verdicts are what an author waits for; everything else comes behind them.
        self.checking.course_read(self.document)
        self.checking.ask_notes()
        if first and any(d.severity == "error" for d in summary.diagnostics):
            self.show_face("notes")
        self.text_changed()
        if isinstance(self.app.screen, Drafting):
            self.app.screen.look()

    def notes_came(self, notes: list[Note]) -> None:
        self.query_one(NotesFace).show(notes)
        self.writing.show_notes(notes)
        self.side_title()

    def _open_first(self) -> None:
        path = self.wanted
        if path is None:
            for language in self.languages.values():
                if language.programs:
                    path = Path(language.programs[0])
                    break
        if path is not None:
            self.open_program(path)
        else:
            self.open_unnamed()
        folder = self.course_folder
        files = {path.resolve() for path in files_of(folder)}
        drafts = (one.program for one in drafts_below(folder) if not is_unnamed(one.program))
        left = [program.name for program in drafts if program.resolve() in files]
        if left:
            self.say(f"text that was not saved last time: {', '.join(left)}; F2 opens it", "brass")

    def languages_changed(self) -> None:
        languages = self.languages
        suffix = self.document.path.suffix.removeprefix(".") if self.document is not None else ""
        if suffix:
            for name, known in languages.items():
                if known.extension == suffix:
                    self.language = name
        if self.language not in languages:
            self.language = next(iter(languages), "")
        self.query_one(Masthead).show(language=self.language)
        language = self.languages.get(self.language)
        lanes = [lane.name for lane in language.lanes] if language else []
        extra = self.decided.get(self.language, [])
        lanes += [lane for lane in extra if plain_name(lane) in lanes]
        lanes += language.outside if language else []
        broken = list(language.broken) if language else []
        if language and not language.usable:
            lanes, broken = [], [*lanes, *broken]
        errors = {lane.name: lane.errors for lane in language.lanes} if language else {}
        self.lanes.set_lanes(lanes, broken, errors)
        if self.lane not in lanes:
            self.lane = lanes[0] if lanes else ""
        if self.lane:
            self.lanes.cursor = lanes.index(self.lane)
        self.lanes.styles.height = max(1, min(10, len(lanes) + len(broken)))
        self.query_one("#lanes-title", Title).show(self.language)
        if language is None or self.rule not in language.rules:
            self.rule = ""
        self.checking.ask_grammar(self.language, self.rule)

    # ---------------------------------------------------------------- the program

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
        self.document = document
        if document.named:
            self.note_open(document.path)
        self._take_supplies(document.path)
        self.text = text
        self.editor.load_text(text)
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

    def show_title(self) -> None:
        document = self.document
        name = "no file yet"
        saved = True
        if document is not None and document.named:
            path, folder = document.path.resolve(), self.folder.resolve()
            name = path.relative_to(folder).as_posix() if path.is_relative_to(folder) else path.name
        if document is not None:
            saved = document.is_saved(self.editor.text)
        right = "" if saved else "● not saved"
        if self.rule:
            right = f"at rule {self.rule}  {right}"
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
                    self.say(f"unsaved text cannot be kept: {fault}", "brick")

    def text_changed(self) -> None:
        """Ask anew what the program means and gives."""
        if self.desk is None or not self.summary or not self.language:
            return
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
        self._ask_walk(self.at)
        for lane in self.lanes.lanes:
            take = partial(self._ran, version, lane)
            run = RunLane(
                language=self.language, text=text, lane=lane, input=self.input,
                given=self.walking.given,
            )  # fmt: skip
            self.desk.ask("program", run, take)
        if self._waiting is None:
            self._waiting = self.set_timer(PATIENCE, self._still_running)

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
        self.query_one(TreeFace).show(look.tree, look.cut, reading)
        self.query_one(TokensFace).show(text, look)
        self.side_title()
        self._notice(text, refused)
        if refused and refused.trees:
            self.query_one(TreeFace).show([*refused.trees[0], *refused.trees[1]], 0)

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
        told = f"{place}{name}{visible(outcome.text)}"
        mistakes = outcome.mistakes[1:MORE_MISTAKES] if isinstance(outcome, Refusal) else ()
        for one in mistakes:
            line, column = Source("", text).position(one.start)
            told += f"\n{line}:{column}  {visible(one.message)}"
        tell(notice, told)

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
            found = {LanesView.told(r) for r in self.lanes.results.values()}
            agree = len(found) == 1
            right = "all agree" if agree else f"{len(found)} different outcomes"
            self.query_one("#lanes-title", Title).show(
                self.language, right, "moss" if agree else "brass"
            )

    # ---------------------------------------------------------------- the walk

    @on(Stations.Wanted)
    def _station_wanted(self, message: Stations.Wanted) -> None:
        self.walking.fetch(message.number)

    @on(Rows.Moved)
    def _row_moved(self, message: Rows.Moved) -> None:
        if message.rows is self.stations:
            self.walking.go(message.number)
        elif message.rows is self.lanes and self.lanes.chosen:
            self._choose_lane(self.lanes.chosen)
        elif isinstance(message.rows, TreeFace) and message.rows.has_focus:
            self.editor.mark(self.editor.text, message.rows.place)

    @on(Gauge.Jump)
    def _jumped(self, message: Gauge.Jump) -> None:
        self.walking.go(round(message.share * (self.stations.length - 1)))

    def _choose_lane(self, lane: str) -> None:
        self.lane = lane
        self.lanes.cursor = self.lanes.lanes.index(lane)
        self.lanes.refresh()
        result = self.lanes.results.get(lane)
        if result is not None and lane in self.lanes.fresh:
            self._notice(self.editor.text, result.outcome)
        self._ask_walk(0)

    def _ask_walk(self, at: int) -> None:
        key = f"{self.version}:{self.lane}"
        self.walking.ask(key, self.language, self.lane, self.editor.text, at, self.input)

    # ---------------------------------------------------------------- cases

    def suite_ran(self, report: SuiteReport) -> None:
        self.writing.show_report(report)
        if isinstance(self.app.screen, Tally):
            self.app.screen.show(report)
        self.checking.tested(report)

    def suite_near(self) -> Path | None:
        return self.checking.suite_near(self.document)

    def ask_grammar(self) -> None:
        self.checking.ask_grammar(self.language, self.rule)

    @property
    def marks(self) -> list[int]:
        return self.walking.marks

    def write_picture(
        self, kind: str, name: str, lanes: Sequence[str], say: Say, **more: Any
    ) -> None:
        self.drawing.write(kind, name, lanes, say, **more)

    @on(CasesFace.Try)
    def _try_case(self, message: CasesFace.Try) -> None:
        """To the program of a case, on the lane under the cursor or the first that fails."""
        verdict = self.query_one(CasesFace).verdict
        failed = [v for v in message.case.verdicts if v.state == "failed"]
        verdict = verdict or (failed[0] if failed else None)
        if verdict is None:
            self.show_case(message.case.name, message.case.program)
        else:
            self.walk_case(message.case, verdict)

    def walk_case(self, case: CaseRow, verdict: CaseVerdict) -> None:
        """The program of a case on the lane of a verdict, at its station or at the last one."""
        self.to_lane(verdict.lane)
        self.walking.to_last = verdict.station < 0
        self.walking.at = max(0, verdict.station)
        self.show_case(case.name, case.program)
        self.supply(dict(case.given), list(case.input))
        self.languages_changed()
        self.set_focus(self.stations)

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

    def walk_lane(self, lane: str, at: int) -> None:
        """A lane of the program at a station."""
        self.to_lane(lane)
        if lane in self.lanes.lanes:
            self.lanes.cursor = self.lanes.lanes.index(lane)
            self.lanes.refresh()
        self._ask_walk(at)
        self.set_focus(self.stations)

    def show_case(self, name: str, program: str) -> None:
        """Put the program of a case into the editor, as a file that does not exist yet."""
        folder = self.program_folder
        stem = "".join(c if c.isalnum() else "_" for c in name)[:40].strip("_")
        self.show_program(folder / f"case_{stem}.{self.extension}", program)
        self.say(f"the program of the case “{name}”")

    def show_program(self, path: Path, text: str) -> None:
        """Put a text into the editor, as a file that need not exist yet."""
        self.keep_draft()
        self.document = Document(path)
        self._take_supplies(path)
        self.text = text
        self.editor.load_text(text)
        self.show_title()

    # ---------------------------------------------------------------- the course on disk

    async def _watch(self) -> None:
        """Follow changes made outside: definitions, suites and the open program."""
        async for changes in awatch(self.folder, step=40, debounce=200):
            paths = {Path(path) for _, path in changes}
            document = self.document
            if document is not None and document.named and document.path.resolve() in paths:
                self._program_changed_on_disk(document)
            ours = {path for path in paths if path.suffix in (".brix", ".toml")}
            if ours:
                self.writing.changed_on_disk()
                self.query_one(Masthead).show(busy="reading the course again …")
                self.read_course()

    def _program_changed_on_disk(self, document: Document) -> None:
        try:
            disk = document.disk_changed()
        except Unreadable as fault:
            self.say(str(fault), "brick")
            return
        if document.vanished():
            self.say(f"{document.path.name} is gone; its text is still here, not saved", "brass")
            self.show_title()
        elif disk is None:
            return
        elif document.is_saved(self.editor.text):
            document.saved = disk
            self.editor.load_text(disk)
            self.say("the program was changed outside and has been read again")
        elif disk != self.told:
            self.told = disk
            self.say("the file was changed outside; your text is still here, not saved", "brass")

    # ---------------------------------------------------------------- faces and panes

    def show_face(self, face: str) -> None:
        """Show one of the faces of the side pane."""
        had_focus = self.pane == "side"
        self.face = face
        for name in FACES:
            self.query_one(f"#{name}").display = name == face
        if had_focus:
            self.query_one(f"#{face}").focus()
        self.side_title()

    def side_title(self) -> None:
        title = self.query_one("#side-title", Title)
        title.label = self.face
        others = " · ".join(face for face in FACES if face != self.face)
        subject = ""
        if self.face == "cases" and self.query_one(CasesFace).report:
            report = self.query_one(CasesFace).report
            subject = " ".join(report.lanes) if report is not None else ""
        elif self.face == "notes":
            subject = str(len(self.query_one(NotesFace).notes) or "none")
        elif self.face == "tokens":
            subject = str(len(self.query_one(TokensFace).tokens))
        errors = sum(n.severity == "error" for n in self.query_one(NotesFace).notes)
        right = f"F3 {others}" if not errors else f"F3 {others} ({errors} ✗)"
        title.show(subject, right, "brick" if errors else "faint")

    # ---------------------------------------------------------------- commands

    @on(Footer.Chosen)
    async def _footer_chosen(self, message: Footer.Chosen) -> None:
        await self.run_action(message.action)

    def unavailable(self) -> dict[str, str]:
        """Commands that cannot be carried out now, with the reason."""
        reasons: dict[str, str] = {}
        if not self.summary:
            reasons = dict.fromkeys(("open", "new", "suite"), "the course is still being read")
        elif not self.summary.suites:
            reasons["suite"] = "the course has no suite"
        if len(self.lanes.lanes) < 2:
            reasons.update(dict.fromkeys(("lane", "hunt"), "there is no other lane"))
        if self.stations.length < 2:
            steps = ("back", "forward", "ends", "first", "last", "leap_back", "leap_on")
            reasons.update(dict.fromkeys(steps, "the run has no steps"))
        return reasons

    def action_help(self) -> None:
        async def carry_out(action: str | None) -> None:
            if action is not None:
                await self.run_action(f"screen.{action}")

        self.app.push_screen(Help(self.place, self.unavailable()), carry_out)

    def action_palette(self) -> None:
        self.action_help()

    def action_open(self) -> None:
        self.choosing.file()

    def action_rule(self) -> None:
        self.choosing.rule()

    def action_choice(self) -> None:
        self.choosing.choice_or_version()

    def action_input(self) -> None:
        self.choosing.input()

    def action_names(self) -> None:
        self.choosing.names()

    def action_new(self) -> None:
        self.choosing.new()

    def action_draft(self) -> None:
        """The drafting table for the definition that is open, or for the language of the
        program."""
        language = self.languages.get(self.language)
        if language is None or self.desk is None:
            return
        document = self.writing.document
        if document is None or document.path.suffix != ".brix":
            self.writing.open(self.course_folder / language.file)
            self.writing.reveal("grammar")
        if self.writing.is_open:
            self.writing.read_now()
            text = self.editor.text
            self.app.push_screen(Drafting(self, self.desk, self.language, self.writing, text))

    def action_clause(self) -> None:
        """From the moment to the clause of the definition that applies."""
        station = self.stations.stations.get(self.at)
        if station is None or not station.clause:
            self.say("no clause applies at this step", "brass")
            return
        self.open_text(self.course_folder / station.clause.file, int(station.clause.line))

    def open_text(self, path: Path, line: int = 0) -> None:
        self.names.leave()
        self.writing.open(path, line)

    def close_text(self) -> None:
        self.writing.close()

    @property
    def file_beside(self) -> Path | None:
        return self.writing.document.path if self.writing.document is not None else None

    @property
    def text_beside(self) -> str:
        document = self.writing.document
        return document.path.name if document is not None else ""

    @property
    def unsaved_files(self) -> set[Path]:
        return self.writing.unsaved_files

    @on(NotesFace.Go)
    def _to_note(self, message: NotesFace.Go) -> None:
        self.open_text(self.course_folder / message.note.file, message.note.line)

    @on(TextArea.Changed, "#text")
    def _text_typed(self) -> None:
        self.writing.typed()
        self.names.cursor_moved()  # what it stands on may be another name now

    @on(TextArea.SelectionChanged, "#text")
    def _text_cursor_moved(self) -> None:
        self.writing.remark()
        self.names.cursor_moved()

    def action_prompt(self) -> None:
        """The prompt for the language of the program."""
        if self.desk is not None and self.language:
            said = self.transcripts.setdefault(self.language, [])
            self.app.push_screen(Prompting(self.desk, self.language, said))

    def action_face(self) -> None:
        self.show_face(FACES[(FACES.index(self.face) + 1) % len(FACES)])
        if self.has_class("narrow"):
            self.query_one(f"#{self.face}").focus()

    def action_lane(self) -> None:
        lanes = self.lanes.lanes
        if lanes:
            at = lanes.index(self.lane) if self.lane in lanes else -1
            self._choose_lane(lanes[(at + 1) % len(lanes)])

    def action_suite(self) -> None:
        report = self.query_one(CasesFace).report
        if self.summary and self.face == "cases" and report and self.desk is not None:
            self.app.push_screen(Tally(self, self.desk, report))
            return
        if self.summary:
            self.show_face("cases")
            if self.has_class("narrow"):
                self.query_one(CasesFace).focus()
            self.checking.run_suite(self.document)

    def action_mend(self) -> None:
        """The repair of what is noted where the cursor stands, in the file or among the notes."""
        note = self.query_one(NotesFace).note if self.place == "notes" else None
        if note is not None:
            self.open_text(self.course_folder / note.file, note.line)
        if self.writing.is_open:
            self.writing.mend(self.writing.editor.cursor_location[0], self.say)
        else:
            self.say("F2 opens a file of the course; a repair is for the line of its cursor")

    def action_case(self) -> None:
        """The program becomes a case of the suite."""
        self.writing.add_case()

    def action_try_case(self) -> None:
        self.query_one(CasesFace).key_enter()

    def action_go_to_note(self) -> None:
        self.query_one(NotesFace).action_go()

    def action_pane(self) -> None:
        panes = [name for name in PANES if name != "text" or self.writing.is_open]
        target = panes[(panes.index(self.pane) + 1) % len(panes)]
        # At once, not by Widget.focus, which waits: a second key may come with the first.
        self.set_focus(self.query_one(f"#{self.face}" if target == "side" else f"#{target}"))

    def action_seek(self, kind: str, forward: bool) -> None:
        self.seeking.seek(kind, forward)

    def action_seek_again(self, forward: bool) -> None:
        self.seeking.again(forward)

    def action_to_number(self) -> None:
        self.seeking.to_number()

    def action_mark(self) -> None:
        self.seeking.mark()

    def action_next_mark(self, forward: bool) -> None:
        self.seeking.next_mark(forward)

    def action_save_walk(self) -> None:
        self.seeking.save()

    def action_beside(self) -> None:
        """All lanes beside each other."""
        if self.desk is not None and self.lanes.lanes:
            self.app.push_screen(Comparing(self, self.desk))

    def action_hunt(self) -> None:
        """The smallest program on which two lanes differ."""
        if self.desk is not None and len(self.lanes.lanes) > 1:
            self.app.push_screen(Hunting(self, self.desk))

    def action_growth(self) -> None:
        """How a cost grows when a name goes over a range."""
        if self.desk is not None and self.lanes.lanes:
            self.app.push_screen(Growing(self, self.desk))

    def action_decisions(self) -> None:
        """The questions of the suites and the choices, with what each lane decides."""
        if self.desk is not None and self.summary:
            self.app.push_screen(Deciding(self, self.desk))

    def action_derive(self) -> None:
        """The derivation of the run."""
        if self.desk is not None and self.lanes.lanes:
            self.app.push_screen(Deriving(self, self.desk))

    def action_draw(self) -> None:
        if self.desk is not None and self.lanes.lanes:
            self.drawing.choose()

    def action_back(self) -> None:
        self.walking.go(self.at - 1)

    def action_forward(self) -> None:
        self.walking.go(self.at + 1)

    def action_leap_back(self) -> None:
        self.walking.go(self.at - 10)

    def action_leap_on(self) -> None:
        self.walking.go(self.at + 10)

    def action_first(self) -> None:
        self.walking.go(0)

    def action_last(self) -> None:
        self.walking.go(self.stations.length - 1)

    def action_ends(self) -> None:
        last = self.stations.length - 1
        self.walking.go(0 if self.at == last else last)

    def action_lamp(self) -> None:
        self.app.action_lamp()  # type: ignore[attr-defined]

    def action_save(self) -> None:
        """Save the text with the focus; from another pane the file, if it is not saved."""
        if self.pane == "text" or (self.pane != "program" and self.writing.changed):
            self.writing.save(self.say)
            return
        if self.document is None or not self.document.named:
            self.choosing.name_it()
            return
        document = self.document

        def saved() -> None:
            self.say(f"saved {document.path.name}")
            self.show_title()

        save(self.app, document, lambda: self.editor.text, self.say, saved)

    def action_discard(self) -> None:
        """Back to what is in the file, for the text with the focus."""
        if self.pane == "text":
            self.writing.discard(self.say)
        elif self.document is not None:
            discard(self.app, self.document, self.editor.text, self.say, self.editor.replace_all)

    def action_quit(self) -> None:
        self.keep_draft()
        self.writing.keep()
        self.app.exit()
