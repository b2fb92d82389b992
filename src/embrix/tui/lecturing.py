"""A lesson in front of the class: one stop at a time, what is covered until the room has answered,
and the way to the bench and back."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import ClassVar, Literal

from rich.text import Text
from textual.app import ComposeResult
from textual.binding import BindingType
from textual.containers import Horizontal, VerticalScroll
from textual.widgets import Static

from embrix.course.replacing import Changed, Damaged, replace_file
from embrix.messages.replies_on_lessons import GIVES_AWAY, LessonShown, StopShown
from embrix.messages.replies_on_writing import TextChange
from embrix.messages.requests import MoveStop, ShowLesson
from embrix.text.refusal import refusal
from embrix.text.source import Unreadable
from embrix.text.visible import visible
from embrix.tui.bars import Masthead, Title
from embrix.tui.desk import Desk
from embrix.tui.marked_program import add_program
from embrix.tui.pane_edges import Edge, Grip
from embrix.tui.theme import ink
from embrix.tui.view import View, keys_of
from embrix.tui.workbench import Workbench
from embrix.tui.writing import take_back
from embrix.workers.ahead import SUITE_WORKER

PLACE = "lesson"
HATCH = "╱"
WORDS = {
    "result": "what the lanes give", "next": "the step", "names": "the names",
    "store": "the store",
}  # fmt: skip


class Lecturing(View):
    """The stops of a lesson."""

    CSS = """
    Lecturing { background: $lock-ground; layout: vertical; }
    #lecture { height: 1fr; }
    #lecture-program { width: 1fr; padding: 1 2; }
    #lecture-shown { width: 1fr; padding: 1 2; background: $lock-bank; }
    #lecture-question { height: auto; padding: 1 2 0 2; }
    #lecture-notes { height: auto; max-height: 30%; padding: 0 2 1 2; display: none; }
    Lecturing.noted #lecture-notes { display: block; }
    Lecturing.narrow #lecture { layout: vertical; }
    Lecturing.narrow .lecture-program-grip { width: 1fr; height: 1; }
    """
    EDGES = (Edge("lecture-program", "lecture-shown", "width", "height"),)
    PLACE: ClassVar[str] = PLACE
    TOPICS = ("lesson",)
    BINDINGS: ClassVar[list[BindingType]] = keys_of(PLACE)

    def __init__(self, bench: Workbench, desk: Desk, path: Path, at: int) -> None:
        super().__init__(bench, desk)
        self._path = path
        self.lesson = LessonShown()
        self.at = at
        self.opened: dict[int, set[str]] = {}
        """By the number of a stop what has been uncovered there."""
        self._done = ""
        """What was done to the lesson last."""

    def compose(self) -> ComposeResult:
        yield Masthead(id="masthead")
        yield Title("lesson", id="lesson-title")
        yield Static("", id="lecture-question", markup=False)
        with Horizontal(id="lecture"):
            with VerticalScroll(id="lecture-program"):
                yield Static("", id="lecture-text", markup=False)
            yield Grip("lecture-program")
            with VerticalScroll(id="lecture-shown"):
                yield Static("", id="lecture-step", markup=False)
        yield Static("", id="lecture-notes", markup=False)
        yield self.footer()

    def on_mount(self) -> None:
        self.head("running the lesson …")
        self.query_one("#lecture-shown").focus()
        self.course_read()

    def course_read(self) -> None:
        """Have the lesson carried out with the course as it is now."""
        request = ShowLesson(file=str(self._path))
        self._desk.ask("lesson", request, self._came, worker=SUITE_WORKER)

    def _came(self, lesson: LessonShown) -> None:
        if not self.query("#lecture-text"):
            return  # it is closing
        self.lesson = lesson
        self.at = max(0, min(self.at, len(lesson.stops) - 1))
        self.query_one(Masthead).show(language=lesson.language or self._bench.language)
        if lesson.wrong:
            self.say(lesson.wrong[0], "brick")
        else:
            self.say(self._done)
        self.show_stop()

    @property
    def stop(self) -> StopShown | None:
        return self.lesson.stops[self.at] if self.at < len(self.lesson.stops) else None

    # ---------------------------------------------------------------- what is shown

    def covers(self, part: str) -> bool:
        """Whether a part of the stop is covered now."""
        if self.stop is None:
            return False
        left = set(self.stop.covered) - self.opened.get(self.at, set())
        return not left.isdisjoint((part, *GIVES_AWAY[part]))

    def show_stop(self) -> None:
        stop = self.stop
        title = self.query_one("#lesson-title", Title)
        if stop is None:
            title.show(self.lesson.title, "no stops", "brick")
            return
        self._bench.lesson_at[self._path] = self.at
        title.show(f"{self.lesson.title} · {stop.name}",
                   f"{self.at + 1} of {len(self.lesson.stops)}", "brass")  # fmt: skip
        question = Text(stop.question, ink(self.app, "brass", bold=True, italic=True))
        self.query_one("#lecture-question", Static).update(question)
        self.query_one("#lecture-text", Static).update(self._program(stop))
        self.query_one("#lecture-step", Static).update(self._step_shown(stop))
        notes = Text(stop.notes.strip() or "no notes", ink(self.app, "faint", italic=True))
        self.query_one("#lecture-notes", Static).update(notes)
        for pane in ("#lecture-program", "#lecture-shown"):
            self.query_one(pane, VerticalScroll).scroll_home(animate=False)

    def _program(self, stop: StopShown) -> Text:
        app = self.app
        text = Text(no_wrap=False, overflow="fold")
        name = stop.file.rpartition("/")[2] or "program"
        text.append(f"{name}\n\n", ink(app, "faint", italic=True))
        add_program(text, app, stop.program, stop.place, stop.comments)
        for given in stop.given.items():
            text.append(f"\n\nwith {given[0]} = {visible(given[1])}", ink(app, "faint"))
        return text

    def _step_shown(self, stop: StopShown) -> Text:
        app = self.app
        text = Text(no_wrap=False, overflow="fold")
        if not stop.lane:
            text.append("This stop cannot be shown; the first line says why.", ink(app, "brick"))
            return text
        rows = [(lane, visible(sentence)) for lane, sentence in stop.lanes]
        self._table(text, "result", "lanes", rows)
        if stop.picture:
            if self._part(text, "next", "", stop.picture.count("\n") + 1):
                text.append(stop.picture, ink(app, "ink"))
            return text
        if stop.step < 0:
            return text
        head = f"{stop.lane}, step {stop.step} of {stop.length - 1}"
        if self._part(text, "next", head, 2):
            begin, end = stop.focus
            for number, part in enumerate(
                (stop.text[:begin], stop.text[begin:end], stop.text[end:])
            ):
                marked = number == 1
                style = ink(app, "brass" if marked else "ink", bold=True, underline=marked)
                text.append(visible(part), style)
            text.append("\n\n")
        if stop.names:
            self._table(text, "names", "names", [(n, visible(v)) for n, v in stop.names])
        if stop.store:
            held = [(f"{one.location}{' ●' if one.changed else ''}", visible(one.value))
                    for one in stop.store]  # fmt: skip
            self._table(text, "store", "store", held)
        if stop.clause and self._part(text, "next", "clause", stop.clause.count("\n") + 1):
            text.append(f"{textwrap.dedent(stop.clause)}\n", ink(app, "ink"))
        return text

    def _table(self, text: Text, part: str, head: str, rows: Sequence[tuple[str, str]]) -> None:
        app = self.app
        if not self._part(text, part, head, len(rows)):
            return
        wide = max(len(name) for name, _ in rows)
        for name, value in rows:
            text.append(f"{name:<{wide}}  ", ink(app, "moss", bold=True))
            text.append(f"{value}\n", ink(app, "ink", bold=True))
        text.append("\n")

    def _part(self, text: Text, part: str, head: str, lines: int) -> bool:
        """Begin a part; hatched where it is covered. Whether its content is to be shown."""
        app = self.app
        if head:
            text.append(f"{head}\n", ink(app, "faint", italic=True))
        if not self.covers(part):
            return True
        wide = max(8, min(44, self.query_one("#lecture-shown").size.width - 6))
        for line in range(max(1, min(lines, 4))):
            note = f" {WORDS[part]}: u uncovers " if line == 0 else ""
            text.append(f"{note}{HATCH * max(0, wide - len(note))}\n", ink(app, "heather"))
        text.append("\n")
        return False

    def on_resize(self) -> None:
        super().on_resize()
        if self.query("#lecture-text"):
            self.call_after_refresh(self.show_stop)

    # ---------------------------------------------------------------- commands

    def action_stop(self, by: int) -> None:
        """To another stop, by how many."""
        if self.lesson.stops:
            self.at = max(0, min(self.at + by, len(self.lesson.stops) - 1))
            self.show_stop()

    def action_uncover(self) -> None:
        """Uncover the next part that is covered; without one, cover all parts again."""
        if self.stop is None:
            return
        opened = self.opened.setdefault(self.at, set())
        left = [part for part in self.stop.covered if part not in opened]
        if left:
            opened.add(left[0])
        else:
            opened.clear()
        self.show_stop()

    def action_notes(self) -> None:
        self.toggle_class("noted")

    def action_scroll(self, by: int) -> None:
        pane = self.query_one("#lecture-shown", VerticalScroll)
        pane.scroll_relative(y=by, animate=False)
        self.query_one("#lecture-program", VerticalScroll).scroll_relative(y=by, animate=False)

    def action_move_stop(self, by: Literal[-1, 1]) -> None:
        """Let this stop and a neighbour change places in the file."""
        if self.stop is not None:
            request = MoveStop(lesson=str(self._path), number=self.at, by=by)
            take = partial(self._moved, self.at + by)
            self._desk.ask("lesson", request, take, worker=SUITE_WORKER)

    def _moved(self, at: int, made: TextChange) -> None:
        if made.refused:
            self.say(made.refused, "brass")
            return
        try:
            replace_file(self._path, made.old, made.text)
        except (Changed, Damaged, Unreadable, OSError) as fault:
            self.say(f"{self._path.name} is not written: {refusal(fault)}", "brick")
            return
        self._read_again(at, "moved; z undoes it")

    def _read_again(self, at: int, message: str) -> None:
        """Have the lesson read anew, with the course as it is on disk now."""
        self.at, self._done = at, message
        self.opened.clear()
        self._bench.read_course()

    def action_take_back(self) -> None:
        if take_back(self, self._path):
            self._read_again(self.at, "the lesson is as it was before")

    def action_walk(self) -> None:
        """Go on freely on the bench; the lesson is entered again where it was left."""
        stop = self.stop
        if stop is None:
            return
        if not stop.lane:
            self.say("this stop cannot be shown: mend the lesson first", "brass")
            return
        self.action_leave()
        self._bench.walk_stop(self._path, stop)

    def take_along(self) -> None:
        if self.stop is not None and self.stop.lane:
            self._bench.walk_stop(self._path, self.stop)
