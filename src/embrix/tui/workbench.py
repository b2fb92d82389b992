"""What is open on the workbench, in focus and at which step; and what views may ask it to do.

The bench is the one screen that keeps this. Views that lie over it and its helpers know this class
alone, never the bench itself.
"""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, TypeAlias

from embrix.messages.replies import CourseSummary, LanguageSummary, Note
from embrix.messages.replies_on_lessons import StopShown
from embrix.messages.replies_on_suites import CaseRow, CaseVerdict, SuiteReport
from embrix.tui.bars import Masthead
from embrix.tui.desk import Desk
from embrix.tui.document import Document
from embrix.tui.editor import ProgramEditor
from embrix.tui.pane_edges import EdgedScreen
from embrix.tui.side_views import LanesView
from embrix.tui.walk_pane import StepRows
from embrix.tui.walking import Walking

Say: TypeAlias = Callable[[str, str], None]
"""Tells something, in a colour."""


class Workbench(EdgedScreen):
    """The state of the workbench."""

    def __init__(self, folder: Path, program: Path | None) -> None:
        super().__init__()
        self.folder = folder.resolve()
        self.wanted = program
        """The program that was asked for on the command line."""
        self.desk: Desk | None = None
        self.walking: Walking
        self.summary: CourseSummary | None = None
        """What the course holds; None while it is being read for the first time."""
        self.language = ""
        self.document: Document | None = None
        self.text = ""
        self.lane = ""
        self.version = 0
        """Of the program: answers about another one come too late."""
        self.rule = ""
        """The rule at which the text is read; empty for a program."""
        self.lesson: Path | None = None
        """The lesson that was given last."""
        self.lesson_at: dict[Path, int] = {}
        """The number of the stop at which each lesson was left."""
        self.input: list[str] = []
        """Lines that the program may read."""
        self.supplied: dict[Path, tuple[dict[str, str], list[str]]] = {}
        """What was supplied to programs by hand: names, and lines of input."""
        self.opened_lately: list[Path] = []
        """Files that were open, the last one first."""
        self.over = ""
        """The name and range that costs were measured over last."""
        self.decided: dict[str, list[str]] = {}
        """Lanes with choices decided otherwise, by language."""
        self.transcripts: dict[str, list[tuple[str, bool]]] = {}
        """What was typed and answered at the prompt, by language."""
        self.sizes: dict[str, int] = {}
        """The sizes that panes were given by hand, here and in the views."""

    # ---------------------------------------------------------------- what is there

    @property
    def editor(self) -> ProgramEditor:
        return self.query_one("#program", ProgramEditor)

    @property
    def lanes(self) -> LanesView:
        return self.query_one(LanesView)

    @property
    def step_rows(self) -> StepRows:
        return self.query_one(StepRows)

    @property
    def at(self) -> int:
        """The number of the present step."""
        return self.walking.at

    @property
    def languages(self) -> dict[str, LanguageSummary]:
        """The languages of the course; none while it is being read."""
        return self.summary.languages if self.summary is not None else {}

    @property
    def title_of_course(self) -> str:
        return self.summary.title if self.summary is not None else self.folder.name

    @property
    def course_folder(self) -> Path:
        """The folder of the course, as it was read."""
        return Path(self.summary.folder) if self.summary is not None else self.folder

    def name_of(self, path: Path) -> str:
        """The name of a file in the course, or of one elsewhere."""
        folder = self.course_folder
        return path.relative_to(folder).as_posix() if path.is_relative_to(folder) else path.name

    @property
    def extension(self) -> str:
        """The ending of the files of the present language; nothing where it has none."""
        language = self.languages.get(self.language)
        return str(language.extension or "") if language else ""

    @property
    def program_folder(self) -> Path:
        """The folder of the program, or of the course."""
        if self.document is not None and self.document.named:
            return self.document.path.parent
        return self.folder

    def say(self, text: str, colour: str = "ink") -> None:
        """Tell something on the first line of the screen."""
        self.query_one(Masthead).show(notice=text, notice_ink=colour)

    @abstractmethod
    def supply(self, given: dict[str, str], lines: list[str]) -> None:
        """From now on the program runs with these names and lines of input."""

    def note_open(self, path: Path) -> None:
        """A file has been opened."""
        path = path.resolve()
        self.opened_lately = [path, *(one for one in self.opened_lately if one != path)]

    def to_lane(self, lane: str) -> None:
        """Walk a lane from now on; one with choices is put beside the others."""
        if "[" in lane or "@" in lane:
            extra = self.decided.setdefault(self.language, [])
            if lane not in extra:
                extra.append(lane)
        self.lane = lane

    # ---------------------------------------------------------------- what it does when asked

    @abstractmethod
    def text_changed(self) -> None:
        """Ask anew what the program means and gives."""

    @abstractmethod
    def languages_changed(self) -> None:
        """Bring language, lanes and rule into step with the course and the program."""

    @abstractmethod
    def read_course(self) -> None:
        """Read the course anew, with what is typed and not saved."""

    @abstractmethod
    def read_rest(self) -> None:
        """Have the languages read that have not been; what is asked from now on comes behind."""

    @abstractmethod
    def read_typed(self) -> None:
        """Read the course with what has just been typed, if that is still to be done."""

    @abstractmethod
    def open_text(self, path: Path, line: int = 0) -> None:
        """Write a file of the course beside the program, from a line on that counts from one."""

    @abstractmethod
    def put_text(self, file: str, old: str, new: str, line: int) -> None:
        """Put a text in place of an old one in a file of the course, not saved yet, and open it at
        a line that counts from one."""

    @abstractmethod
    def close_text(self) -> None:
        """Close the file that is written beside the program."""

    @property
    @abstractmethod
    def file_beside(self) -> Path | None:
        """The file that is open beside the program."""

    @property
    @abstractmethod
    def text_beside(self) -> str:
        """The name of that file; nothing where none is open."""

    @property
    @abstractmethod
    def unsaved_files(self) -> set[Path]:
        """Files of the course with text that is not saved."""

    @abstractmethod
    def notes_came(self, notes: list[Note]) -> None:
        """Definitions and suites have been checked: every view of that is brought up to date."""

    @abstractmethod
    def side_title(self) -> None:
        """Write the title of the side pane anew."""

    @abstractmethod
    def show_title(self) -> None:
        """Write the title of the program anew."""

    @abstractmethod
    def keep_draft(self) -> None:
        """Keep what is not saved."""

    @abstractmethod
    def open_program(self, path: Path) -> None:
        """Show a program; what was not saved of the present one is kept as a draft."""

    @abstractmethod
    def open_unnamed(self) -> None:
        """Show a text without a name: what was typed there last, if anything was."""

    @abstractmethod
    def show_program(self, path: Path, text: str) -> None:
        """Put a text into the editor, as a file that need not exist yet."""

    @abstractmethod
    def show_case(self, name: str, program: str) -> None:
        """Put the program of a case into the editor, as a file that does not exist yet."""

    @abstractmethod
    def walk_case(self, case: CaseRow, verdict: CaseVerdict) -> None:
        """The program of a case on the lane of a verdict, at its step or at the last one."""

    @abstractmethod
    def ways_on(self, lane: str) -> list[int]:
        """The ways that were chosen for the program as it stands on a lane."""

    @abstractmethod
    def walk_stop(self, lesson: Path, stop: StopShown) -> None:
        """The program of a stop of a lesson, on its lane, at its step."""

    @abstractmethod
    def walk_lane(self, lane: str, at: int) -> None:
        """A lane of the program at a step."""

    @abstractmethod
    def walk_ways(self, lane: str, ways: list[int], at: int) -> None:
        """Run and walk the program on a lane by some ways, until it changes."""

    @abstractmethod
    def open_view(self, action: str) -> None:
        """A view over the bench, or over another view, by the action that opens it."""

    @abstractmethod
    def action_beside(self) -> None:
        """All lanes beside each other."""

    @abstractmethod
    def suite_ran(self, report: SuiteReport) -> None:
        """A suite has been run: every view of it is brought up to date."""

    @abstractmethod
    def suite_near(self) -> Path | None:
        """The suite that lies nearest to the program, if there is any."""

    @abstractmethod
    def ask_grammar(self) -> None:
        """Ask what kind of grammar the language has, from the present rule."""

    @property
    @abstractmethod
    def marks(self) -> list[int]:
        """The marked steps of the present walk."""

    @abstractmethod
    def write_picture(
        self, kind: str, name: str, lanes: Sequence[str], say: Any, **more: Any
    ) -> None:
        """Have a picture written beside the program."""
