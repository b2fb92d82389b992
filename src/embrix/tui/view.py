"""What all views besides the bench have in common: their keys, help, the way back, tidings on the
first line."""

from __future__ import annotations

from abc import abstractmethod
from typing import Any, ClassVar

from textual import on
from textual.binding import Binding, BindingType

from embrix.messages.replies_on_suites import SuiteReport
from embrix.tui.bars import Footer, Masthead
from embrix.tui.commands import of_place, opens
from embrix.tui.desk import Desk
from embrix.tui.dialogs import AskText, Help, Once
from embrix.tui.pane_edges import EdgedScreen
from embrix.tui.workbench import Workbench

NARROW = 100
"""Columns below which panes stand under each other."""


SCROLLING = ("left", "right", "up", "down", "home", "end", "pageup", "pagedown")
"""Keys that a list of rows would take for itself."""


def keys_of(place: str) -> list[BindingType]:
    """The key map of a view, from the table of commands. What a list does not bind comes to the
    view behind the keys that were pressed before it, also in a burst."""
    return [
        Binding(
            command.key,
            command.action,
            command.short,
            show=False,
            priority=command.key in SCROLLING,
        )
        for command in of_place(place)
    ]


class Overlay(Once, EdgedScreen):
    """What may lie over the bench, and is told what happens meanwhile."""

    @abstractmethod
    def say(self, text: str, colour: str = "ink") -> None:
        """Tell something on the first line."""

    def course_read(self) -> None:
        """The course has been read anew."""

    def suite_ran(self, report: SuiteReport) -> None:
        """The suite of the language has been run."""


class View(Overlay):
    """A view over the bench. `PLACE` is its name in the table of commands; `TOPICS` is what it asks
    of the workers, given up when it is left."""

    PLACE: ClassVar[str] = ""
    TOPICS: ClassVar[tuple[str, ...]] = ()
    OF_PROGRAM: ClassVar[bool] = False
    """Whether it is about the program on the bench, and nothing else."""

    def __init__(self, bench: Workbench, desk: Desk) -> None:
        super().__init__()
        self._bench = bench
        self._desk = desk
        self._version = -1
        """That of the program when it was last on top."""
        # What is asked here is asked about what stands in the editors now.
        bench.read_typed()

    @property
    def pane_sizes(self) -> dict[str, int]:
        return self._bench.sizes

    @property
    def layout_name(self) -> str:
        return self.PLACE

    def footer(self) -> Footer:
        return Footer(lambda: [one for one in of_place(self.PLACE) if one.footer])

    def on_resize(self) -> None:
        self.set_class(self.size.width < NARROW, "narrow")

    def say(self, text: str, colour: str = "ink") -> None:
        """Tell something on the first line; an answer may come when the view has been left."""
        for masthead in self.query(Masthead):
            masthead.show(notice=text, notice_ink=colour)

    def head(self, notice: str = "") -> None:
        bench = self._bench
        self.query_one(Masthead).show(
            course=bench.title_of_course, language=bench.language, notice=notice
        )

    def program_args(self) -> dict[str, Any]:
        """The program on the bench with everything that its runs are given."""
        bench = self._bench
        return {"language": bench.language, "text": bench.editor.text, "input": bench.input,
                "given": bench.walking.given}  # fmt: skip

    def ask_file(self, name: str, kinds: str, kind: str, lanes: list[str], **more: Any) -> None:
        """Ask for the name of a file and have a picture written to it."""

        def named(typed: str | None) -> None:
            if typed and typed.strip():
                self._bench.write_picture(kind, typed.strip(), lanes, self.say, **more)

        question = f"Name of the file ({kinds}), and light or dark for colours:"
        self.app.push_screen(AskText("draw", question, name), named)

    @on(Footer.Chosen)
    async def _footer_chosen(self, message: Footer.Chosen) -> None:
        await self.run_action(message.action)

    def take_along(self) -> None:
        """Make the program, lane and step that are chosen here those of the bench."""

    def action_open_view(self, action: str) -> None:
        """Another view over this one, of what is chosen here."""
        self.take_along()
        self._bench.open_view(action)

    def on_screen_resume(self) -> None:
        """Another view may have put another program on the bench: then this one begins again."""
        version, self._version = self._version, self._bench.version
        if self.OF_PROGRAM and version not in (-1, self._version):
            self.give_up()
            self.app.pop_screen()
            self._bench.open_view(opens(self.PLACE))

    def give_up(self) -> None:
        """Forget what has been asked for this view."""
        for topic in self.TOPICS:
            self._desk.drop(topic)

    def action_help(self) -> None:
        async def carry_out(action: str | None) -> None:
            if action is not None:
                await self.run_action(f"screen.{action}")

        self.app.push_screen(Help(self.PLACE, {}, of_place(self.PLACE)), carry_out)

    def action_leave(self) -> None:
        self.give_up()
        self.dismiss()

    def action_switch_theme(self) -> None:
        self.app.action_switch_theme()  # type: ignore[attr-defined]
