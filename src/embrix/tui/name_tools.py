"""Names in the file beside the program: what each means, where it is declared and used, another
name for it, and what can be written."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from textual.timer import Timer

from embrix.messages.replies_on_writing import NameHere, NamePlace, Proposal, Renaming
from embrix.messages.requests import AskName, AskProposals, Rename
from embrix.text.plural import counted
from embrix.tui.desk import Desk
from embrix.tui.dialogs import AskText, Pick, Show
from embrix.tui.text_pane import TextPane
from embrix.tui.workbench import Workbench

RESTING = 0.3
"""Seconds that the cursor stands still before what it stands on is shown."""
MOST_VISITED = 100


class NameTools:
    def __init__(self, bench: Workbench, desk: Desk, pane: TextPane) -> None:
        self._bench = bench
        self._desk = desk
        self._pane = pane
        self._timer: Timer | None = None
        self._visited: list[tuple[Path, tuple[int, int]]] = []
        """Places that were left for another one, the last one last."""

    def _ask(self, take: Callable[[NameHere], None], topic: str = "name") -> None:
        if self._pane.document is None:
            self._bench.say("F2 opens a file of the course; this is about a name in it")
            return
        request = AskName(file=self._pane.name, text=self._pane.editor.text,
                          offset=self._pane.editor.characters_before)  # fmt: skip
        self._desk.drop(topic)
        self._desk.ask(topic, request, take)

    def cursor_moved(self) -> None:
        """Tell what the cursor stands on, once it rests."""
        if self._timer is not None:
            self._timer.stop()
        self._timer = self._bench.set_timer(RESTING, self._rested)

    def _rested(self) -> None:
        self._timer = None
        if self._pane.is_open and not self._pane.editor.remarks_here:
            self._ask(self._tell, "resting")  # what a key has asked for goes on

    def _tell(self, found: NameHere) -> None:
        self._pane.tell(f"{found.kind}  {found.about}" if found.kind else "")

    # ---------------------------------------------------------------- going

    def to_declaration(self) -> None:
        self._ask(self._declared)

    def _declared(self, found: NameHere) -> None:
        if found.declared is None:
            text = f"{found.name} is built in: {found.about}" if found.kind else ""
            self._bench.say(text.replace("\n", "  ") or "no name of the course stands here",
                            "ink" if text else "brass")  # fmt: skip
            return
        self.go(found.declared)

    def go(self, place: NamePlace) -> None:
        """To a place of the course."""
        self._bench.open_text(self._bench.course_folder / place.file, place.line)
        self._pane.editor.move_cursor((place.line - 1, place.column - 1))

    def leave(self) -> None:
        """Keep the place of the cursor, which is about to go elsewhere, for the way back."""
        document = self._pane.document
        if document is not None:
            here = (document.path, self._pane.editor.cursor_location)
            if self._visited[-1:] != [here]:
                self._visited = [*self._visited[-MOST_VISITED:], here]

    def come_back(self) -> None:
        """To the place that was left last."""
        if not self._visited:
            self._bench.say("there is nowhere to go back to")
            return
        path, place = self._visited.pop()
        self._pane.open(path, place[0] + 1)
        self._pane.editor.move_cursor(place)

    def list_uses(self) -> None:
        self._bench.read_rest()
        self._ask(self._uses)

    def _uses(self, found: NameHere) -> None:
        if not found.places:
            self._bench.say("no name of the course stands here", "brass")
            return
        rows = [
            (f"{place.file}:{place.line}", place.text, str(number))
            for number, place in enumerate(found.places)
        ]

        def picked(number: str | None) -> None:
            if number is not None:
                self.go(found.places[int(number)])

        title = f"{found.kind} {found.name}: {counted(len(rows), 'place')}"
        self._bench.app.push_screen(Pick(title, rows, "No place contains this."), picked)

    # ---------------------------------------------------------------- another name

    def rename(self) -> None:
        self._bench.read_rest()
        self._ask(self._ask_new_name)

    def _ask_new_name(self, found: NameHere) -> None:
        if found.declared is None:
            text = f"{found.name} is built in" if found.kind else ""
            self._bench.say(text or "no name of the course stands here", "brass")
            return

        def typed(new: str | None) -> None:
            if new is not None and self._pane.document is not None:
                editor = self._pane.editor
                request = Rename(file=self._pane.name, text=editor.text,
                                 offset=editor.characters_before, new=new.strip())  # fmt: skip
                self._bench.say("looking at every place of the course …")
                self._desk.ask("rename", request, partial(self._renamed, new.strip()))

        question = f"New name for the {found.kind} {found.name}, everywhere it is meant:"
        self._bench.app.push_screen(AskText("rename", question, found.name), typed)

    def _renamed(self, new: str, change: Renaming) -> None:
        if change.refused:
            self._bench.say(f"not renamed: {change.refused}", "brass")
            return
        self._bench.say("")

        def answered(yes: str | None) -> None:
            if yes is not None:
                places = counted(change.places, "place")
                text = f"{change.name} is {new} now, in {places} of {change.changes[0]}"
                self._pane.change_files(change.files, text)

        subject = f"{change.kind} {change.name}: {counted(change.places, 'place')}"
        lines = change.changes[1:]
        self._bench.app.push_screen(
            Show(subject, change.changes[0], lines, "Enter renames"), answered
        )

    # ---------------------------------------------------------------- completion

    def complete(self) -> None:
        """Offer what can be written here."""
        if self._pane.document is None:
            return
        request = AskProposals(file=self._pane.name, text=self._pane.editor.text,
                               offset=self._pane.editor.characters_before)  # fmt: skip
        self._desk.drop("complete")
        self._desk.ask("complete", request, self._proposed)

    def _proposed(self, found: list[Proposal]) -> None:
        if not found:
            self._bench.say("no name begins like this", "brass")
        elif len(found) == 1:
            self._insert(found[0].insert)
        else:
            rows = [(one.kind, one.about or one.insert, one.insert) for one in found]

            def picked(insert: str | None) -> None:
                if insert is not None:
                    self._insert(insert)

            self._bench.app.push_screen(Pick("write", rows, "Nothing has this name."), picked)

    def _insert(self, text: str) -> None:
        """Put a text in place of the letters before the cursor."""
        editor = self._pane.editor
        row, column = editor.cursor_location
        before = editor.document.get_line(row)[:column]
        begun = len(before) - len(before.rstrip("_0123456789abcdefghijklmnopqrstuvwxyz"
                                                "ABCDEFGHIJKLMNOPQRSTUVWXYZ"))  # fmt: skip
        editor.replace(text, (row, column - begun), (row, column), maintain_selection_offset=False)
        editor.move_cursor((row, column - begun + len(text)))
