"""The application: themes, and the bench."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

from textual.screen import Screen

from embrix.text.crash_report import write_crash_report
from embrix.tui.alt_keys import know_alt_letters
from embrix.tui.bench import Bench
from embrix.tui.dialogs import Pick
from embrix.tui.in_order import KeysInOrder
from embrix.tui.safe import SafeText
from embrix.tui.theme import DAY, NIGHT, themes
from embrix.workers.pool import Pool


class WorkbenchApp(KeysInOrder[None]):
    """The workbench on a course."""

    TITLE = "Embrix"
    ENABLE_COMMAND_PALETTE = False
    CSS_PATH = "bench.tcss"
    CSS = """
    Screen { background: $lock-ground; color: $lock-ink; }
    * { scrollbar-color: $lock-deep; scrollbar-color-hover: $lock-brass;
        scrollbar-color-active: $lock-brass; scrollbar-background: $lock-bank;
        scrollbar-background-hover: $lock-bank; scrollbar-background-active: $lock-bank;
        scrollbar-corner-color: $lock-bank; }
    ModalScreen { background: $lock-ground 55%; }
    ModalScreen Input, ModalScreen Input:focus { border: none; height: 1; padding: 0 1;
        background: $lock-ground; }
    """

    def __init__(
        self, folder: Path | None, program: Path | None = None, pool: Pool | None = None
    ) -> None:
        """`pool` are workers that have been begun for it."""
        super().__init__()
        know_alt_letters()
        self._folder = folder
        self._program = program
        self._pool = pool
        for theme in themes():
            self.register_theme(theme)
        self.theme = NIGHT
        self._colours = self.get_css_variables()
        self.stylesheet.set_variables(self._colours)
        self._filters.append(SafeText())

    def get_default_screen(self) -> Screen[None]:
        """The bench, where there is a course: nothing has to be laid out and painted before it."""
        if self._folder is None:
            return Screen(id="_default")
        return Bench(self._folder, self._program, self._pool)

    def refresh_css(self, animate: bool = True) -> None:
        """Paint all screens by the colours of the theme, unless the style sheet has been read with
        these: at the start it would be read once more, for nothing."""
        colours = self.get_css_variables()
        if colours != self._colours:
            self._colours = colours
            super().refresh_css(animate)

    async def action_quit(self) -> None:
        """Leave; what is open is remembered."""
        for screen in self.screen_stack:
            if isinstance(screen, Bench):
                screen.remembering.take()
        await super().action_quit()

    def _fatal_error(self) -> None:
        """A fault of Embrix ends the workbench; what is typed is kept as it closes."""
        fault = sys.exception() or self._exception
        assert fault is not None
        report = write_crash_report(fault, "the workbench")
        kept = "Unsaved text is kept: it is back when you open the course again."
        self.panic(f"internal error, see {report}: {type(fault).__name__}: {fault}\n{kept}")

    def action_switch_theme(self) -> None:
        """Change between the dark and the light theme."""
        self.theme = DAY if self.theme == NIGHT else NIGHT


class BeginningApp(WorkbenchApp):
    """The workbench in an empty folder: a course is begun there, or the shipped one is opened."""

    def __init__(
        self, empty: Path, begin: Callable[[Path], object], shipped: Callable[[], Path]
    ) -> None:
        """`begin` writes a course into the folder, `shipped` gives the folder of the shipped one;
        both raise what the user reads."""
        super().__init__(None)
        self._empty = empty
        self._begin = begin
        self._shipped = shipped

    def on_mount(self) -> None:
        rows = [
            (
                "begin",
                f"a course here, in {self._empty.name}: a language, a lane, a suite",
                "begin",
            ),
            (
                "open",
                "Lockside, the course that comes with Embrix, in a copy of your own",
                "shipped",
            ),
        ]
        title, empty = "an empty folder", "There is no such name."
        self.push_screen(Pick(title, rows, empty), self._chosen)

    def _chosen(self, what: str | None) -> None:
        if what is None:
            self.exit()
            return
        try:
            if what == "begin":
                self._begin(self._empty)
            folder = self._empty if what == "begin" else self._shipped()
        except Exception as fault:
            self.exit(message=f"embrix: {fault}")
            return
        self.push_screen(Bench(folder, None))
