"""Going to where something happens in the walk, and to places that were marked."""

from __future__ import annotations

from functools import partial

from embrix.course.naming import plain_name
from embrix.messages.replies import Completion, Found
from embrix.messages.requests import SaveWalk, SeekStep
from embrix.messages.wire import Progress
from embrix.text.typed_number import typed_number
from embrix.tui.choosing import WALK
from embrix.tui.desk import Desk
from embrix.tui.dialogs import AskText
from embrix.tui.targets import replacing, target_of
from embrix.tui.workbench import Workbench

QUESTIONS = {
    "text": "A text in any step:",
    "lookup": "A name that is looked up (empty for any):",
    "name": "A name that is bound to another value:",
    "location": "A location that changes:",
    "clause": "A clause that applies, by its line (FILE:LINE):",
}
NOWHERE = {
    "text": "no step {way} has that text",
    "lookup": "that name is not looked up {way}",
    "name": "that name does not change {way}",
    "location": "that location does not change {way}",
    "output": "nothing is written {way}",
    "clause": "that clause does not apply {way}",
    "end": "this is the end",
    "over": "there is nothing {way}",
    "out": "there is nothing around this",
}


class Seeking:
    """What was looked for last, and going from mark to mark."""

    def __init__(self, bench: Workbench, desk: Desk) -> None:
        self._bench = bench
        self._desk = desk
        self._last = ("text", "")
        self._said: dict[str, str] = {}

    def seek(self, kind: str, forward: bool) -> None:
        """Ask for what is to be looked for, if anything, and go there."""
        if kind not in QUESTIONS:
            self._go(kind, "", forward)
            return

        def typed(what: str | None) -> None:
            if what is not None and (what.strip() or kind == "lookup"):
                self._said[kind] = what.strip()
                self._go(kind, what.strip(), forward)

        value = self._said.get(kind, self._suggested(kind))
        self._bench.app.push_screen(AskText("look for", QUESTIONS[kind], value), typed)

    def again(self, forward: bool) -> None:
        """The same once more."""
        self._go(*self._last, forward)

    def _suggested(self, kind: str) -> str:
        """The names that may be meant."""
        step = self._bench.step_rows.known_steps.get(self._bench.at)
        if step is None:
            return ""
        if kind == "clause" and step.clause:
            return f"{step.clause.file}:{step.clause.line}"
        if kind == "name" and step.bindings:
            return step.bindings[0].name
        if kind == "location" and step.store:
            return step.store[-1].location
        return ""

    def _go(self, kind: str, what: str, forward: bool) -> None:
        if not self._bench.walking.settled:
            return
        if kind not in ("over", "out", "end"):
            self._last = (kind, what)
        self._desk.drop("seek")
        request = SeekStep(walk=self._bench.walking.recipe, kind=kind, what=what,
                              start=self._bench.at, forward=forward)  # fmt: skip
        take = partial(self._found, self._bench.walking.key, kind, forward)
        self._desk.ask("seek", request, take, progress=self._looking)

    def _looking(self, progress: Progress) -> None:
        if progress.done:
            self._bench.say(f"looked at {progress.done:,} of {progress.of:,} …")

    def _found(self, key: str, kind: str, forward: bool, found: Found) -> None:
        if key != self._bench.walking.key:
            return
        if found.number is None:
            way = "from here on" if forward else "before this"
            self._bench.say(NOWHERE[kind].format(way=way), "brass")
            return
        self._bench.say("")
        self._bench.walking.go(found.number)

    # ---------------------------------------------------------------- numbers and marks

    def to_number(self) -> None:
        """To a step by its number."""

        def typed(text: str | None) -> None:
            digits = (text or "").strip().replace(",", "")
            number = typed_number(digits)
            if number is not None:
                self._bench.walking.go(number)
            elif digits:
                self._bench.say(f"{digits} is no number", "brass")

        last = self._bench.step_rows.length - 1
        self._bench.app.push_screen(
            AskText("go to", f"The number of a step, 0 to {last:,}:"), typed
        )

    def mark(self) -> None:
        """Mark the step, or take its mark away."""
        marks, at = self._bench.walking.marks, self._bench.at
        if at in marks:
            marks.remove(at)
            self._bench.say(f"step {at:,} is no longer marked")
        else:
            marks.append(at)
            marks.sort()
            self._bench.say(f"step {at:,} is marked; j goes to the next mark")
        self._bench.step_rows.marks = set(marks)
        self._bench.step_rows.refresh()

    def next_mark(self, forward: bool) -> None:
        marks, at = self._bench.walking.marks, self._bench.at
        if not marks:
            self._bench.say("nothing is marked; b marks the step", "brass")
            return
        ahead = [mark for mark in marks if mark > at] or marks
        behind = [mark for mark in marks if mark < at] or marks
        self._bench.walking.go(ahead[0] if forward else behind[-1])

    # ---------------------------------------------------------------- files

    def save(self) -> None:
        """Keep the walk in a file."""
        document = self._bench.document
        if not self._bench.walking.settled or document is None:
            return

        def named(name: str | None) -> None:
            if not name or not name.strip():
                return
            typed = target_of(name, self._bench.program_folder)
            path = typed.with_name(f"{typed.name.removesuffix(WALK)}{WALK}")
            request = SaveWalk(walk=self._bench.walking.recipe, path=str(path))

            def write() -> None:
                self._desk.ask("save", request, partial(self._saved, path.name))

            replacing(self._bench.app, [path], write)

        lane = plain_name(self._bench.walking.lane)
        stem = document.path.stem if document.named else self._bench.language.lower()
        question = f"Name of the file, in {self._bench.program_folder.name}:"
        self._bench.app.push_screen(AskText("keep the walk", question, f"{stem}_{lane}"), named)

    def _saved(self, name: str, answer: Completion) -> None:
        text = answer.refused or f"the walk is kept in {name}"
        self._bench.say(text, "brick" if answer.refused else "ink")
