"""What keys do to the text with the focus: the program, or the file beside it."""

from __future__ import annotations

import re
from functools import partial

from embrix.course.naming import plain_name
from embrix.messages.replies_on_writing import TextHits
from embrix.text.plural import counted
from embrix.tui.desk import Desk
from embrix.tui.dialogs import AskText
from embrix.tui.editor import ProgramEditor
from embrix.tui.name_tools import NameTools
from embrix.tui.text_finding import Answer, LookFor
from embrix.tui.text_pane import TextPane
from embrix.tui.workbench import Workbench


class TextActions(Workbench):
    """The commands of the two editors. Subclasses say which pane has the focus."""

    writing: TextPane
    names: NameTools

    @property
    def pane(self) -> str:
        """The pane that has the focus."""
        raise NotImplementedError

    @property
    def _text_in_focus(self) -> ProgramEditor:
        return self.writing.editor if self.pane == "text" else self.editor

    def action_select_all(self) -> None:
        self._text_in_focus.action_select_all()

    def action_undo(self) -> None:
        self._text_in_focus.action_undo()

    def action_redo(self) -> None:
        self._text_in_focus.action_redo()

    def action_move_lines(self, by: int) -> None:
        self._text_in_focus.action_move_lines(by)

    def action_double_lines(self) -> None:
        self._text_in_focus.action_double_lines()

    def action_comment_lines(self) -> None:
        self._text_in_focus.action_comment_lines()

    def action_to_bracket(self) -> None:
        self._text_in_focus.action_to_bracket()

    def action_go_to_line(self) -> None:
        editor = self._text_in_focus

        def typed(line: str | None) -> None:
            number = re.fullmatch(r" *(\d{1,9})(?::(\d{1,9}))? *", line or "", re.ASCII)
            if number is not None:
                row = min(int(number[1]), editor.document.line_count) - 1
                if editor is self.writing.editor:
                    self.names.leave()
                editor.move_cursor((max(0, row), max(0, int(number[2] or 1) - 1)), center=True)
            elif line is not None:
                self.say(
                    f"a line is named by its number, or as in 3:14; not `{line.strip()}`", "brass"
                )

        last = editor.document.line_count
        self.app.push_screen(AskText("line", f"To which line, from 1 to {last}?"), typed)

    def action_look_for(self) -> None:
        """A text here or in all files, and another in its place."""
        if self.desk is None:
            return
        self.read_rest()
        in_file = self.pane == "text" and self.writing.is_open
        texts = {self._program_name: self.editor.text}
        if self.writing.is_open:
            texts[self.writing.name] = self.writing.editor.text
        name = self.writing.name if in_file else self._program_name
        first = self._text_in_focus.selected_text.split("\n")[0]
        screen = LookFor(self.desk, name, texts, first)
        self.app.push_screen(screen, partial(self._looked_for, name))

    def _looked_for(self, name: str, found: Answer | None) -> None:
        if isinstance(found, TextHits):
            self.writing.change_files(found.files, f"{counted(found.count, 'place')} replaced")
        elif found is not None:
            at = (found.line - 1, found.column - 1)
            if found.file == self._program_name:
                self.set_focus(self.editor)
                self.editor.move_cursor(at, center=True)
            elif found.file.endswith((".brix", ".toml")):
                self.names.go(found)
            else:
                self.open_program(self.course_folder / found.file)
                self.set_focus(self.editor)
                self.editor.move_cursor(at, center=True)

    @property
    def _program_name(self) -> str:
        """The name of the program in the course; of one without a name something that no file is
        called."""
        if self.document is None or not self.document.named:
            return "the program"
        return self.name_of(self.document.path)

    def action_definition(self) -> None:
        self.names.to_declaration()

    def action_come_back(self) -> None:
        self.names.come_back()

    def action_uses(self) -> None:
        self.names.list_uses()

    def action_rename(self) -> None:
        self.names.rename()

    def action_complete(self) -> None:
        self.names.complete()

    def put_text(self, file: str, old: str, new: str, line: int) -> None:
        path = self.course_folder / file
        self.open_text(path, line)
        if self.writing.editor.text != old:
            self.say(f"{path.name} has changed meanwhile; nothing was written", "brass")
            return
        self.writing.editor.replace_all(new)
        self.writing.editor.reveal_line(line - 1)
        self.writing.editor.action_cursor_line_end()

    def action_outline(self) -> None:
        """The clauses of the lane that is walked, or of the interpreter beside the program."""
        lane = plain_name(self.lane)
        name = self.writing.name if self.writing.is_open else ""
        summary = self.languages.get(self.language)
        own = name.rpartition("/")[2].removesuffix(".brix")
        if summary is not None and own in {one.name for one in summary.lanes}:
            lane = own
        if self.desk is not None and lane:
            from embrix.tui.clause_grid import ClauseGrid

            self.app.push_screen(ClauseGrid(self, self.desk, lane))

    def action_next_note(self, by: int) -> None:
        self.writing.next_note(by)

    def read_typed(self) -> None:
        self.writing.read_now()

    def begin_text_actions(self, desk: Desk) -> None:
        self.writing = TextPane(self, desk)
        self.names = NameTools(self, desk, self.writing)
        for editor in (self.editor, self.writing.editor):
            editor.undone_elsewhere = self.writing.undo_together
