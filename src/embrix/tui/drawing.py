"""Pictures from the workbench: what is to be drawn, and the file it goes to."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from embrix.course.naming import plain_name
from embrix.draw.kinds import EXERCISES, KINDS
from embrix.messages.replies import Written
from embrix.messages.requests import WriteHandout, WritePicture, WriteStarter, WriteWorksheet
from embrix.tui.desk import Desk
from embrix.tui.dialogs import AskText, Choice, Pick
from embrix.tui.targets import replacing, target_of
from embrix.tui.workbench import Say, Workbench
from embrix.workers.ahead import SUITE_WORKER

GROUPS = {
    "tokens": "program", "tree": "program", "grammar-tree": "program", "trees": "program",
    "grammar": "language", "rules": "lane", "suite": "language", "decisions": "language",
    "costs": "lanes",
}  # fmt: skip


GIVEN = {
    "program": "this program on this lane as a page, with the steps that are marked (b)",
    "language": "this language as a page: grammar, forms, rules, programs, cases",
    "course": "all languages of the course as a page",
    "starter": "this interpreter as a course in which clauses are left to be written",
}


MOST_GAPS = 200
SHEET = "worksheet "
"""Before the names of exercises, some of which are those of pictures as well."""
COLOURS = ("paper", "light", "dark")
"""What a picture can be painted in; the first where nothing is said."""


def _with_numbers(typed: str) -> tuple[str, tuple[int, int]]:
    """A name and the numbers behind it: gaps and sheet, four and the first where none are typed."""
    words = typed.split()
    numbers: list[int] = []
    while len(words) > 1 and words[-1].isdecimal() and len(numbers) < 2:
        numbers.insert(0, int(words.pop()))
    gaps, seed = (*numbers, *(4, 1)[len(numbers) :])
    return " ".join(words), (max(1, min(gaps, MOST_GAPS)), seed)


class Drawings:
    """Asks what is to be drawn, and has it written beside the program."""

    def __init__(self, bench: Workbench, desk: Desk) -> None:
        self._bench = bench
        self._desk = desk

    def choose(self) -> None:
        """One list of everything that can be drawn of what is on the bench."""
        rows: list[Choice] = [
            (GROUPS.get(kind, "run"), f"{kind:<13} {text}", kind)
            for kind, text in KINDS.items() if kind != "growth"
        ]  # fmt: skip
        rows += [("handout", f"{kind:<13} {text}", kind) for kind, text in GIVEN.items()]
        rows += [("worksheet", f"{kind:<13} {text}", f"{SHEET}{kind}")
                 for kind, text in EXERCISES.items()]  # fmt: skip

        def picked(kind: str | None) -> None:
            if kind == "starter":
                self._starter()
            elif kind in GIVEN:
                self._handout(kind)
            elif kind is not None and kind.startswith(SHEET):
                self._worksheet(kind.removeprefix(SHEET))
            elif kind is not None:
                self._name(kind)

        self._bench.app.push_screen(Pick("draw", rows, "There is no such picture."), picked)

    def _name(self, kind: str) -> None:
        bench = self._bench
        stem = self._stem
        lanes = list(bench.lanes.lanes) if kind in ("costs", "suite") else [bench.lane]

        def named(name: str | None) -> None:
            if name and name.strip():
                self.write(kind, name.strip(), lanes, bench.say, number=bench.at)

        question = "Name of the file (.svg, .pdf, .tex or .txt), and light or dark for colours:"
        bench.app.push_screen(AskText("draw", question, f"{stem}_{kind}.svg"), named)

    def _handout(self, what: str) -> None:
        bench = self._bench
        stem = self._stem
        name = stem if what == "program" else bench.language if what == "language" else "course"

        def named(typed: str | None) -> None:
            if not typed or not typed.strip():
                return
            path = self._path(typed)
            languages = [bench.language]
            if what == "course":
                bench.read_rest()
                languages = list(bench.languages)
            request = WriteHandout(languages=languages, path=str(path))
            if what == "program":
                request = replace(
                    request, lanes=[bench.lane], program=(stem, bench.editor.text),
                    marks=bench.marks, given=bench.walking.given, input=bench.input,
                )  # fmt: skip

            def write() -> None:
                bench.say("laying out the handout …")
                self._desk.ask("draw", request, partial(self._drawn, bench.say),
                               worker=SUITE_WORKER)  # fmt: skip

            replacing(bench.app, [path], write)

        question = f"Name of the file (.html or .pdf), in {bench.program_folder.name}:"
        bench.app.push_screen(AskText("handout", question, f"{name.lower()}.html"), named)

    def _worksheet(self, kind: str) -> None:
        """Exercises of the program on this lane, or on all of them where they are compared."""
        bench = self._bench
        lanes = list(bench.lanes.lanes) if kind == "outcomes" else [bench.lane]

        def named(typed: str | None) -> None:
            name, numbers = _with_numbers(typed or "")
            if not name:
                return
            gaps, seed = numbers
            path = self._path(name)
            request = WriteWorksheet(
                language=bench.language, text=bench.editor.text, given=bench.walking.given,
                input=bench.input, exercise=kind, lanes=lanes, name=self._stem, path=str(path),
                gaps=gaps, seed=seed,
            )  # fmt: skip

            def write() -> None:
                bench.say("making the worksheet …")
                self._desk.ask("draw", request, partial(self._drawn, bench.say),
                               worker=SUITE_WORKER)  # fmt: skip

            key = path.with_name(f"{path.stem}-answers{path.suffix}")
            replacing(bench.app, [path, key], write)

        def compared(other: str | None) -> None:
            if other is not None:
                lanes.append(other)
                ask()

        def ask() -> None:
            question = ("Name of the file (.html, .pdf or .tex), how many gaps, and the number of "
                        "the sheet: another number gives other gaps")  # fmt: skip
            bench.app.push_screen(
                AskText("worksheet", question, f"{self._stem}_{kind}.html 4 1"), named
            )

        if kind == "apart":
            rows: list[Choice] = [("lane", one, one) for one in bench.lanes.lanes
                                  if one != bench.lane]  # fmt: skip
            nothing = "There is no other lane."
            bench.app.push_screen(Pick(f"told apart from {bench.lane}", rows, nothing), compared)
        else:
            ask()

    def _starter(self) -> None:
        """Forms whose clauses are taken out, then the new folder."""
        bench = self._bench
        lane = plain_name(bench.lane)

        def named(forms: str | None) -> None:
            if not forms or not forms.strip():
                return

            def placed(folder: str | None) -> None:
                if folder and folder.strip():
                    path = Path(folder.strip()).expanduser()
                    path = path if path.is_absolute() else bench.folder.parent / path
                    request = WriteStarter(
                        language=bench.language, lane=lane, forms=forms, path=str(path)
                    )
                    self._desk.ask("draw", request, partial(self._drawn, bench.say),
                                   worker=SUITE_WORKER)  # fmt: skip

            question = "A new folder, beside the course unless it is named from the root:"
            bench.app.push_screen(AskText("starter", question, f"{lane}_starter"), placed)

        question = f"Forms whose clauses in {lane} are left to be written (Add, Let):"
        bench.app.push_screen(AskText("starter", question), named)

    def _path(self, name: str) -> Path:
        """A file beside the program, unless another place is typed."""
        return target_of(name, self._bench.program_folder)

    @property
    def _stem(self) -> str:
        """The name of the program without its ending, or that of its language."""
        document = self._bench.document
        if document is not None and document.named:
            return document.path.stem
        return self._bench.language.lower()

    def write(self, kind: str, name: str, lanes: Sequence[str], say: Say, **more: Any) -> None:
        """Have a picture written beside the program. `more` is what some pictures need: a `number`,
        what a growth goes `over`, its `cost` and `scale`."""
        bench = self._bench
        head, _, theme = name.rpartition(" ")
        if theme in COLOURS and head.strip():
            more, name = {"theme": theme, **more}, head.strip()
        path = self._path(name)
        request = WritePicture(
            kind=kind, language=bench.language, lanes=list(lanes), text=bench.editor.text,
            given=bench.walking.given, input=bench.input, path=str(path), **more,
        )  # fmt: skip

        def draw() -> None:
            say(f"drawing {path.name} …", "ink")
            # Whoever replaces the first page replaces those that follow it.
            asked = replace(request, replace=path.exists())
            self._desk.ask("draw", asked, partial(self._drawn, say))

        replacing(bench.app, [path], draw)

    def _drawn(self, say: Say, answer: Written) -> None:
        if answer.refused:
            say(f"not written: {answer.refused}", "brick")
        else:
            say(f"written: {', '.join(answer.written)}", "ink")
