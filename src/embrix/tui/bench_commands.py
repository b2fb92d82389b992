"""What the keys of the workbench do outside of its texts: views, panes, the walk, files.

A view is loaded when it is opened: the workbench is there sooner.
"""

from __future__ import annotations

from abc import abstractmethod
from pathlib import Path

from embrix.text.visible import visible
from embrix.tui.arranging_panes import arrange_panes, fill, filled, pane_of
from embrix.tui.checking import Checking
from embrix.tui.choosing import Choosing
from embrix.tui.dialogs import AskText, Help, Pick
from embrix.tui.document import Document
from embrix.tui.drawing import Drawings
from embrix.tui.search_pane import Seeking
from embrix.tui.side_views import CasesView, NotesView
from embrix.tui.step_details import StepDetails
from embrix.tui.text_actions import TextActions
from embrix.tui.unsaved_text import discard, save

SIDE_VIEWS = ("tree", "tokens", "grammar", "cases", "notes")

PANES = ("text", "program", "lanes", "side", "walk", "step-details")


class BenchCommands(TextActions):
    """The commands of the workbench, each a few lines; the work is done by its helpers."""

    checking: Checking
    seeking: Seeking
    drawing: Drawings
    choosing: Choosing
    side_view: str
    """What the side pane shows."""

    @property
    def place(self) -> str:
        """The pane with the focus, or the view that the side pane shows."""
        return self.side_view if self.pane == "side" else self.pane

    @abstractmethod
    def show_side_view(self, side_view: str) -> None:
        """Show one of the views of the side pane."""

    @abstractmethod
    def show_title(self) -> None:
        """Bring the title of the program into step with it."""

    @abstractmethod
    def keep_draft(self) -> None:
        """Keep what is not saved of the program."""

    @abstractmethod
    def choose_lane(self, lane: str) -> None:
        """Walk another lane from now on."""

    def unavailable(self) -> dict[str, str]:
        """Commands that cannot be carried out now, with the reason."""
        reasons: dict[str, str] = {}
        if not self.summary:
            reasons = dict.fromkeys(("open", "new", "suite"), "the course is still being read")
        elif not self.summary.suites:
            reasons["suite"] = "the course has no suite"
        if len(self.lanes.lanes) < 2:
            reasons.update(dict.fromkeys(("lane", "hunt"), "there is no other lane"))
        if self.step_rows.length < 2:
            steps = ("back", "forward", "ends", "first", "last", "leap_back", "leap_on")
            reasons.update(dict.fromkeys(steps, "the run has no steps"))
        return reasons

    # ---------------------------------------------------------------- views

    def action_help(self) -> None:
        async def carry_out(action: str | None) -> None:
            if action is not None:
                await self.run_action(f"screen.{action}")

        self.app.push_screen(Help(self.place, self.unavailable()), carry_out)

    def action_palette(self) -> None:
        self.action_help()

    def _refused(self, command: str) -> bool:
        """Whether a command cannot be carried out now; the reason is said."""
        reason = self.unavailable().get(command)
        if reason is not None:
            self.say(reason, "brass")
        return reason is not None

    def action_open(self) -> None:
        if not self._refused("open"):
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
        if not self._refused("new"):
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
            self.read_typed()
            text = self.editor.text
            from embrix.tui.drafting import Drafting

            self.app.push_screen(Drafting(self, self.desk, self.language, self.writing, text))

    def action_clause(self) -> None:
        """From the step to the clause of the definition that applies."""
        step = self.step_rows.known_steps.get(self.at)
        if step is None or not step.clause:
            self.say("no clause applies at this step", "brass")
            return
        self.open_text(self.course_folder / step.clause.file, int(step.clause.line))

    def action_prompt(self) -> None:
        """The prompt for the language of the program."""
        if self.desk is not None and self.language:
            self.read_typed()
            said = self.transcripts.setdefault(self.language, [])
            from embrix.tui.prompting import Prompting

            self.app.push_screen(Prompting(self.desk, self.language, said, self.open_view))

    def action_suite(self) -> None:
        if self._refused("suite"):
            return
        report = self.query_one(CasesView).report
        if self.summary and self.side_view == "cases" and report and self.desk is not None:
            from embrix.tui.tally import Tally

            self.app.push_screen(Tally(self, self.desk, report))
            return
        if self.summary:
            self.show_side_view("cases")
            if self.has_class("narrow"):
                self.query_one(CasesView).focus()
            self.checking.run_suite(self.document)

    def open_view(self, action: str) -> None:
        if action != "suite":
            getattr(self, f"action_{action}")()
            return
        report = self.query_one(CasesView).report
        if self._refused("suite") or self.desk is None:
            return
        if report is None:
            self.say("the suite has not run yet", "brass")
            return
        from embrix.tui.tally import Tally

        self.app.push_screen(Tally(self, self.desk, report))

    def action_beside(self) -> None:
        """All lanes beside each other."""
        if self.desk is not None and self.lanes.lanes:
            from embrix.tui.comparing import Comparing

            self.app.push_screen(Comparing(self, self.desk))

    def action_hunt(self) -> None:
        """The smallest program on which two lanes differ."""
        if self.desk is not None and len(self.lanes.lanes) > 1:
            from embrix.tui.hunting import Hunting

            self.app.push_screen(Hunting(self, self.desk))

    def action_growth(self) -> None:
        """How a cost grows when a name goes over a range."""
        if self.desk is not None and self.lanes.lanes:
            from embrix.tui.growing import Growing

            self.app.push_screen(Growing(self, self.desk))

    def action_decisions(self) -> None:
        """The questions of the suites and the choices, with what each lane decides."""
        if self.desk is not None and self.summary:
            from embrix.tui.deciding import Deciding

            self.app.push_screen(Deciding(self, self.desk))

    def action_fill(self) -> None:
        """The pane with the focus fills the screen, or goes back to its place."""
        fill(self, "" if filled(self) else pane_of(self.focused))

    def action_arrange(self, name: str) -> None:
        arrange_panes(self, name)

    def action_lesson(self) -> None:
        """A lesson of the course; where there are several, one that is chosen."""
        if self.desk is None or not self.summary:
            return
        paths = [Path(path) for path in self.summary.lessons]
        if not paths:
            self.say("the course has no lesson: see docs/lessons.md", "brick")
        elif len(paths) == 1:
            self._give(paths[0])
        else:
            rows = [("lesson", path.relative_to(self.course_folder).as_posix(), str(path))
                    for path in paths]  # fmt: skip
            rows.sort(key=lambda row: Path(row[2]) != self.lesson)

            def picked(path: str | None) -> None:
                if path is not None:
                    self._give(Path(path))

            self.app.push_screen(Pick("which lesson?", rows, "There is no such lesson."), picked)

    def action_add_stop(self) -> None:
        """The step of the walk as a stop of a lesson: of the one that was given last, or of the
        course's; a new one where there is none."""
        if self.desk is None or not self.summary or not self.lanes.lanes:
            return
        around = self.document.path.parents if self.document is not None else ()
        lessons = [Path(path) for path in self.summary.lessons]
        own = [path for path in lessons if not around or path.parent in around]
        own.sort(key=lambda path: path != self.lesson)
        folder = own[0].parent if own else self.program_folder.parent
        rows = [("lesson", path.name, str(path)) for path in own]
        rows.append(("new", "a lesson of its own", str(folder / "new.lesson.toml")))

        def picked(path: str | None) -> None:
            if path is not None:
                self.writing.add_stop(Path(path))

        if len(rows) > 1:
            self.app.push_screen(Pick("to which lesson?", rows, "There is no such lesson."), picked)
        else:
            picked(rows[0][2])

    def _give(self, path: Path) -> None:
        """Show a lesson, at the stop where it was left."""
        assert self.desk is not None
        self.lesson = path
        at = self.lesson_at.get(path, 0)
        from embrix.tui.lecturing import Lecturing

        self.app.push_screen(Lecturing(self, self.desk, path, at))

    def action_ways(self) -> None:
        """Everything that the program can come to on the chosen lane."""
        if self.desk is not None and self.lane in self.lanes.lanes:
            from embrix.tui.forking import Forking

            self.app.push_screen(Forking(self, self.desk, self.lane))

    def action_residual(self) -> None:
        """What is left of the interpreter when the program is known."""
        if self.desk is not None and self.lane in self.lanes.lanes:
            from embrix.tui.left_over import Leftover

            self.app.push_screen(Leftover(self, self.desk))

    def action_derive(self) -> None:
        """The derivation of the run."""
        if self.desk is not None and self.lanes.lanes:
            from embrix.tui.deriving import Deriving

            self.app.push_screen(Deriving(self, self.desk))

    def action_draw(self) -> None:
        if self.desk is not None and self.lanes.lanes:
            self.drawing.choose()

    # ---------------------------------------------------------------- panes

    def action_next_side_view(self) -> None:
        self.show_side_view(SIDE_VIEWS[(SIDE_VIEWS.index(self.side_view) + 1) % len(SIDE_VIEWS)])
        if self.has_class("narrow"):
            self.query_one(f"#{self.side_view}").focus()

    def action_lane(self) -> None:
        lanes = self.lanes.lanes
        if lanes:
            at = lanes.index(self.lane) if self.lane in lanes else -1
            self.choose_lane(lanes[(at + 1) % len(lanes)])

    def action_pane(self) -> None:
        panes = [name for name in PANES if name != "text" or self.writing.is_open]
        if self.has_class("for-lecturing"):
            panes = [name for name in panes if name in ("program", "walk", "step-details")]
        if self.pane not in panes:
            panes.insert(0, self.pane)
        target = panes[(panes.index(self.pane) + 1) % len(panes)]
        if filled(self):
            fill(self, "side" if target == "lanes" else target)
        # At once, not by Widget.focus, which waits: a second key may come with the first.
        self.set_focus(self.query_one(f"#{self.side_view}" if target == "side" else f"#{target}"))

    def action_mend(self) -> None:
        """The repair of what is noted where the cursor stands, in the file or among the notes."""
        note = self.query_one(NotesView).note if self.place == "notes" else None
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
        self.query_one(CasesView).key_enter()

    def action_go_to_note(self) -> None:
        self.query_one(NotesView).action_go()

    # ---------------------------------------------------------------- the walk

    def action_seek(self, kind: str, forward: bool) -> None:
        self.seeking.seek(kind, forward)

    def action_seek_again(self, forward: bool) -> None:
        self.seeking.again(forward)

    def action_to_number(self) -> None:
        self.seeking.to_number()

    def action_find_in_step(self) -> None:
        """Look for a word in the step beside the walk."""
        details = self.query_one(StepDetails)

        def typed(word: str | None) -> None:
            if word is not None and not details.find(word) and word:
                self.say(f"there is no “{visible(word)}” in this step", "brass")

        question = "Text to look for in this step (names, values, locations); empty: none"
        self.app.push_screen(AskText("find", question, details.word), typed)

    def action_find_in_step_again(self) -> None:
        details = self.query_one(StepDetails)
        if not details.word:
            self.action_find_in_step()
        elif not details.find_next():
            self.say(f"there is no “{visible(details.word)}” in this step", "brass")

    def action_frames(self) -> None:
        """Draw the names and the store of the step beside the walk, or list them again."""
        details = self.query_one(StepDetails)
        details.picture(drawn=not details.pictured)
        self.walking.show_details()
        if details.pictured and self.walking.held:
            self.say("a walk from a file has names, no frames: only its store is drawn", "brass")
        else:
            self.say("frames and store drawn" if details.pictured else "names and store listed")

    def action_mark(self) -> None:
        self.seeking.mark()

    def action_next_mark(self, forward: bool) -> None:
        self.seeking.next_mark(forward)

    def action_save_walk(self) -> None:
        self.seeking.save()

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
        self.walking.go(self.step_rows.length - 1)

    def action_ends(self) -> None:
        self.walking.to_ends()

    # ---------------------------------------------------------------- files

    def action_save(self) -> None:
        """Save the text with the focus; from another pane the file, if it is not saved."""
        if self.pane == "text" or (self.pane != "program" and self.writing.changed):
            self.writing.save(self.say)
            return
        if self.document is None or not self.document.named:
            self.choosing.name_it()
            return
        self._save_program(self.document, [])

    def action_save_all(self) -> None:
        """Save the program and every file of the course; a text without a name is asked for one."""
        saved = self.writing.save_all()
        document = self.document
        if saved is None:
            return
        if document is not None and not document.is_saved(self.editor.text):
            if document.named:
                self._save_program(document, saved)
            else:
                self.choosing.name_it()
            return
        self.say(f"saved {', '.join(saved)}" if saved else "there was nothing to save")

    def _save_program(self, document: Document, others: list[str]) -> None:
        """Save the program, and tell it with the other files that have been saved."""

        def saved() -> None:
            self.say(f"saved {', '.join([*others, document.path.name])}")
            self.show_title()

        save(self.app, document, lambda: self.editor.text, self.say, saved)

    def action_discard(self) -> None:
        """Back to what is in the file, for the text with the focus."""
        if self.pane == "text":
            self.writing.discard(self.say)
        elif self.document is not None:
            discard(self.app, self.document, self.editor.text, self.say, self.editor.replace_all)

    def action_switch_theme(self) -> None:
        self.app.action_switch_theme()  # type: ignore[attr-defined]

    async def action_quit(self) -> None:
        self.keep_draft()
        self.writing.keep()
        await self.app.action_quit()
