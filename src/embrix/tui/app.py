"""The application: themes, and the bench."""

from __future__ import annotations

from pathlib import Path

from textual.app import App

from embrix.tui.bench import Bench
from embrix.tui.safe import SafeText
from embrix.tui.theme import DAY, NIGHT, themes


class WorkbenchApp(App[None]):
    """The workbench on a course."""

    TITLE = "Embrix"
    ENABLE_COMMAND_PALETTE = False
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

    def __init__(self, folder: Path, program: Path | None = None) -> None:
        super().__init__()
        self._folder = folder
        self._program = program
        for theme in themes():
            self.register_theme(theme)
        self.theme = NIGHT
        self._filters.append(SafeText())

    def on_mount(self) -> None:
        self.push_screen(Bench(self._folder, self._program))

    def action_lamp(self) -> None:
        """Change between the dark and the light theme."""
        self.theme = DAY if self.theme == NIGHT else NIGHT
