"""Every command of the workbench, once: key map, footer, help and palette are made from this."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Command:
    """`action` is the name of a method `action_…` of the bench; `place` is the pane in whose help
    and footer it appears first, or empty for everywhere."""

    key: str
    action: str
    short: str
    text: str
    place: str = ""
    footer: bool = True
    shown_key: str = ""

    @property
    def label(self) -> str:
        """The key as people read it."""
        return self.shown_key or self.key.replace("ctrl+", "^").upper().replace("^", "Ctrl+")


COMMANDS: tuple[Command, ...] = (
    Command("f1", "help", "help", "What the keys do, for the pane you are in and everywhere"),
    Command("ctrl+p", "palette", "commands", "Every command by name; Enter carries it out",
            footer=False),
    Command("f2", "open", "open", "Open a program of the course"),
    Command("f3", "face", "next face", "Show the next face: tree, tokens, grammar, cases, notes"),
    Command("f4", "lane", "lane", "Walk the next lane"),
    Command("f5", "suite", "run suite", "Run the suite on every lane and show its cases"),
    Command("f6", "pane", "pane", "Move to the next pane"),
    Command("f7", "back", "step back", "One step back in time", footer=False),
    Command("f8", "forward", "step on", "One step on in time", footer=False),
    Command("f9", "ends", "first/last", "To the last step; from there to the first", footer=False),
    Command("ctrl+r", "rule", "rule", "Read the text at a rule of the grammar, or as a program",
            footer=False),
    Command("ctrl+g", "draft", "draft", "Change the definition for a trial, beside a text to try",
            footer=False),
    Command("ctrl+o", "choice", "choice", "Decide a choice otherwise, in a lane beside this one",
            footer=False),
    Command("ctrl+l", "input", "input", "The lines of input that the program may read",
            footer=False),
    Command("ctrl+t", "prompt", "prompt", "A prompt: entries line by line, questions with ?",
            footer=False),
    Command("ctrl+s", "save", "save", "Save the program", footer=False),
    Command("ctrl+n", "new", "new", "Begin a new program", footer=False),
    Command("f12", "lamp", "lamp", "Change between the dark and the light theme", footer=False),
    Command("ctrl+q", "quit", "quit", "Leave; text not saved is kept for the next time",
            footer=False),
    Command("left", "back", "", "One step back in time", "walk", False, "←"),
    Command("right", "forward", "", "One step on in time", "walk", False, "→"),
    Command("home", "first", "first", "To the first step", "walk", False, "Home"),
    Command("end", "last", "last", "To the last step", "walk", False, "End"),
    Command("pageup", "leap_back", "leap back", "Ten steps back", "walk", False, "PgUp"),
    Command("pagedown", "leap_on", "leap on", "Ten steps on", "walk", False, "PgDn"),
    Command("up", "back", "", "One step back in time", "walk", False, "↑"),
    Command("down", "forward", "", "One step on in time", "walk", False, "↓"),
    Command("f1", "help", "help", "What the keys do here", "drafting"),
    Command("f2", "rule", "rule", "Read the text at a rule of the grammar", "drafting"),
    Command("f3", "view", "term/derivation", "Show terms, or which rule covers what", "drafting"),
    Command("f5", "compare", "compare", "Read all short sentences with both grammars", "drafting"),
    Command("f6", "pane", "pane", "Move to the next pane", "drafting", footer=False),
    Command("f8", "drop", "drop change", "Drop the change that is not saved", "drafting"),
    Command("ctrl+s", "save", "save", "Save the definition", "drafting"),
    Command("f12", "lamp", "lamp", "Change between the dark and the light theme", "drafting",
            footer=False),
    Command("escape", "leave", "back", "Back to the bench; a change is kept for the next time",
            "drafting", shown_key="Esc"),
    Command("enter", "try_case", "try it", "Put the program of the case into the editor", "cases",
            False, "Enter"),
)  # fmt: skip


STEPPING = Command("f8", "forward", "step", "Step back and on", shown_key="F7 F8")
"""Both directions as one entry of the footer."""


def everywhere() -> list[Command]:
    return [command for command in COMMANDS if not command.place]


def of_place(place: str) -> list[Command]:
    return [command for command in COMMANDS if command.place == place]
