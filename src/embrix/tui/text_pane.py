"""A file of the course that is written beside the program: a definition, a suite, `course.toml`.

What is typed counts at once, saved or not: the course is read again with it, and lanes, tree, notes
and cases follow.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from textual.timer import Timer
from textual.widgets import Static

from embrix.messages.replies import Note
from embrix.messages.replies_on_suites import SuiteReport
from embrix.messages.replies_on_writing import FileChange, TextChange
from embrix.messages.requests import LookAtDefinition, Mend
from embrix.text.hidden import can_hide
from embrix.text.refusal import refusal
from embrix.text.source import Unreadable
from embrix.text.visible import visible
from embrix.tui.annotated import AnnotatedEditor, Remark, in_full, verdicts
from embrix.tui.bars import Title, tell
from embrix.tui.case_making import begun, make_case, make_stop
from embrix.tui.desk import Desk
from embrix.tui.document import ChangedElsewhere, Document
from embrix.tui.editor import KEEPING
from embrix.tui.repairing import repair
from embrix.tui.unsaved_text import discard, save
from embrix.tui.workbench import Say, Workbench

RESTING, PATIENCE = 0.15, 0.5
"""Seconds after the last of several keys in a row, which are not to be held up, until the course is
read with what has been typed (after a single key that is done at once); seconds after which that is
done even if the last reading is not over."""

TELLING = 0.001
"""Seconds that the threads get which tell the workers, before drawing keeps them from it."""


class TextPane:
    """The file that is open beside the program, and every text of the course that is not saved."""

    def __init__(self, bench: Workbench, desk: Desk) -> None:
        self._bench = bench
        self._desk = desk
        self.document: Document | None = None
        self._last_text = ""
        self._unsaved: dict[Path, str] = {}
        self._documents: dict[Path, Document] = {}
        """What each of their files was when it was read: what changes there is not overwritten."""
        self._together: list[tuple[Path, str, str]] = []
        """The last change of several files: each with its old and its new text."""
        self._notes: list[Note] = []
        self._report: SuiteReport | None = None
        self._about_name: tuple[tuple[int, int], str] = ((0, 0), "")
        """What was said about the name at a place."""
        self._reading: Timer | None = None
        self._began = 0.0
        """When the course began to be read with what was typed; 0 when it has been."""
        self._typed = ""
        """The text that has been noticed."""
        self._typed_at = 0.0
        self._behind = False
        """Whether more was typed that is to be read next."""
        self._keeping: Timer | None = None

    @property
    def editor(self) -> AnnotatedEditor:
        return self._bench.query_one("#text", AnnotatedEditor)

    @property
    def _text(self) -> str:
        """What is in the editor, also when the workbench closes and that is gone already."""
        if self._bench.query("#text"):
            self._last_text = self.editor.text
        return self._last_text

    @property
    def is_open(self) -> bool:
        return self.document is not None

    @property
    def changed(self) -> bool:
        """Whether the open file has text that is not saved."""
        return self.document is not None and not self.document.is_saved(self._text)

    @property
    def unsaved(self) -> dict[str, str]:
        """The texts that are not saved, by the path of their file."""
        return {str(path): text for path, text in self._unsaved.items()}

    @property
    def unsaved_files(self) -> set[Path]:
        """The files with text that is not saved."""
        own = {self.document.path} if self.document is not None and self.changed else set()
        return own | set(self._unsaved)

    # ---------------------------------------------------------------- opening and closing

    def open(self, path: Path, line: int = 0) -> None:
        """Open a file, at a line counted from one, or where writing goes on; what was open before
        stays as it is typed."""
        bench = self._bench
        path = path.resolve()
        if self.document is None or self.document.path != path:
            self.keep()
            self.read_now()
            try:
                document, text, draft = Document.open(path)
            except Unreadable as fault:
                bench.say(str(fault), "brick")
                return
            if not can_hide(text):
                bench.say(f"{path.name} has private characters that this editor needs for itself",
                          "brick")  # fmt: skip
                return
            self.document, self._typed = document, text
            bench.note_open(path)
            self.editor.load_text(text)
            if draft:
                bench.say(f"{path.name}: a change that was not saved is back", "brass")
        bench.set_class(True, "writing")
        bench.set_class(False, "for-lecturing")
        self.editor.reveal_line((line or self._unfinished) - 1)
        bench.set_focus(self.editor)
        self.show()
        self._colour()

    def reveal(self, word: str) -> None:
        """Go to the first line that begins with a word."""
        lines = self._text.split("\n")
        at = next((number for number, line in enumerate(lines) if line.startswith(word)), 0)
        self.editor.reveal_line(at)

    @property
    def _unfinished(self) -> int:
        """The line of the first error, of the first thing to do, or the first line."""
        name = self.name
        wrong = [n.line for n in self._notes if n.file == name and n.severity == "error"]
        before, found, _ = self._text.partition("todo")
        return min(wrong) if wrong else before.count("\n") + 1 if found else 1

    def close(self) -> None:
        """Close the file. What is not saved is kept, but counts no longer."""
        self.keep()
        if self.document is not None:
            self._unsaved.pop(self.document.path, None)
        self.document = None
        self._bench.set_class(False, "writing")
        self._bench.set_focus(self._bench.editor)
        self._bench.read_course()

    # ---------------------------------------------------------------- typing

    def typed(self) -> None:
        """The text has changed. It is noticed once, however often that is told."""
        if self.document is None or self._text == self._typed:
            return
        self._typed = self._text
        self._title()
        self._colour()
        if self._keeping is None:
            self._keeping = self._bench.set_timer(KEEPING, self._keep_soon)
        now = time.monotonic()
        resting = now - self._typed_at < 2 * RESTING
        self._typed_at = now
        if resting:
            self._read_after(RESTING)
        else:
            self.read_at_once()

    def read_at_once(self) -> None:
        """Read before anything is drawn: workers work meanwhile."""
        if self._reading is not None:
            self._reading.stop()
        self._read()
        time.sleep(TELLING)

    def _read_after(self, seconds: float) -> None:
        if self._reading is not None:
            self._reading.stop()
        self._reading = self._bench.set_timer(seconds, self._read)

    def _colour(self) -> None:
        """Have the tokens of a definition coloured."""
        if self.document is None or self.document.path.suffix != ".brix":
            return
        text = self.editor.text
        self._desk.drop("definition")
        take = partial(self.editor.explain, text)
        self._desk.ask("definition", LookAtDefinition(text=text), take)

    def _read(self) -> None:
        """Read the course with the text as it stands here, unless it did so already. One reading at
        a time: what is typed meanwhile is read as soon as it is over."""
        self._reading = None
        if self.document is None:
            return
        elapsed = time.monotonic() - self._began
        if self._began and elapsed < PATIENCE:
            self._behind = True
            self._read_after(PATIENCE - elapsed)
            return
        self._behind = False
        path, text = self.document.path, self._text
        before = self._unsaved.get(path, self.document.saved)
        self._count(self.document, text)
        if text != before:
            self._began = time.monotonic()
            self._bench.read_course()

    def course_read(self) -> None:
        """The course has been read with what was typed."""
        self._began = 0.0
        if self._behind:
            self.read_now()

    def read_now(self) -> None:
        """Have the course read with what has just been typed, without waiting for more keys."""
        if self._reading is not None:
            self._reading.stop()
            self._began = 0.0
            self._read()

    def _count(self, document: Document, text: str) -> None:
        """From now on the course is read with a text, saved or not."""
        self._unsaved.pop(document.path, None)
        if not document.is_saved(text):
            self._unsaved[document.path] = text
            self._documents[document.path] = document

    def _keep_soon(self) -> None:
        self._keeping = None
        self.keep()

    def keep(self) -> None:
        """Keep what is not saved, in case that the workbench ends."""
        if self.document is not None:
            try:
                self.document.keep(self._text)
            except OSError as fault:
                self._bench.say(f"unsaved text cannot be kept: {refusal(fault)}", "brick")

    def save(self, say: Say) -> None:
        document = self.document
        if document is None:
            return

        def saved() -> None:
            self._unsaved.pop(document.path, None)
            say(f"saved {document.path.name}", "ink")
            self._title()

        save(self._bench.app, document, lambda: self._text, say, saved)

    def discard(self, say: Say, put: Callable[[str], None] | None = None) -> None:
        """Back to what is in the file, after showing what that changes."""
        if self.document is not None:
            discard(self._bench.app, self.document, self._text, say, put or self.write)

    def write(self, text: str) -> None:
        """Put another text in place of the open one, as one change; it is kept at once."""
        if self._text != text:
            self.editor.replace_all(text)
            self._last_text = text
        self.keep()

    def changed_on_disk(self) -> None:
        """The open file may have been written by somebody else: it is read again, or reported."""
        document = self.document
        if document is None:
            return
        name, text = document.path.name, ""
        try:
            disk = document.disk_changed()
        except Unreadable as fault:
            self._bench.say(str(fault), "brick")
            return
        if document.vanished():
            text = f"{name} is gone; its text is still here, not saved"
            self._count(document, self._text)
            self._title()
        elif disk is not None and self.changed:
            text = f"{name} was changed outside; your text is still here, not saved"
        elif disk is not None:
            document.saved = disk
            self.editor.replace_all(disk)
            text = f"{name} was changed outside and has been read again"
        if text:
            self._bench.say(text, "brass")

    # ---------------------------------------------------------------- what is said about it

    def show_notes(self, notes: list[Note]) -> None:
        self._notes = notes
        self.show()

    def show_report(self, report: SuiteReport) -> None:
        """A suite has been run: its verdicts stand at the lines of its cases."""
        self._report = report
        self.show()

    def show(self) -> None:
        """Put what there is to say beside the lines of the open file."""
        if self.document is None:
            return
        name = self.name
        remarks = [Remark.of(note) for note in self._notes if note.file == name]
        if self._report is not None and self._report.file == name:
            remarks += verdicts(self._report)
        self.editor.annotate(remarks)
        self.remark()
        self._title()

    def tell(self, text: str) -> None:
        """Say something under the text about the place of the cursor."""
        self._about_name = (self.editor.cursor_location, text)
        self.remark()

    def next_note(self, by: int) -> None:
        """To the next line, or the previous one, that has something wrong."""
        if self.document is None:
            return
        here = self.editor.cursor_location[0]
        lines = sorted(n for n, one in self.editor.remarks.items() if one.weight != "good")
        ahead = [n for n in lines if (n > here if by > 0 else n < here)]
        if not lines:
            self._bench.say(f"nothing is wrong in {self.name}")
        else:
            around = ahead or lines
            self.editor.reveal_line(around[0] if by > 0 else around[-1])

    def remark(self) -> None:
        """What there is to say about the line of the cursor in full, or about the name there."""
        note = self._bench.query_one("#text-note", Static)
        place, message = self._about_name
        text = in_full(self.editor.remarks_here)
        if message and not text and place == self.editor.cursor_location:
            text = visible(message, keep="\n")
        tell(note, text)

    def mend(self, line: int, say: Say, put: Callable[[str], None] | None = None) -> None:
        """Show the repair of what is noted on a line (counted from 0), and carry it out if that is
        agreed to."""
        if self.document is None:
            return
        asked = Mend(file=self.name, text=self._text, line=line + 1)
        repair(self._bench, self._desk, asked, lambda: self._text, say, put or self.write)

    # ---------------------------------------------------------------- several files at once

    def change_files(self, changes: list[FileChange], message: str) -> None:
        """Put other texts in place of those of some files, none of them saved yet: one change, that
        is taken back as a whole."""
        folder = self._bench.course_folder
        for one in changes:
            if self._now(folder / one.file) != one.old:
                self._bench.say(f"{one.file} has changed meanwhile; nothing was changed", "brass")
                return
        self._together = [(folder / one.file, one.old, one.text) for one in changes]
        if self._put([(path, text) for path, _, text in self._together]):
            saving = "Ctrl+S saves it" if len(changes) == 1 else "Alt+S saves them"
            self._bench.say(f"{message}. {saving}, Ctrl+Z undoes it")

    def undo_together(self) -> bool:
        """Take the last change of several files back, if nothing has been typed since then."""
        if not self._together or any(self._now(path) != new for path, _, new in self._together):
            return False
        before = [(path, old) for path, old, _ in self._together]
        self._together = []
        if self._put(before):
            self._bench.say("undone")
        return True

    def _now(self, path: Path) -> str | None:
        """The text of a file as it counts."""
        program = self._bench.document
        if self.document is not None and path == self.document.path:
            return self.editor.text
        if program is not None and (path == program.path or (not program.named
                                    and path.name == "the program")):  # fmt: skip
            return self._bench.editor.text
        if path in self._unsaved:
            return self._unsaved[path]
        try:
            return Document.open(path)[1]
        except Unreadable:
            return None

    def _put(self, texts: list[tuple[Path, str]]) -> bool:
        """Texts that are not saved, in editors and as drafts; False where one cannot be kept."""
        program = self._bench.document
        for path, text in texts:
            if self.document is not None and path == self.document.path:
                self.editor.replace_all(text)
                self._count(self.document, text)
            elif program is not None and (path == program.path or (not program.named
                                          and path.name == "the program")):  # fmt: skip
                self._bench.editor.replace_all(text)
            else:
                try:
                    document, _, _ = Document.open(path)
                    document.keep(text)
                except (OSError, Unreadable) as fault:
                    self._bench.say(f"{path.name}: {refusal(fault)}", "brick")
                    return False
                if path.suffix in (".brix", ".toml"):
                    self._count(document, text)
        self._bench.read_course()
        return True

    def save_all(self) -> list[str] | None:
        """Save every file of the course that has text which is not saved. The names of those files;
        None where one is not saved, and it is told why."""
        saved: list[str] = []
        if self.document is not None and self.changed:
            self.save(self._bench.say)
            if self.changed:
                return None
            saved.append(self.document.path.name)
        for path, text in list(self._unsaved.items()):
            try:
                document = self._documents.get(path) or Document.open(path)[0]
                document.save(text)
            except (OSError, Unreadable) as fault:
                self._bench.say(f"{path.name} is not saved: {refusal(fault)}", "brick")
                return None
            except ChangedElsewhere:
                self._bench.say(f"{path.name} was changed outside: open it and save it there",
                                "brass")  # fmt: skip
                return None
            self._unsaved.pop(path, None)
            saved.append(path.name)
        self._bench.read_course()
        return saved

    def add_case(self) -> None:
        """Put the program on the bench with what its lanes give into the suite, as its last case;
        saved it is when that is asked for."""
        bench = self._bench
        suite = bench.suite_near()
        if suite is None:
            bench.say("there is no suite for this language: Ctrl+N begins one", "brass")
        else:
            make_case(bench, self._desk, suite, bench.lane, partial(self._case_made, suite))

    def _case_made(self, suite: Path, made: TextChange) -> None:
        self._added(suite, made, "[[case]]", "added as the last case, not saved yet: Ctrl+S saves "
                    "it, Ctrl+Z undoes it")  # fmt: skip

    def add_stop(self, lesson: Path) -> None:
        """Put the step of the walk into a lesson, as its last stop, and go there to write what is
        to be said; saved it is when that is asked for."""
        make_stop(self._bench, self._desk, lesson, partial(self._stop_made, lesson))

    def _stop_made(self, lesson: Path, made: TextChange) -> None:
        if not made.refused and not begun(lesson, self._bench.say):
            return
        self._added(lesson, made, 'notes = "', "added as the last stop, not saved yet: write its "
                    "notes; Ctrl+S saves it")  # fmt: skip

    def _added(self, path: Path, made: TextChange, place: str, message: str) -> None:
        """Write what has been made into the text of its file, and go to the last place where
        something stands, behind it."""
        if made.refused:
            self._bench.say(made.refused, "brass")
            return
        self.open(path)
        if self._text != made.old:
            self._bench.say(f"{path.name} has changed meanwhile; nothing was added", "brass")
            return
        self.editor.replace_all(made.text)
        before, _, _ = made.text.rpartition(place)
        last = (before + place).splitlines()[-1]
        self.editor.reveal_line(before.count("\n"), len(last))
        self._bench.say(message)

    @property
    def name(self) -> str:
        """The name of the open file in the course."""
        assert self.document is not None
        return self._bench.name_of(self.document.path)

    def _title(self) -> None:
        right = "● not saved" if self.changed else ""
        self._bench.query_one("#text-title", Title).show(self.name, right, "brass")
