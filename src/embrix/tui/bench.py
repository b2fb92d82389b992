"""The bench: one program, many lanes, one current step. Keeps the panes at it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any, ClassVar

from textual import events, on
from textual.app import ComposeResult
from textual.binding import Binding, BindingType
from textual.containers import Horizontal, Vertical
from textual.screen import Screen
from textual.widget import Widget
from textual.widgets import Static, TextArea

from embrix.course.drafts import drafts_below, is_unnamed
from embrix.course.finding import files_of
from embrix.course.naming import decisions_in, plain_name
from embrix.messages.replies import CourseSummary, Note
from embrix.messages.replies_on_lessons import StopShown
from embrix.messages.replies_on_suites import CaseRow, CaseVerdict, SuiteReport
from embrix.text.log import log_file
from embrix.tui.annotated import AnnotatedEditor
from embrix.tui.arranging_panes import arrangement
from embrix.tui.bars import Footer, Masthead, Title
from embrix.tui.bench_commands import PANES, SIDE_VIEWS
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
from embrix.tui.desk import Delivered, Desk, Faulted
from embrix.tui.drawing import Drawings
from embrix.tui.editor import ProgramEditor
from embrix.tui.pane_edges import Edge, Grip
from embrix.tui.program_pane import ProgramPane
from embrix.tui.remembering import OFTEN, Remembering
from embrix.tui.rows import Rows
from embrix.tui.search_pane import Seeking
from embrix.tui.side_views import CasesView, GrammarView, LanesView, NotesView, TokensView, TreeView
from embrix.tui.step_details import StepDetails
from embrix.tui.view import Overlay
from embrix.tui.walk_pane import Gauge, StepRows
from embrix.tui.walking import Walking
from embrix.tui.watching import Watching
from embrix.tui.workbench import Say
from embrix.workers.ahead import LIVE_WORKER, SUITE_WORKER
from embrix.workers.pool import Pool

LATEST = 1.0
"""Seconds after which the other languages are read even while the suite of the first one runs."""
NARROW = 104
"""Columns below which one pane is shown at a time."""


class Bench(ProgramPane):
    """The one screen of the workbench."""

    AUTO_FOCUS = "#program"
    EDGES = (
        Edge("walk", "step-details", "width", "height"),
        Edge("text", "program", "height"),
        Edge("left", "right", "width"),
        Edge("main", "low", "height", "height", "for-lecturing"),
    )
    BINDINGS: ClassVar[list[BindingType]] = [
        Binding(command.key, command.action, command.short, show=False, priority=True)
        for command in (*everywhere(), *WRITING)
    ]

    def __init__(self, folder: Path, program: Path | None, pool: Pool | None = None) -> None:
        super().__init__(folder, program)
        self._pool = pool
        self.side_view = "tree"
        self._reads_rest = False
        self.update_classes({"at-program": True}, update=False)  # where the focus begins

    # ---------------------------------------------------------------- layout

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        with Horizontal(id="main"):
            with Vertical(id="left"):
                yield Title("file", id="text-title")
                yield AnnotatedEditor(id="text")
                yield Static("", id="text-note", markup=False)
                yield Title("program", id="program-title")
                # Until there is a text that what is typed belongs to nothing can be typed.
                yield ProgramEditor(id="program", read_only=True)
                yield Static("", id="notice", markup=False)
            yield Grip("left")
            with Vertical(id="right"):
                yield Title("lanes", id="lanes-title")
                yield LanesView(id="lanes")
                with Vertical(id="side"):
                    yield Title("tree", id="side-title")
                    yield TreeView(id="tree")
                    yield TokensView(id="tokens")
                    yield GrammarView(id="grammar")
                    yield CasesView(id="cases")
                    yield NotesView(id="notes")
        with Vertical(id="low"):
            yield Title("walk", id="walk-title")
            yield Gauge(id="gauge")
            with Horizontal(id="walk-row"):
                yield StepRows(id="walk")
                yield Grip("walk")
                yield StepDetails(id="step-details")
        yield Footer(self._footer_commands)

    def on_mount(self) -> None:
        self.desk = Desk(self, self._pool)
        self.walking = Walking(self, self.desk)
        self.checking = Checking(self, self.desk)
        self.seeking = Seeking(self, self.desk)
        self.drawing = Drawings(self, self.desk)
        self.choosing = Choosing(self, self.desk)
        self.begin_text_actions(self.desk)
        self.query_one("#text", AnnotatedEditor).at_once = self.writing.typed
        self.remembering = Remembering(self)
        self.show_side_view("tree")
        self.query_one(Masthead).show(course=self.folder.name, busy="reading the course …")
        self._watching = Watching(self, self._read_again)
        first = self.remembering.first_program()
        self.read_course("" if first is None else first.suffix.removeprefix("."))
        self.call_after_refresh(self._begin_watching)

    def _begin_watching(self) -> None:
        """Once there is something to look at: what this needs takes a while to load."""
        following = self._watching.follow()
        self.run_worker(following, description="watching the course", exit_on_error=False)

    def read_course(self, extension: str | None = None) -> None:
        """Have the course read anew; with the extension of a program at first only its language,
        which is ready sooner (with an empty one the first language)."""
        assert self.desk is not None
        for topic in ("suite", "notes", "grammar"):
            self.desk.drop(topic)  # of the course as it was
        self.checking.goes_first()
        self.desk.load(str(self.folder), self._loaded, self.writing.unsaved, extension)
        self.checking.course_requested()

    def on_unmount(self) -> None:
        self.keep_draft()
        if self.desk is not None:
            self.writing.keep()
            self.desk.close()

    @property
    def pane_sizes(self) -> dict[str, int]:
        return self.sizes

    @property
    def layout_name(self) -> str:
        arranged = arrangement(self)
        return f"{arranged} with a file" if self.has_class("writing") else arranged

    def on_resize(self, event: events.Resize) -> None:
        wide, high = event.size
        self.update_classes({"narrow": wide < NARROW, "short": high < 34, "flat": high < 28})

    def on_descendant_focus(self, _event: events.DescendantFocus) -> None:
        self._focus_moved()

    def _focus_moved(self) -> None:
        pane = self.pane
        for name in PANES:
            for title in self.query(f"#{name}-title").results(Title):
                title.light(name == pane)
        self.update_classes({f"at-{name}": name == pane for name in PANES})
        self.query_one(Footer).refresh()

    @property
    def pane(self) -> str:
        """The pane that has the focus."""
        focused: Widget | None = self.focused
        if focused is None or focused.id is None:
            return "program"
        return "side" if focused.id in SIDE_VIEWS else focused.id

    def _footer_commands(self) -> list[Command]:
        own = [command for command in of_place(self.place) if command.short][:2]
        common = {command.action: command for command in everywhere()}
        first = [command for command in common.values() if command.footer]
        return [*first, *own, STEPPING, *(common[action] for action in WHERE_THERE_IS_ROOM)]

    # ---------------------------------------------------------------- answers

    def on_delivered(self, message: Delivered) -> None:
        """Hand an answer to who asked and still wants it. Of the workbench or a view that is being
        left some parts are gone already."""
        view = message.asker
        left = isinstance(view, Screen) and view not in self.app.screen_stack
        if self.app.is_running and message.wanted and not left:
            message.take(message.data)

    def _overlays(self) -> list[Overlay]:
        """What lies over the bench, the uppermost first."""
        return [one for one in reversed(self.app.screen_stack) if isinstance(one, Overlay)]

    def on_faulted(self, message: Faulted) -> None:
        """Tell it where it can be seen: on the view that lies over the bench."""
        last = message.text.strip().splitlines()[-1]
        text = last if message.missing else f"internal error, see {log_file()}: {last}"
        screen = next(iter(self._overlays()), self)
        screen.say(text, "brass" if message.missing else "brick")

    def _loaded(self, summary: CourseSummary, *, rest: bool = False) -> None:
        """The course has been read, or the `rest` of it."""
        before, self.summary = self.summary, summary
        self.writing.course_read()
        busy = "" if summary.whole else "reading the other languages …"
        self.query_one(Masthead).show(course=summary.title, busy=busy)
        # What was warned of is shown until it has been looked for anew, behind the suite.
        warned = [one for one in self.query_one(NotesView).notes if one.severity != "error"]
        self.notes_came([*summary.wrong, *(one for one in warned if one not in summary.wrong)])
        if self.document is None:
            self._open_first()
        self.languages_changed()
        known = before.languages.get(self.language) if before is not None and rest else None
        if known is None or known != self.languages.get(self.language):
            # Verdicts are what an author waits for; everything else comes behind them.
            self.checking.course_read(self.document)
            self.text_changed()
        if summary.whole:
            self.checking.ask_notes()
        else:
            self.checking.behind_suite("rest", self.read_rest)
            self.set_timer(LATEST, self.read_rest)
        if (before is None or rest) and any(d.severity == "error" for d in summary.wrong):
            self.show_side_view("notes")
        for overlay in self._overlays():
            overlay.course_read()

    def read_rest(self) -> None:
        """Have the languages read that have not been, once the first one is through."""
        known = self.summary is None or self.summary.whole
        if not known and not self._reads_rest and self.desk is not None:
            self._reads_rest = True
            take = partial(self._loaded, rest=True)
            worker = LIVE_WORKER if self.checking.running else SUITE_WORKER
            self.desk.load(str(self.folder), take, self.writing.unsaved, worker=worker)

    def notes_came(self, notes: list[Note]) -> None:
        self.query_one(NotesView).show(notes)
        self.writing.show_notes(notes)
        self.side_title()

    def _open_first(self) -> None:
        path = self.remembering.put_back() or self.wanted
        if path is None:
            for language in self.languages.values():
                if language.programs:
                    path = Path(language.programs[0])
                    break
        if path is not None:
            self.open_program(path)
            self.remembering.place_cursor()
        else:
            self.open_unnamed()
        self.set_interval(OFTEN, self.remembering.take)
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
        if language and not language.read:
            self.read_rest()  # what is asked about it from now on comes behind that
        own = {lane.name: lane.choices for lane in language.lanes} if language else {}
        lanes = [*own]
        for lane in self.decided.get(self.language, []):
            choices = own.get(plain_name(lane), {})
            decided = {} if "@" in lane else decisions_in(lane)
            if plain_name(lane) in own and all(
                choice in choices and way in choices[choice].alternatives
                for choice, way in decided.items()
            ):
                lanes.append(lane)
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

    # ---------------------------------------------------------------- the walk

    @on(StepRows.Wanted)
    def _step_wanted(self, message: StepRows.Wanted) -> None:
        self.walking.fetch(message.number)

    @on(Rows.Moved)
    def _row_moved(self, message: Rows.Moved) -> None:
        if message.rows is self.step_rows:
            self.walking.go(message.number)
        elif message.rows is self.lanes and self.lanes.chosen:
            self.choose_lane(self.lanes.chosen)
        elif isinstance(message.rows, TreeView) and message.rows.has_focus:
            self.editor.mark(self.editor.text, message.rows.place)

    @on(Gauge.Jump)
    def _jumped(self, message: Gauge.Jump) -> None:
        self.walking.go(round(message.share * (self.step_rows.length - 1)))

    # ---------------------------------------------------------------- cases

    def suite_ran(self, report: SuiteReport) -> None:
        self.writing.show_report(report)
        for overlay in self._overlays():
            overlay.suite_ran(report)
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

    @on(CasesView.Try)
    def _try_case(self, message: CasesView.Try) -> None:
        """To the program of a case, on the lane under the cursor or the first that fails."""
        verdict = self.query_one(CasesView).verdict
        failed = [v for v in message.case.verdicts if v.state == "failed"]
        verdict = verdict or (failed[0] if failed else None)
        if verdict is None:
            self.show_case(message.case.name, message.case.program)
        else:
            self.walk_case(message.case, verdict)

    def walk_case(self, case: CaseRow, verdict: CaseVerdict) -> None:
        """The program of a case on the lane of a verdict, at its step or at the last one."""
        self.to_lane(verdict.lane)
        self.walking.begin_at(verdict.step)
        self.show_case(case.name, case.program)
        self.supply(dict(case.given), list(case.input))
        self.languages_changed()
        self.set_focus(self.step_rows)

    def walk_stop(self, lesson: Path, stop: StopShown) -> None:
        """The program of a stop of a lesson, on its lane, at its step."""
        self.to_lane(stop.lane)
        self.walking.begin_at(max(0, stop.step))
        if stop.file:
            self.show_program((lesson.parent / stop.file).resolve(), stop.program)
        else:
            self.show_case(stop.name, stop.program)
        self.supply(dict(stop.given), list(stop.input))
        self.choose_ways(stop.lane, stop.ways)
        self.languages_changed()
        self.set_focus(self.step_rows)

    # ---------------------------------------------------------------- the course on disk

    def _read_again(self) -> None:
        self.writing.changed_on_disk()
        self.query_one(Masthead).show(busy="reading the course again …")
        self.read_course()

    # ---------------------------------------------------------------- views and panes

    def show_side_view(self, side_view: str) -> None:
        """Show one of the views of the side pane."""
        had_focus = self.pane == "side"
        self.side_view = side_view
        for name in SIDE_VIEWS:
            self.query_one(f"#{name}").display = name == side_view
        if had_focus:
            self.query_one(f"#{side_view}").focus()
        self.side_title()

    def side_title(self) -> None:
        title = self.query_one("#side-title", Title)
        title.label = self.side_view
        others = " · ".join(side_view for side_view in SIDE_VIEWS if side_view != self.side_view)
        subject = ""
        if self.side_view == "cases" and self.query_one(CasesView).report:
            report = self.query_one(CasesView).report
            subject = " ".join(report.lanes) if report is not None else ""
        elif self.side_view == "notes":
            subject = str(len(self.query_one(NotesView).notes) or "none")
        elif self.side_view == "tokens":
            subject = str(len(self.query_one(TokensView).tokens))
        errors = sum(n.severity == "error" for n in self.query_one(NotesView).notes)
        right = f"F3 {others}" if not errors else f"F3 {others} ({errors} ✗)"
        title.show(subject, right, "brick" if errors else "faint")

    # ---------------------------------------------------------------- commands

    @on(Footer.Chosen)
    async def _footer_chosen(self, message: Footer.Chosen) -> None:
        await self.run_action(message.action)

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

    @on(NotesView.Go)
    def _to_note(self, message: NotesView.Go) -> None:
        self.open_text(self.course_folder / message.note.file, message.note.line)

    @on(TextArea.Changed, "#text")
    def _text_typed(self) -> None:
        self.writing.typed()
        self.query_one(Masthead).typed()
        self.names.cursor_moved()  # what it stands on may be another name now

    @on(TextArea.SelectionChanged, "#text")
    def _text_cursor_moved(self) -> None:
        self.writing.remark()
        self.names.cursor_moved()
